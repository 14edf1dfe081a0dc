import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { bytesSource } from '../../../../src/core/formats/bytes/source.js';
import { readZip } from '../../../../src/core/formats/zip/reader.js';
import type { Entry } from '../../../../src/core/formats/zip/types.js';
import { createIdentity } from '../../../../src/core/keys/create.js';
import type { KeystoreEntry } from '../../../../src/core/keys/pkcs12.js';
import { ContentDigester } from '../../../../src/core/platforms/android/signing/content-digest.js';
import { parseJarManifest } from '../../../../src/core/platforms/android/signing/jar-manifest.js';
import type { SignatureReport } from '../../../../src/core/platforms/android/signing/report.js';
import { signDigest } from '../../../../src/core/platforms/android/signing/sign.js';
import {
  BLOCK_ID,
  readSigningBlock,
  writeSigningBlock,
} from '../../../../src/core/platforms/android/signing/signing-block.js';
import { verifySignatures } from '../../../../src/core/platforms/android/signing/verify.js';
import { writeSignedPackage } from '../../../../src/core/platforms/android/signing/write-signed.js';
import { holdsAgainst, refused } from '../../../support/errors.js';
import { mutations } from '../../../support/hostile.js';
import { testIdentity } from '../../../support/identity.js';
import { temporaryFolder } from '../../../support/temporary.js';

const text = (value: string) => new TextEncoder().encode(value);
const entries: Entry[] = [
  { path: 'AndroidManifest.xml', content: text('manifest '.repeat(40)), method: 'deflate', alignment: 4 },
  { path: 'resources.arsc', content: text('table'), method: 'store', alignment: 4 },
];

async function judge(bytes: Uint8Array): Promise<SignatureReport> {
  const source = bytesSource(bytes);
  return verifySignatures(source, await readZip(source), { min: 24, target: 36 });
}

async function signed(identity: KeystoreEntry, list: readonly Entry[] = entries): Promise<Buffer> {
  const file = join(temporaryFolder(), 'signed.apk');
  await writeSignedPackage(file, list, Promise.resolve(identity), { check: async () => undefined });
  return readFileSync(file);
}

describe('a signed package', () => {
  let identity: KeystoreEntry;
  let bytes: Buffer;

  beforeAll(async () => {
    identity = await testIdentity();
    bytes = await signed(identity);
  });

  it('verifies by v2 and v3, with the certificate it was signed with', async () => {
    const report = await judge(bytes);
    expect(report.verifies).toBe(true);
    expect(report.schemes.map((scheme) => `${scheme.scheme} ${scheme.state}`)).toEqual([
      'v2 verified',
      'v3 verified',
    ]);
    for (const scheme of report.schemes) {
      expect(Buffer.from(scheme.signers[0]?.certificates[0] as Uint8Array)).toEqual(
        Buffer.from(identity.certificates[0] as Uint8Array),
      );
    }
    expect(report.schemes[1]?.signers[0]?.levels).toEqual({ min: 28, max: 0x7fffffff });
  });

  it('has the same bytes when it is signed again', async () => {
    expect(await signed(identity)).toEqual(bytes);
  });

  it('never verifies, crashes or hangs with any byte changed', async () => {
    await fc.assert(
      fc.asyncProperty(fc.nat(bytes.length - 1), fc.integer({ min: 1, max: 255 }), async (at, bits) => {
        const bad = Buffer.from(bytes);
        bad[at] = (bad[at] as number) ^ bits;
        const outcome = await holdsAgainst(async () => {
          const report = await judge(bad);
          expect(report.verifies, `byte ${at}`).toBe(false);
        });
        expect(outcome).toBeDefined();
      }),
      { numRuns: 800 },
    );
  });

  it('holds its reader against any mutation of its end', async () => {
    await fc.assert(
      fc.asyncProperty(mutations(bytes.subarray(-6000)), async (tail) => {
        await holdsAgainst(() => judge(Buffer.concat([bytes.subarray(0, -6000), tail])));
      }),
      { numRuns: 600 },
    );
  });

  it('tells that a v3 signature was taken away', async () => {
    const source = bytesSource(bytes);
    const layout = await readZip(source);
    const block = await readSigningBlock(source, layout.centralDirectory.offset);
    if (block === undefined) throw new Error('there is no block');
    const onlyV2 = writeSigningBlock(block.pairs.filter((pair) => pair.id === BLOCK_ID.v2));
    const end = Buffer.from(bytes.subarray(layout.endRecord.offset));
    end.writeUInt32LE(block.offset + onlyV2.length, 16);
    const stripped = Buffer.concat([
      bytes.subarray(0, block.offset),
      onlyV2,
      bytes.subarray(layout.centralDirectory.offset, layout.endRecord.offset),
      end,
    ]);
    const report = await judge(stripped);
    expect(report.verifies).toBe(false);
    expect(report.schemes[0]?.faults.join()).toContain('stripped');
  });

  it('is not signed at all without its block, and says so by naming no scheme', async () => {
    const { writeZip } = await import('../../../../src/core/formats/zip/writer.js');
    const report = await judge(await writeZip(entries));
    expect(report).toEqual({ schemes: [], verifies: false, verdict: 'unsigned', gaps: [], blockSize: 0 });
  });
});

