import { HullError } from '../../../errors.js';
import { ByteReader } from '../../../formats/bytes/reader.js';
import type { ByteSource } from '../../../formats/bytes/source.js';
import { ByteWriter } from '../../../formats/bytes/writer.js';

/** IDs of the signing block's pairs, and of attributes inside them (APK Signature Scheme v2, v3). */
export const BLOCK_ID = {
  v2: 0x7109871a,
  v3: 0xf05368c0,
  v31: 0x1b93ad61,
  padding: 0x42726577,
} as const;

const MAGIC = 'APK Sig Block 42';
const MAGIC_SIZE = 16;
const FOOTER = 8 + MAGIC_SIZE;
/** Blocks larger than this are refused: no signature comes near it. */
const MAX_SIZE = 64 * 1024 * 1024;

export interface BlockPair {
  readonly id: number;
  readonly value: Uint8Array;
}

export interface SigningBlock {
  /** Offset of the block's first byte, which is where the entries end. */
  readonly offset: number;
  /** Size in bytes with both size fields and the magic. */
  readonly size: number;
  readonly pairs: readonly BlockPair[];
}

/**
 * The block that stands between the entries and the central directory. Only digests in trees of pages (verity) want it padded to
 * whole pages; none are written here, and padding is in no signature.
 */
export function writeSigningBlock(pairs: readonly BlockPair[]): Uint8Array {
  const size = 8 + pairs.reduce((sum, pair) => sum + 12 + pair.value.length, 0) + FOOTER;
  const out = new ByteWriter(size).u64(BigInt(size - 8));
  for (const pair of pairs) {
    out
      .u64(BigInt(4 + pair.value.length))
      .u32(pair.id)
      .bytes(pair.value);
  }
  return out
    .u64(BigInt(size - 8))
    .utf8(MAGIC)
    .finish();
}

/**
 * The signing block that ends where the central directory starts, or `undefined` where there is none.
 *
 * @throws HullError `signing.malformed` where there is one and it is damaged
 */
export async function readSigningBlock(
  source: ByteSource,
  directoryOffset: number,
): Promise<SigningBlock | undefined> {
  if (directoryOffset < 8 + FOOTER) return undefined;
  const footer = await source.read(directoryOffset - FOOTER, FOOTER);
  if (Buffer.from(footer.subarray(8)).toString('latin1') !== MAGIC) return undefined;
  const stated = new ByteReader(footer, 'signing.malformed', 0, directoryOffset - FOOTER).u64(
    'the block size',
  );
  if (stated < BigInt(FOOTER) || stated > BigInt(Math.min(MAX_SIZE, directoryOffset - 8))) {
    throw new HullError(
      'signing.malformed',
      `The signing block says it has ${stated} bytes, which cannot be.`,
      {
        location: { offset: directoryOffset - FOOTER },
      },
    );
  }
  const size = Number(stated) + 8;
  const offset = directoryOffset - size;
  const reader = new ByteReader(await source.read(offset, size), 'signing.malformed', 0, offset);
  if (reader.u64('the block size') !== stated) {
    throw reader.fail('The two size fields of the signing block differ.', 0);
  }
  const pairs: BlockPair[] = [];
  const end = size - FOOTER;
  while (reader.at < end) {
    const length = reader.u64('a pair size');
    if (length < 4n || length > BigInt(end - reader.at)) {
      throw reader.fail(`A pair of ${length} bytes is not allowed in the signing block.`);
    }
    const id = reader.u32('a pair ID');
    pairs.push({ id, value: reader.take(Number(length) - 4, 'a pair') });
  }
  return { offset, size, pairs };
}
