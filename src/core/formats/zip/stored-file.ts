import { closeSync, openSync, readSync } from 'node:fs';
import { crc32 } from './crc32.js';
import { Digester } from './digest.js';
import { changed } from './small-file.js';
import type { EntryDigest, FileContent } from './types.js';

/** Bytes that are read at a time: they stay in the processor's cache. */
const PIECE = 256 * 1024;

export interface StoredFileTask {
  readonly content: Pick<FileContent, 'file' | 'size'>;
  readonly digest: EntryDigest;
}

/**
 * CRC-32 and digest of a file of any size that goes into an archive as it is, in the thread that calls it.
 *
 * @throws the system's errors; HullError `web.changed-while-packing`
 */
export function digestStoredFile({ content, digest }: StoredFileTask): {
  readonly crc32: number;
  readonly digest: Uint8Array;
} {
  const handle = openSync(content.file, 'r');
  try {
    const memory = new Uint8Array(PIECE);
    const hash = new Digester(digest);
    let [sum, size] = [0, 0];
    for (let count = readSync(handle, memory); count > 0; count = readSync(handle, memory)) {
      const piece = memory.subarray(0, count);
      sum = crc32(piece, sum);
      hash.update(piece);
      size += count;
      if (size > content.size) break;
    }
    if (size !== content.size) throw changed(content, size);
    return { crc32: sum, digest: hash.digest() };
  } finally {
    closeSync(handle);
  }
}
