import { closeSync, openSync, readSync } from 'node:fs';
import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { fromSystemError, HullError } from '../../errors.js';
import { crc32 } from './crc32.js';
import { Digester } from './digest.js';
import type { EntryDigest, FileContent, Method } from './types.js';

/** Of zlib: devices install packages as they are, so size counts more than time. */
export const LEVEL = 6;

/** The error of a file that is not what it was when its folder was listed. @param found its bytes now */
export function changed(content: FileContent, found: number): HullError {
  return new HullError(
    'web.changed-while-packing',
    `The file had ${content.size} bytes when the folder was listed and has ${found} now.`,
    {
      location: { file: content.file },
      fix: 'Wait until the build that writes this folder has ended, then pack again.',
    },
  );
}

/**
 * The whole of a file that is known to be small: reading it at once costs less than asking for it piece by piece.
 *
 * @throws HullError `file.missing`, `disk.*`, `web.changed-while-packing`
 */
export function readSmall(content: FileContent): Uint8Array {
  let handle: number | undefined;
  try {
    handle = openSync(content.file, 'r');
    const bytes = new Uint8Array(content.size + 1);
    let [done, count] = [0, 0];
    do {
      // One byte more is asked for than there should be: a file that has grown gives it.
      count = readSync(handle, bytes, done, bytes.length - done, null);
      done += count;
    } while (count > 0 && done < content.size);
    if (done !== content.size) throw changed(content, done);
    return bytes.subarray(0, content.size);
  } catch (error) {
    throw fromSystemError(error, content.file);
  } finally {
    if (handle !== undefined) closeSync(handle);
  }
}

/** Deflated bytes in an open archive that may be those of a file of the same size. */
export interface Candidate {
  /** Descriptor of the archive, open until the work is done. */
  readonly fd: number;
  /** In bytes from the archive's start. */
  readonly offset: number;
  readonly compressedSize: number;
  readonly crc32: number;
}

export interface SmallFileTask {
  readonly content: Pick<FileContent, 'file' | 'size'>;
  readonly method: Method;
  readonly digest: EntryDigest | undefined;
  readonly candidates: readonly Candidate[];
}

export interface CompressedFile {
  readonly method: Method;
  readonly crc32: number;
  /** The bytes to write. */
  readonly body: Uint8Array;
  /** Of the unpacked bytes. */
  readonly digest: Uint8Array | undefined;
}

/** The deflated bytes of a candidate, where unpacked they are just these. */
function sameIn({ fd, offset, compressedSize }: Candidate, bytes: Uint8Array): Uint8Array | undefined {
  const packed = new Uint8Array(compressedSize);
  if (readSync(fd, packed, 0, compressedSize, offset) !== compressedSize) return undefined;
  const unpacked = inflateRawSync(packed, { maxOutputLength: Math.max(1, bytes.length) });
  return Buffer.compare(unpacked, bytes) === 0 ? packed : undefined;
}

/**
 * Reads and compresses a small file in the thread that calls it: the same bytes as `prepare` gives.
 *
 * @throws HullError `file.missing`, `disk.*`, `web.changed-while-packing`; and what zlib throws where an archive is damaged
 */
export function compressFile({ content, method, digest, candidates }: SmallFileTask): CompressedFile {
  const bytes = readSmall(content);
  const sum = crc32(bytes);
  const rest = { crc32: sum, digest: digest && new Digester(digest).update(bytes).digest() };
  if (method === 'deflate' && bytes.length > 0) {
    const candidate = candidates.find((one) => one.crc32 === sum);
    const body = (candidate && sameIn(candidate, bytes)) ?? deflateRawSync(bytes, { level: LEVEL });
    if (body.length < bytes.length) return { ...rest, method, body };
  }
  return { ...rest, method: 'store', body: bytes };
}