describe('signing', () => {
  it('leaves nothing behind when the check of the written package fails', async () => {
    const dir = temporaryFolder();
    const identity = testIdentity();
    const run = writeSignedPackage(join(dir, 'x.apk'), entries, identity, {
      check: async () => {
        throw new Error('no');
      },
    });
    await expect(run).rejects.toThrow('no');
    expect(readdirSync(dir)).toEqual([]);
  });

  it('leaves an older package as it was when it is stopped half-way', async () => {
    const dir = temporaryFolder();
    const file = join(dir, 'x.apk');
    writeFileSync(file, 'the older one');
    const stop = new AbortController();
    const run = writeSignedPackage(file, entries, testIdentity(), {
      signal: stop.signal,
      onEntry: () => stop.abort(),
      check: async () => undefined,
    });
    await expect(run).rejects.toThrow();
    expect(readdirSync(dir)).toEqual(['x.apk']);
    expect(readFileSync(file, 'utf8')).toBe('the older one');
  });

  it('works with a key of 4096 bits', async () => {
    const large = await createIdentity({
      alias: 'a',
      key: { type: 'rsa', bits: 4096 },
      commonName: 'x',
      years: 30,
      from: new Date(),
    });
    expect((await judge(await signed(large))).verifies).toBe(true);
  });

  it('refuses a certificate that belongs to another key', async () => {
    const one = await testIdentity();
    const other = await createIdentity({
      alias: 'a',
      key: { type: 'rsa', bits: 2048 },
      commonName: 'x',
      years: 30,
      from: new Date(),
    });
    await refused('signing.unsupported', () =>
      signDigest({ privateKey: one.privateKey, certificates: other.certificates }, new Uint8Array(32)),
    );
  });
});

describe('the content digest', () => {
  const digest = async (parts: readonly Uint8Array[]) => {
    const digester = new ContentDigester(['sha256', 'sha512']);
    for (const part of parts) await digester.update(part);
    const result = await digester.finish();
    return [...result.values()].map((value) => Buffer.from(value).toString('hex'));
  };

  it('does not depend on how the bytes arrive, and copies what it is given', async () => {
    const whole = Buffer.alloc(3 * 1024 * 1024 + 77, 'saltmarsh ');
    const expected = await digest([whole]);
    const pieces: Buffer[] = [];
    for (let at = 0; at < whole.length; at += 300_001) pieces.push(whole.subarray(at, at + 300_001));
    expect(await digest(pieces)).toEqual(expected);
    const reused = Buffer.alloc(300_001);
    const digester = new ContentDigester(['sha256', 'sha512']);
    for (const piece of pieces) {
      piece.copy(reused);
      await digester.update(reused.subarray(0, piece.length));
      reused.fill(0);
    }
    const again = await digester.finish();
    expect([...again.values()].map((value) => Buffer.from(value).toString('hex'))).toEqual(expected);
  });
});

describe('the signing block', () => {
  it('gives back its pairs', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.record({ id: fc.nat(0x7fffffff), value: fc.uint8Array({ maxLength: 5000 }) }), {
          maxLength: 5,
        }),
        async (pairs) => {
          const block = writeSigningBlock(pairs);
          const found = await readSigningBlock(bytesSource(block), block.length);
          const kept = found?.pairs ?? [];
          expect(kept.map((pair) => pair.id)).toEqual(pairs.map((pair) => pair.id));
          kept.forEach((pair, index) => {
            expect(Buffer.compare(pair.value, pairs[index]?.value ?? new Uint8Array([1]))).toBe(0);
          });
        },
      ),
      { numRuns: 100 },
    );
  });

  it('with a hostile length is refused', async () => {
    const block = Buffer.from(writeSigningBlock([{ id: BLOCK_ID.v2, value: new Uint8Array(8) }]));
    block.writeBigUInt64LE(0x7fffffffffffffffn, 8);
    await refused('signing.malformed', () => readSigningBlock(bytesSource(block), block.length));
    block.writeBigUInt64LE(0xffffffffffffffffn, block.length - 24);
    await refused('signing.malformed', () => readSigningBlock(bytesSource(block), block.length));
  });
});

describe('a JAR manifest', () => {
  const bytes = (value: string) => new TextEncoder().encode(value);

  it('is cut into sections without losing a byte, whatever it is', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 400 }), (manifest) => {
        const sections = parseJarManifest(manifest);
        expect(Buffer.concat(sections.map((section) => section.bytes)).equals(Buffer.from(manifest))).toBe(
          true,
        );
      }),
    );
  });

  it('joins the lines that go on, and knows every kind of line end', () => {
    for (const end of ['\r\n', '\n', '\r']) {
      const lines = [
        'Manifest-Version: 1.0',
        '',
        'Name: assets/site/a-',
        ' long-name.js',
        'SHA-256-Digest: abc=',
        '',
      ];
      const [main, section] = parseJarManifest(bytes(lines.join(end) + end));
      expect(main?.attributes.get('manifest-version')).toBe('1.0');
      expect(section?.name).toBe('assets/site/a-long-name.js');
      expect(section?.attributes.get('sha-256-digest')).toBe('abc=');
    }
  });
});
