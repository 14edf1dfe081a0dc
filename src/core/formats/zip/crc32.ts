import * as zlib from 'node:zlib';

let table: Int32Array | undefined;

function buildTable(): Int32Array {
  const rows = new Int32Array(256);
  for (let n = 0; n < 256; n += 1) {
    let c = n;
    for (let bit = 0; bit < 8; bit += 1) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1;
    rows[n] = c;
  }
  return rows;
}

/** CRC-32 in plain JavaScript, for the Node.js versions (before 20.15) whose zlib does not offer it. */
export function crc32Portable(bytes: Uint8Array, start = 0): number {
  table ??= buildTable();
  let c = ~start;
  for (let i = 0; i < bytes.length; i += 1) {
    c = (table[(c ^ (bytes[i] as number)) & 0xff] as number) ^ (c >>> 8);
  }
  return ~c >>> 0;
}

const native = (zlib as { crc32?: (bytes: Uint8Array, start?: number) => number }).crc32;

/** CRC-32 (ISO 3309, as APPNOTE.TXT 4.4.7 has it) of `bytes`, going on from `start`. An unsigned 32-bit integer. */
export const crc32: (bytes: Uint8Array, start?: number) => number = native ?? crc32Portable;
