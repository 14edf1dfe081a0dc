import { mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { writeBundleSettings } from '../../../../src/core/formats/aab/config.js';
import { writeProtoTable } from '../../../../src/core/formats/aab/table.js';
import { writeProtoXml } from '../../../../src/core/formats/aab/xml.js';
import { writeBinaryXml } from '../../../../src/core/formats/axml/writer.js';
import type { Entry } from '../../../../src/core/formats/zip/types.js';
import { writeZip } from '../../../../src/core/formats/zip/writer.js';
import { android, element, plain } from '../../../../src/core/platforms/android/app/xml.js';
import { inspectPackage } from '../../../../src/core/platforms/android/inspect/inspect.js';
import { resign } from '../../../../src/core/platforms/android/package/resign.js';
import { universalApk } from '../../../../src/core/platforms/android/package/universal.js';
import { holdsAgainst, refused } from '../../../support/errors.js';
import { mutations } from '../../../support/hostile.js';
import { testIdentity } from '../../../support/identity.js';
import { temporaryFolder } from '../../../support/temporary.js';

/** Bundles and packages that somebody made, well or ill. */

const manifest = element(
  'manifest',
  [plain('package', 'example.saltmarsh.ferry'), android('versionCode', 3)],
  [element('uses-sdk', [android('minSdkVersion', 24)]), element('application', [android('label', 'Ferry')])],
);
const file = (path: string, content: Uint8Array): Entry => ({
  path,
  content,
  method: 'deflate',
  alignment: 1,
});
const bundle = (...more: Entry[]) =>
  writeZip([
    file('BundleConfig.pb', writeBundleSettings({ version: '1.0.0', splits: [], uncompressed: [] })),
    file('base/manifest/AndroidManifest.xml', writeProtoXml(manifest)),
    file('base/resources.pb', writeProtoTable({ packages: [] })),
    file('base/dex/classes.dex', Buffer.from('dex')),
    ...more,
  ]);

let dir: string;
let count = 0;
const kept = (bytes: Uint8Array, ending = 'aab') => {
  count += 1;
  const path = join(dir, `${count}.${ending}`);
  writeFileSync(path, bytes);
  return path;
};
const sign = (path: string) =>
  resign({ file: path, plan: testIdentity(), v1: 'auto', signerName: 'TEST', out: `${path}.out` });
const universal = (path: string) =>
  universalApk({ file: path, outDir: dir, plan: testIdentity(), signerName: 'TEST' });

beforeAll(() => {
  dir = temporaryFolder();
});

describe('a bundle that is damaged', () => {
  it('is an error with a reason, wherever the damage is and whatever is done with it', async () => {
    const whole = await bundle();
    await fc.assert(
      fc.asyncProperty(mutations(whole), async (bytes) => {
        const path = kept(bytes);
        await holdsAgainst(() => inspectPackage(path));
        await holdsAgainst(() => universal(path));
        await holdsAgainst(() => sign(path));
      }),
      { numRuns: 120 },
    );
  });

  it('without a manifest, with a module on demand, or that is none, is told apart', async () => {
    expect((await inspectPackage(kept(await bundle()))).bundle?.modules).toHaveLength(1);
    const twice = kept(await bundle(file('maps/manifest/AndroidManifest.xml', writeProtoXml(manifest))));
    expect((await universal(twice)).leftOut).toEqual(['maps']);
    const bare = kept(await writeZip([file('BundleConfig.pb', new Uint8Array())]));
    await refused('bundle.malformed', () => universal(bare));
    await refused('bundle.malformed', () => inspectPackage(bare));
    await refused('package.unknown', async () =>
      sign(kept(await writeZip([file('a.txt', new Uint8Array(3))]))),
    );
  });
});

describe('a bundle’s signature', () => {
  it('does not hold where bytes stand that belong to no file', async () => {
    const path = kept(await bundle());
    await sign(path);
    const whole = readFileSync(`${path}.out`);
    const judged = async (bytes: Buffer) => (await inspectPackage(kept(bytes))).signature;
    expect((await judged(whole)).verifies).toBe(true);
    const end = whole.length - 22;
    const directory = whole.readUInt32LE(end + 16);
    const between = Buffer.concat([
      whole.subarray(0, directory),
      Buffer.alloc(16, 7),
      whole.subarray(directory),
    ]);
    between.writeUInt32LE(directory + 16, between.length - 6);
    expect((await judged(between)).schemes[0]?.faults.join()).toContain('belong to no file');
    // Before the first file: every offset moves along.
    const before = Buffer.concat([Buffer.alloc(8, 7), whole]);
    before.writeUInt32LE(directory + 8, before.length - 6);
    for (let at = before.indexOf('PK\x01\x02'); at !== -1; at = before.indexOf('PK\x01\x02', at + 1)) {
      before.writeUInt32LE(before.readUInt32LE(at + 42) + 8, at + 42);
    }
    expect((await judged(before)).schemes[0]?.faults.join()).toContain('before the first file');
  });
});

/** Overwrites a name of the same length in every header. */
function renamed(bytes: Uint8Array, from: string, to: string): Buffer {
  const copy = Buffer.from(bytes);
  const [old, next] = [Buffer.from(from), Buffer.from(to)];
  for (let at = copy.indexOf(old); at !== -1; at = copy.indexOf(old, at + 1)) next.copy(copy, at);
  return copy;
}

describe('names and sizes that lie', () => {
  it.each([
    ['../escaped', 'assets/abc'],
    ['/etc/hosts', 'assets/abc'],
    ['as\0sets/ab', 'assets/abc'],
  ])('%j is never written, and never followed', async (hostile, honest) => {
    const bytes = renamed(await bundle(file(honest, Buffer.from('x'))), honest, hostile);
    const path = kept(bytes);
    await refused('zip.path', () => sign(path));
    const apk = renamed(
      await writeZip([
        file('AndroidManifest.xml', writeBinaryXml(manifest)),
        { ...file(honest, Buffer.from('x')), method: 'store', alignment: 4 },
      ]),
      honest,
      hostile,
    );
    await refused('zip.path', () => sign(kept(apk, 'apk')));
    const facts = await inspectPackage(path);
    expect(facts.files.some((one) => one.path === hostile)).toBe(true);
  });

  it('a claim of 4 GB, a wrong checksum, an encrypted entry and another method are refused in time', async () => {
    const whole = Buffer.from(await bundle());
    const central = whole.lastIndexOf(Buffer.from('PK\x01\x02'));
    const local = whole.lastIndexOf(Buffer.from('PK\x03\x04'));
    const changed = (change: (bytes: Buffer) => void) => {
      const copy = Buffer.from(whole);
      change(copy);
      return kept(copy);
    };
    await refused('zip.malformed', () =>
      sign(changed((bytes) => bytes.writeUInt32LE(0xfffffff0, central + 20))),
    );
    await refused('zip.malformed', () =>
      sign(
        changed((bytes) => {
          bytes.writeUInt16LE(1, central + 8);
          bytes.writeUInt16LE(1, local + 6);
        }),
      ),
    );
    await refused('zip.malformed', () =>
      sign(
        changed((bytes) => {
          bytes.writeUInt16LE(14, central + 10);
          bytes.writeUInt16LE(14, local + 8);
        }),
      ),
    );
    await refused('zip.malformed', () =>
      sign(changed((bytes) => bytes.writeUInt32LE(0x12345678, central + 16))),
    );
    await refused('zip.malformed', () =>
      sign(changed((bytes) => bytes.writeUInt32LE(1 << 30, central + 24))),
    );
  });

  it('more files than the format counts are refused, as many as it counts are signed', async () => {
    const many = Array.from({ length: 20_000 }, (_, index) => ({
      ...file(`assets/${index}`, Buffer.from('x')),
      method: 'store' as const,
    }));
    const path = kept(await bundle(...many));
    mkdirSync(join(dir, 'many'), { recursive: true });
    const { size } = await sign(path);
    expect(size).toBeGreaterThan(statSync(path).size);
    expect((await inspectPackage(`${path}.out`)).signature.verifies).toBe(true);
    const tooMany = Buffer.from(readFileSync(path));
    // The end record's two counts: more than there is room for.
    tooMany.writeUInt16LE(0xffff, tooMany.length - 12);
    tooMany.writeUInt16LE(0xffff, tooMany.length - 14);
    await refused('zip.malformed', () => inspectPackage(kept(tooMany)));
  }, 60_000);
});
