import { describe, expect, it } from 'vitest';
import { compareVersions } from '../../../../src/core/platforms/apple/app/versions.js';
import { compareIpas } from '../../../../src/core/platforms/apple/inspect/compare.js';
import type { IpaFacts } from '../../../../src/core/platforms/apple/inspect/facts.js';

const CAMERA = { key: 'NSCameraUsageDescription', reason: 'To scan the ticket of a companion.' };
const appId = (team: string) => ({
  key: 'application-identifier',
  value: JSON.stringify(`${team}.example.saltmarsh.ferry`),
  allowed: true,
});
const certificate = (name: string) => ({
  subject: `CN=${name}`,
  issuer: 'CN=Harbour',
  serialNumber: '01',
  notBefore: '2026-01-01T00:00:00.000Z',
  notAfter: '2027-01-01T00:00:00.000Z',
  sha1: `${name} 1`,
  sha256: `${name} 256`,
  key: 'RSA 2048',
});
const profile = (kind: 'development' | 'store'): IpaFacts['profile'] => ({
  name: 'Ferry',
  kind,
  team: 'SALTMARSH1',
  appId: 'SALTMARSH1.example.saltmarsh.ferry',
  expires: '2027-01-01T00:00:00.000Z',
  devices: undefined,
  certificates: 1,
  fault: undefined,
});

const facts = (change: Partial<IpaFacts> = {}): IpaFacts => ({
  kind: 'ipa',
  file: 'a.ipa',
  size: 1000,
  id: 'example.saltmarsh.ferry',
  name: 'Ferry',
  version: '1.0.0',
  build: '7',
  minVersion: '15.0',
  platforms: ['iPhoneOS'],
  devices: ['phone', 'tablet'],
  languages: ['en'],
  sdk: undefined,
  slices: [],
  permissions: [],
  domains: ['applinks:ferry.saltmarsh.example'],
  schemes: ['saltmarsh-ferry'],
  transport: { arbitrary: false, hosts: [] },
  privacy: { tracking: false, domains: [], collected: [], reasons: [] },
  nested: [],
  icons: [],
  hasCatalog: false,
  sizes: [{ part: 'web', packed: 500, unpacked: 900, files: 2 }],
  entries: { count: 2, largest: [] },
  files: [
    { path: 'site/index.html', size: 400, packed: 400, crc32: 1 },
    { path: 'embedded.mobileprovision', size: 90, packed: 90, crc32: 2 },
    { path: '_CodeSignature/CodeResources', size: 90, packed: 90, crc32: 3 },
  ],
  signature: {
    verifies: true,
    verdict: 'verified',
    identifier: 'example.saltmarsh.ferry',
    team: 'SALTMARSH1',
    certificates: [certificate('now')],
    sealedFiles: 2,
    faults: [],
  },
  entitlements: [appId('SALTMARSH1')],
  profile: profile('development'),
  findings: [],
  ...change,
});

const later = (change: Partial<IpaFacts> = {}) => facts({ build: '8', ...change });
const signature = (change: Partial<IpaFacts['signature']>) => ({ ...facts().signature, ...change });
const found = (next: IpaFacts, old = facts()) => {
  const { updates, findings, changes } = compareIpas(old, next);
  expect(updates).toBe(!findings.some(({ severity }) => severity === 'error'));
  return [
    ...findings.map(({ severity, code }) => `${severity} ${code.replace('compare.', '')}`),
    ...changes.map(({ code }) => code.replace('compare.', '')),
  ];
};

describe('versions of Apple’s systems', () => {
  it('are compared number by number, as long as they are', () => {
    expect(compareVersions('1.10', '1.9')).toBe(1);
    expect(compareVersions('1.0', '1')).toBe(0);
    expect(compareVersions('2', '10')).toBe(-1);
    expect(compareVersions('20261129133000000001', '20261129133000000000')).toBe(1);
    for (const text of [undefined, '', '1.', '1.0-beta', 'x'])
      expect(compareVersions(text, '1')).toBe(undefined);
  });
});

