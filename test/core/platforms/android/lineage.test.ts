import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { bytesSource } from '../../../../src/core/formats/bytes/source.js';
import { readZip } from '../../../../src/core/formats/zip/reader.js';
import type { Entry } from '../../../../src/core/formats/zip/types.js';
import { createIdentity } from '../../../../src/core/keys/create.js';
import type { KeystoreEntry } from '../../../../src/core/keys/pkcs12.js';
import {
  capabilitiesOf,
  decodeLineage,
  encodeLineage,
  lineageFaults,
  readLineageFile,
  succeed,
  writeLineageFile,
} from '../../../../src/core/platforms/android/signing/lineage.js';
import type { SigningPlan } from '../../../../src/core/platforms/android/signing/sign.js';
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

const entries: Entry[] = [
  {
    path: 'AndroidManifest.xml',
    content: Buffer.from('manifest '.repeat(40)),
    method: 'deflate',
    alignment: 4,
  },
];
let first: KeystoreEntry;
let second: KeystoreEntry;
let third: KeystoreEntry;

beforeAll(async () => {
  const ec = (alias: string, curve: 'P-256' | 'P-384') =>
    createIdentity({
      alias,
      key: { type: 'ec', curve },
      commonName: alias,
      years: 30,
      from: new Date('2026-01-01'),
    });
  first = await testIdentity();
  [second, third] = await Promise.all([ec('second', 'P-256'), ec('third', 'P-384')]);
});

async function judged(bytes: Buffer) {
  const source = bytesSource(bytes);
  return verifySignatures(source, await readZip(source), { min: 24, target: 36 });
}

async function signed(plan: SigningPlan): Promise<Buffer> {
  const file = join(temporaryFolder(), 'a.apk');
  await writeSignedPackage(file, entries, Promise.resolve(plan), { check: async () => undefined });
  return readFileSync(file);
}

describe('a lineage', () => {
  it('is read as it was written, of keys of any kind and any length', () => {
    const lineage = succeed(succeed([], first, second), second, third, ['installed-data', 'rollback']);
    expect(lineageFaults(lineage)).toEqual([]);
    expect(decodeLineage(encodeLineage(lineage)).map(({ flags }) => flags)).toEqual(
      lineage.map(({ flags }) => flags),
    );
    const read = readLineageFile(writeLineageFile(lineage));
    expect(read).toHaveLength(3);
    expect(read.map(capabilitiesOf)[1]).toEqual(['installed-data', 'rollback']);
    expect(read.map(capabilitiesOf)[0]).not.toContain('rollback');
  });

  it('takes no key twice, and none that nobody vouches for', async () => {
    const lineage = succeed([], first, second);
    await refused('signing.lineage', () => succeed(lineage, second, first));
    await refused('signing.lineage', () => succeed(lineage, first, third));
    const [old, next] = lineage as [(typeof lineage)[number], (typeof lineage)[number]];
    const forged = [old, { ...next, certificate: third.certificates[0] as Uint8Array }];
    expect(lineageFaults(forged).join()).toContain('does not vouch');
    expect(lineageFaults([old, { ...next, signedWith: 0x0201 }]).join()).toContain('two things');
    expect(lineageFaults([]).join()).toContain('no signer');
  });

  it('that is damaged is an error or a fault, never a crash', async () => {
    const whole = writeLineageFile(succeed(succeed([], first, second), second, third));
    await fc.assert(
      fc.asyncProperty(mutations(whole), async (bytes) => {
        await holdsAgainst(() => readLineageFile(bytes));
      }),
      { numRuns: 200 },
    );
  });
});

describe('a package of a key that succeeded another', () => {
  const plan = (since: number): SigningPlan => ({
    ...second,
    succession: { original: first, lineage: succeed([], first, second), since },
  });
  const signers = async (bytes: Buffer) =>
    (await judged(bytes)).schemes.map(({ scheme, signers: [one] }) => [
      scheme,
      one?.certificates[0] && Buffer.from(one.certificates[0]).equals(second.certificates[0] as Uint8Array)
        ? 'new'
        : 'old',
      one?.levels ? `${one.levels.min}-${one.levels.max === 0x7fffffff ? '' : one.levels.max}` : '',
    ]);

  it('is signed by the first for devices that know no lineage, and by the new one from its level on', async () => {
    expect(await signers(await signed(plan(33)))).toEqual([
      ['v2', 'old', ''],
      ['v3', 'old', '28-32'],
      ['v3.1', 'new', '33-'],
    ]);
    expect(await signers(await signed(plan(28)))).toEqual([
      ['v2', 'old', ''],
      ['v3', 'new', '28-'],
    ]);
    expect((await judged(await signed(plan(33)))).verifies).toBe(true);
  });

  it('holds only as a whole: what was stripped or swapped is told', async () => {
    const bytes = await signed(plan(33));
    const source = bytesSource(bytes);
    const layout = await readZip(source);
    const block = await readSigningBlock(source, layout.centralDirectory.offset);
    if (!block) throw new Error('there is no block');
    const rebuilt = (ids: readonly number[]) => {
      const pairs = block.pairs.filter(({ id }) => ids.includes(id));
      const other = Buffer.from(writeSigningBlock(pairs));
      const end = Buffer.from(bytes.subarray(layout.endRecord.offset));
      end.writeUInt32LE(block.offset + other.length, 16);
      const { offset, size } = layout.centralDirectory;
      return Buffer.concat([
        bytes.subarray(0, block.offset),
        other,
        bytes.subarray(offset, offset + size),
        end,
      ]);
    };
    const faults = async (ids: readonly number[]) =>
      (await judged(rebuilt(ids))).schemes.flatMap((scheme) => scheme.faults).join(' ');
    expect(await faults([BLOCK_ID.v2, BLOCK_ID.v3, BLOCK_ID.v31])).toBe('');
    expect(await faults([BLOCK_ID.v2, BLOCK_ID.v3])).toContain('v3.1 signature, and there is none');
    expect(await faults([BLOCK_ID.v2, BLOCK_ID.v31])).toContain('no v3 signature beside it');
  });

  it('is refused where the older scheme is by a stranger', async () => {
    const stranger = {
      ...second,
      succession: { original: third, lineage: succeed([], first, second), since: 28 },
    };
    const report = await judged(await signed(stranger));
    expect(report.verifies).toBe(false);
    expect(report.schemes.flatMap(({ faults }) => faults).join()).toContain('no lineage joins');
  });
});
