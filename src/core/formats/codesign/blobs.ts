import { HullError } from '../../errors.js';
import { BLOB } from './types.js';

const HEADER = 8;
const INDEX_ROW = 8;
/** Parts of one signature: real ones have five to eight. */
const MAX_PARTS = 64;

export interface Blob {
  readonly slot: number;
  readonly magic: number;
  /** The whole blob, with magic and length: this is what is hashed. */
  readonly bytes: Uint8Array;
}

export function u32(...values: number[]): Buffer {
  const bytes = Buffer.alloc(4 * values.length);
  for (const [index, value] of values.entries()) bytes.writeUInt32BE(value >>> 0, 4 * index);
  return bytes;
}

export function malformed(message: string, offset: number): HullError {
  return new HullError('signing.malformed', `The code signature is malformed: ${message}`, {
    location: { offset },
  });
}

/** A body with its magic and length. */
export function makeBlob(magic: number, body: Uint8Array): Buffer {
  return Buffer.concat([u32(magic, HEADER + body.length), body]);
}

/** Blobs behind an index of their slots. */
export function makeSuperBlob(
  magic: number,
  parts: readonly (readonly [slot: number, bytes: Uint8Array])[],
): Buffer {
  let offset = 12 + INDEX_ROW * parts.length;
  const index = parts.map(([slot, bytes]) => {
    const row = u32(slot, offset);
    offset += bytes.length;
    return row;
  });
  return Buffer.concat([u32(magic, offset, parts.length), ...index, ...parts.map(([, bytes]) => bytes)]);
}

function headOf(
  bytes: Uint8Array,
  at: number,
  end: number,
): { readonly magic: number; readonly length: number } {
  if (at + HEADER > end) throw malformed('a part lies outside.', at);
  const view = new DataView(bytes.buffer, bytes.byteOffset + at, HEADER);
  const [magic, length] = [view.getUint32(0), view.getUint32(4)];
  if (length < HEADER || at + length > end) throw malformed('a part is longer than what holds it.', at);
  return { magic, length };
}

/** The body of a blob. */
export const bodyOf = (blob: Blob): Uint8Array => blob.bytes.subarray(HEADER);

/**
 * The parts of a super-blob. Bytes behind it are padding.
 *
 * @throws HullError `signing.malformed` with the offset in `bytes`
 */
export function readSuperBlob(bytes: Uint8Array, magic: number = BLOB.superBlob): Blob[] {
  const head = headOf(bytes, 0, bytes.length);
  if (head.magic !== magic) throw malformed('it is not a list of parts.', 0);
  if (head.length < 12) throw malformed('it is cut short.', 4);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const count = view.getUint32(8);
  const start = 12 + INDEX_ROW * count;
  if (count > MAX_PARTS || start > head.length) throw malformed(`it names ${count} parts.`, 8);
  const blobs: Blob[] = [];
  for (let i = 0; i < count; i += 1) {
    const [slot, offset] = [view.getUint32(12 + INDEX_ROW * i), view.getUint32(16 + INDEX_ROW * i)];
    if (offset < start) throw malformed('a part lies in its index.', 16 + INDEX_ROW * i);
    const part = headOf(bytes, offset, head.length);
    if (blobs.some((other) => other.slot === slot))
      throw malformed('a part is repeated.', 12 + INDEX_ROW * i);
    blobs.push({ slot, magic: part.magic, bytes: bytes.subarray(offset, offset + part.length) });
  }
  return blobs;
}
