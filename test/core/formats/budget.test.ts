import { describe, expect, it } from 'vitest';
import { HullError } from '../../../src/core/errors.js';
import { readProtoTable } from '../../../src/core/formats/aab/table.js';
import { readProtoXml } from '../../../src/core/formats/aab/xml.js';
import { readBinaryXml } from '../../../src/core/formats/axml/reader.js';
import { CHUNK } from '../../../src/core/formats/axml/types.js';
import { Budget } from '../../../src/core/formats/bytes/budget.js';
import { ByteReader } from '../../../src/core/formats/bytes/reader.js';
import { readStringPool } from '../../../src/core/formats/string-pool/string-pool.js';
import { fromDer } from '../../../src/core/keys/asn1.js';
import { chargeRounds, inSlices, pkcs12Derive } from '../../../src/core/keys/kdf.js';
import { parseJarManifest } from '../../../src/core/platforms/android/signing/jar-manifest.js';
import { refused } from '../../support/errors.js';
import { TEXT_READERS } from '../../support/families.js';

const u16 = (value: number) => Buffer.from(Uint16Array.of(value).buffer);
const u32 = (value: number) => Buffer.from(Uint32Array.of(value).buffer);
const chunk = (type: number, headerSize: number, ...parts: Buffer[]) => {
  const body = Buffer.concat(parts);
  return Buffer.concat([u16(type), u16(headerSize), u32(8 + body.length), body]);
};

/** A string pool whose offsets all point at one string. */
function sharedPool(count: number, length: number, encoding: 'utf-8' | 'utf-16'): Buffer {
  const text =
    encoding === 'utf-8'
      ? Buffer.concat([
          Buffer.of(0xff, 0xff, 0x80 | (length >> 8), length & 0xff),
          Buffer.alloc(length, 0x61),
          Buffer.of(0),
        ])
      : Buffer.concat([
          u16(0x8000 | (length >> 16)),
          u16(length & 0xffff),
          Buffer.alloc(length * 2, 0x61),
          u16(0),
        ]);
  const offsets = Buffer.alloc(count * 4);
  const padded = Buffer.concat([text, Buffer.alloc((4 - (text.length % 4)) % 4)]);
  return chunk(
    0x0001,
    28,
    u32(count),
    u32(0),
    u32(encoding === 'utf-8' ? 0x100 : 0),
    u32(28 + count * 4),
    u32(0),
    offsets,
    padded,
  );
}

describe('a budget', () => {
  it('is in proportion to the size of its file, and ends in an error that says so', async () => {
    const small = new Budget(100);
    small.charge('text', 100_000);
    await refused('file.over-budget', () => small.charge('text', 1_000_000));
    const large = new Budget(1_000_000);
    large.charge('text', 1_100_000);
    expect(large.spent('text')).toBe(1_100_000);
  });

  it.each(['utf-8', 'utf-16'] as const)(
    'stops a pool of %s strings that are all the same one',
    async (encoding) => {
      const length = encoding === 'utf-8' ? 0x7f00 : 1_000_000;
      const pool = sharedPool(4000, length, encoding);
      await refused('file.over-budget', () => readStringPool(new ByteReader(pool, 'string-pool.malformed')));
      expect(
        readStringPool(new ByteReader(sharedPool(2, length, encoding), 'string-pool.malformed')),
      ).toHaveLength(2);
    },
  );

  it('stops attributes that all use one long string', async () => {
    const attributes = 3000;
    const length = 0x7f00;
    const element = (count: number) => {
      const one = Buffer.concat([u32(0xffffffff), u32(0), u32(0), u16(8), Buffer.of(0, 3), u32(0)]);
      const body = [
        u32(1),
        u32(0xffffffff),
        u32(0xffffffff),
        u32(0),
        u16(20),
        u16(20),
        u16(count),
        u16(0),
        u16(0),
        u16(0),
      ];
      return chunk(CHUNK.startElement, 16, ...body, ...Array.from({ length: count }, () => one));
    };
    const end = chunk(CHUNK.endElement, 16, u32(1), u32(0xffffffff), u32(0xffffffff), u32(0));
    const document = (count: number) =>
      chunk(CHUNK.xml, 8, sharedPool(1, length, 'utf-8'), element(count), end);
    await refused('file.over-budget', () => readBinaryXml(document(attributes)));
    expect(readBinaryXml(document(3)).attributes).toHaveLength(3);
  });

  it('stops protobuf messages of empty elements, and nesting', async () => {
    const empty = Buffer.concat(Array.from({ length: 5_000_000 }, () => Buffer.of(0x12, 0)));
    await refused('file.over-budget', () => readProtoTable(empty));
    let nested: Buffer = Buffer.alloc(0);
    const varint = (value: number): Buffer =>
      value < 128 ? Buffer.of(value) : Buffer.concat([Buffer.of((value & 0x7f) | 0x80), varint(value >> 7)]);
    for (let depth = 0; depth < 400; depth += 1) {
      const child = Buffer.concat([Buffer.of(0x2a), varint(nested.length), nested]);
      nested = Buffer.concat([Buffer.of(0x0a), varint(child.length), child]);
    }
    await refused('bundle.malformed', () => readProtoXml(nested));
  });

  it('stops ASN.1 of nothing but empty elements, and manifests of nothing but lines', async () => {
    await refused('file.over-budget', () => fromDer(Buffer.alloc(400_000, Buffer.of(5, 0)), 'the file'));
    await refused('file.over-budget', () => parseJarManifest(Buffer.alloc(400_000, '\n')));
  });

  it('holds the key derivation of a whole file together, before any of it begins', async () => {
    const budget = new Budget(100);
    const all = await Promise.allSettled(Array.from({ length: 500 }, () => chargeRounds(budget, 8_000_000)));
    expect(all.every(({ status }) => status === 'rejected')).toBe(true);
    const derivation = {
      password: 'x',
      salt: Buffer.alloc(8),
      iterations: 9_000_000,
      hash: 'sha1',
      purpose: 3,
      length: 20,
    };
    await refused('file.over-budget', () => pkcs12Derive(derivation, new Budget(100)));
  });

  it('lets other work in while keys are derived', async () => {
    let turns = 0;
    const timer = setInterval(() => {
      turns += 1;
    }, 1);
    let rounds = 0;
    await inSlices(2_000_000, () => {
      rounds += Math.sqrt(rounds) >= 0 ? 1 : 0;
    });
    clearInterval(timer);
    expect(rounds).toBe(2_000_000);
    expect(turns).toBeGreaterThan(0);
  });
});

describe('readers of text', () => {
  const MANY = 128_000;
  /** Against hanging: a reader that takes time with the square of its input needs many times as long. */
  const PATIENCE = 90_000;
  const cases = TEXT_READERS.flatMap(({ name, families, read }) =>
    families.map((family) => [name, family.name, family, read] as const),
  );

  it.each(cases)(
    'of %s read much of anything, or say clearly why not: %s',
    (_reader, _name, family, read) => {
      try {
        read(family.make(MANY));
      } catch (error) {
        expect(error).toBeInstanceOf(HullError);
      }
    },
    PATIENCE,
  );
});