describe('an update of an app of Apple’s systems', () => {
  it('needs the same app, and a higher version or build', () => {
    expect(found(later())).toEqual(['version']);
    expect(found(facts({ version: '1.0.1', build: '1' }))).toEqual([]);
    expect(found(facts())).toEqual(['error build']);
    expect(found(facts({ build: '6' }))).toEqual(['error build']);
    expect(found(facts({ version: '0.9.9', build: '8' }))).toEqual(['error version']);
    expect(found(later({ version: 'one' }))).toEqual(['warning build']);
    expect(found(later({ id: 'example.saltmarsh.other' }))).toContain('error id');
  });

  it('needs a signature, of the same team; another certificate will do', () => {
    const failed = signature({ verifies: false, verdict: 'failed' });
    expect(found(later({ signature: failed }))).toContain('error signature');
    expect(found(later({ signature: signature({ verdict: 'unsigned' }) }))).toContain('error signature');
    expect(found(later({ signature: signature({ verdict: 'by nobody' }) }))).toContain('warning kind');
    expect(found(later({ entitlements: [appId('OTHERTEAM1')] }))).toContain('error app-id');
    expect(found(later({ signature: signature({ certificates: [certificate('next')] }) }))).toEqual([
      'version',
      'signer',
    ]);
    expect(found(later({ profile: profile('store') }))).toContain('warning profile');
  });

  it('loses no device, and tells whom it leaves behind', () => {
    expect(found(later({ devices: ['phone'] }))).toContain('error devices');
    expect(found(later(), facts({ devices: ['phone'] }))).toContain('warning devices');
    expect(found(later({ minVersion: '16.4' }))).toContain('warning min-version');
    expect(found(later(), facts({ minVersion: '16.4' }))).toEqual(['version', 'min-version']);
  });

  it('tells what users are asked, what opens, and what the store shows', () => {
    expect(found(later({ permissions: [CAMERA] }))).toContain('warning permission');
    expect(found(later(), facts({ permissions: [CAMERA] }))).toContain('permission');
    const reworded = [{ ...CAMERA, reason: 'To scan tickets.' }];
    expect(found(later({ permissions: reworded }), facts({ permissions: [CAMERA] }))).toContain('permission');
    expect(found(later({ domains: [] }))).toContain('warning link');
    expect(found(later({ schemes: ['saltmarsh-ferry', 'ferry'] }))).toEqual(['version', 'link']);
    const push = { key: 'aps-environment', value: '"production"', allowed: true };
    expect(found(later({ entitlements: [appId('SALTMARSH1'), push] }))).toContain('entitlement');
    expect(found(later(), facts({ entitlements: [appId('SALTMARSH1'), push] }))).toContain(
      'warning entitlement',
    );
    expect(found(later({ transport: { arbitrary: true, hosts: [] } }))).toContain('warning transport');
    const privacy = {
      tracking: true,
      domains: [],
      collected: ['NSPrivacyCollectedDataTypeName'],
      reasons: [],
    };
    expect(found(later({ privacy })).filter((one) => one === 'warning privacy')).toHaveLength(2);
  });

  it('names files and sizes, and leaves out what signing writes', () => {
    const files = [
      { path: 'site/index.html', size: 500, packed: 500, crc32: 11 },
      { path: 'site/new.js', size: 10, packed: 10, crc32: 12 },
      { path: 'embedded.mobileprovision', size: 90, packed: 90, crc32: 13 },
      { path: '_CodeSignature/CodeResources', size: 90, packed: 90, crc32: 14 },
    ];
    const sizes = [{ part: 'web' as const, packed: 550, unpacked: 1000, files: 3 }];
    const comparison = compareIpas(facts(), later({ files, sizes, size: 1050 }));
    expect(comparison.files).toEqual({ added: ['site/new.js'], removed: [], changed: ['site/index.html'] });
    expect(comparison.sizes).toEqual([
      { part: 'web', before: 500, after: 550 },
      { part: 'package', before: 1000, after: 1050 },
    ]);
  });
});
