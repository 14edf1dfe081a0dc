import { describe, expect, it } from 'vitest';
import type { CertificateFacts } from '../../../../src/core/keys/fingerprint.js';
import { comparePackages } from '../../../../src/core/platforms/android/inspect/compare.js';
import type { PackageFacts } from '../../../../src/core/platforms/android/inspect/facts.js';

const certificate = (name: string): CertificateFacts => ({
  subject: `CN=${name}`,
  issuer: `CN=${name}`,
  serialNumber: '01',
  notBefore: '2026-01-01T00:00:00.000Z',
  notAfter: '2056-01-01T00:00:00.000Z',
  sha1: `${name} 1`,
  sha256: `${name} 256`,
  key: 'RSA 2048',
});

type Signature = PackageFacts['signature'];
const by = (name: string, before: readonly string[] = []): Signature => ({
  verifies: true,
  verdict: 'verified',
  gaps: [],
  schemes: [
    {
      scheme: 'v3',
      state: 'verified',
      faults: [],
      signers: [
        {
          algorithms: [],
          certificate: certificate(name),
          lineage: before.map((one) => ({ certificate: certificate(one), keeps: [] })),
        },
      ],
    },
  ],
});

const facts = (change: Partial<PackageFacts> = {}): PackageFacts => ({
  kind: 'apk',
  file: 'a.apk',
  size: 1000,
  id: 'example.saltmarsh.ferry',
  version: '1.0.0',
  build: 7,
  label: 'Ferry',
  launcherLabel: 'Ferry',
  sdk: { min: 24, target: 36 },
  debuggable: false,
  permissions: [],
  features: [],
  components: [],
  belongsTo: [],
  linkFilters: [],
  network: { cleartext: false, exceptions: [] },
  icons: [],
  sizes: [{ part: 'assets', packed: 500, unpacked: 900, files: 2 }],
  entries: { count: 2, largest: [] },
  alignment: { resourceTable: 'aligned', misaligned: [] },
  duplicates: [],
  downloads: [],
  limits: [],
  files: [
    { path: 'assets/a', size: 10, packed: 5, crc32: 1 },
    { path: 'assets/b', size: 10, packed: 5, crc32: 2 },
    { path: 'META-INF/X.SF', size: 10, packed: 5, crc32: 3 },
  ],
  signature: by('one'),
  ...change,
});
const next = (change: Partial<PackageFacts> = {}) => facts({ version: '1.1.0', build: 8, ...change });
const link = (pattern: string): PackageFacts['components'] => [
  {
    kind: 'activity',
    name: 'x',
    exported: true,
    launcher: true,
    links: [{ pattern, declared: true }],
    actions: [],
  },
];

describe('comparing packages', () => {
  it('finds nothing to say against the next build of the same app', () => {
    expect(comparePackages(facts(), next())).toMatchObject({ updates: true, findings: [], changes: [] });
  });

  it.each<[string, Partial<PackageFacts>, string]>([
    ['id', { id: 'example.other' }, 'another app'],
    ['build', { build: 7 }, 'version code once'],
    ['build', { build: 2_100_000_001 }, 'above'],
    ['signer', { signature: by('two') }, 'Another key'],
    ['signature', { signature: { ...by('one'), verifies: false, verdict: 'unsigned' } }, 'not signed'],
    ['target-sdk', { sdk: { min: 24, target: 35 } }, 'lower target'],
    ['debuggable', { debuggable: true }, 'Stores refuse'],
    ['size', { limits: ['too large'] }, 'too large'],
  ])('is blocked by %s: %j', (code, change, says) => {
    const { updates, findings } = comparePackages(facts(), next(change));
    expect(updates).toBe(false);
    const found = findings.find((one) => one.severity === 'error');
    expect(found?.code).toBe(`compare.${code}`);
    expect(`${found?.observed} ${found?.impact}`).toContain(says);
  });

  it('understands a lineage, and does not go back in it', () => {
    expect(comparePackages(facts(), next({ signature: by('two', ['one']) })).updates).toBe(true);
    expect(comparePackages(facts({ signature: by('two', ['one']) }), next()).updates).toBe(false);
    // A bundle is signed with the upload key: then another certificate says nothing.
    expect(comparePackages(facts(), next({ kind: 'aab', signature: by('upload') })).updates).toBe(true);
  });

  it.each<[string, Partial<PackageFacts>, Partial<PackageFacts>, string]>([
    ['min-sdk', {}, { sdk: { min: 28, target: 36 } }, 'no more updates'],
    [
      'permission',
      {},
      { permissions: [{ name: 'android.permission.CAMERA', meaning: 'Take pictures.', granted: 'asked' }] },
      'reviewers',
    ],
    ['feature', {}, { features: [{ name: 'android.hardware.camera', required: true }] }, 'offered no more'],
    [
      'link',
      { components: link('https://a.example/*') },
      { components: link('https://b.example/*') },
      'no longer',
    ],
  ])('warns of %s', (code, was, is, says) => {
    const { updates, findings } = comparePackages(facts(was), next(is));
    expect(updates).toBe(true);
    const found = findings.find((one) => one.severity === 'warning' && one.code === `compare.${code}`);
    expect(`${found?.observed} ${found?.impact}`).toContain(says);
  });

  it('goes by what files are, where the package says so, and not by their paths', () => {
    const file = (path: string, crc32: number, resource?: string) => ({
      ...{ path, size: 10, packed: 5, crc32 },
      ...(resource === undefined ? {} : { resource }),
    });
    const { files } = comparePackages(
      facts({
        files: [
          file('res/mipmap-mdpi/icon.webp', 1, 'mipmap/icon, 160 dpi'),
          file('res/a.webp', 2, 'mipmap/icon, 320 dpi'),
          file('res/b.webp', 3, 'mipmap/icon_round, 160 dpi'),
        ],
      }),
      next({
        files: [
          file('res/a.webp', 1, 'mipmap/icon, 160 dpi'),
          file('res/b.webp', 4, 'mipmap/icon, 320 dpi'),
          file('res/c.xml', 5),
        ],
      }),
    );
    expect(files).toEqual({ added: ['res/c.xml'], removed: ['res/b.webp'], changed: ['res/b.webp'] });
  });

  it('names files and sizes that changed', () => {
    const { files, sizes } = comparePackages(
      facts(),
      next({
        size: 1200,
        sizes: [{ part: 'assets', packed: 700, unpacked: 900, files: 2 }],
        files: [
          { path: 'assets/b', size: 10, packed: 5, crc32: 9 },
          { path: 'assets/c', size: 10, packed: 5, crc32: 2 },
        ],
      }),
    );
    expect(files).toEqual({ added: ['assets/c'], removed: ['assets/a'], changed: ['assets/b'] });
    expect(sizes).toEqual([
      { part: 'assets', before: 500, after: 700 },
      { part: 'package', before: 1000, after: 1200 },
    ]);
  });
});
