import { createHash, type Hash, webcrypto } from 'node:crypto';
import type { ByteSource } from '../bytes/source.js';
import { crc32 } from './crc32.js';
import { checkUnpacked, readEntry, readEntryInPieces } from './reader.js';
import type { EntryDigest, ZipEntry } from './types.js';

/** Up to this many bytes, the work takes less time than handing it to another thread does. */
export const AT_ONCE = 8 * 1024;
/** The same for a digest alone, of which a processor does a quarter of a GB a second or more. */
const DIGEST_AT_ONCE = 64 * 1024;
/** Entries up to this many bytes are unpacked as a whole; larger ones piece by piece. */
const WHOLE = 4 * 1024 * 1024;
/** Bytes of a stored entry that are digested at a time: they stay in the processor's cache. */
const PIECE = 256 * 1024;

/** One digest, or two at once. */
export class Digester {
  readonly #hashes: readonly Hash[];

  constructor(digest: EntryDigest) {
    this.#hashes = digest.split('+').map((name) => createHash(name));
  }

  update(bytes: Uint8Array): this {
    for (const hash of this.#hashes) hash.update(bytes);
    return this;
  }

  digest(): Uint8Array {
    return new Uint8Array(Buffer.concat(this.#hashes.map((hash) => hash.digest())));
  }
}

/** The digest of bytes in memory, off the main thread where that is worth it. */
export async function digestBytes(bytes: Uint8Array, digest: EntryDigest): Promise<Uint8Array> {
  if (bytes.length <= DIGEST_AT_ONCE) return new Digester(digest).update(bytes).digest();
  const names = digest.split('+').map((name) => (name === 'sha1' ? 'SHA-1' : 'SHA-256'));
  const digests = await Promise.all(names.map((name) => webcrypto.subtle.digest(name, bytes)));
  return new Uint8Array(Buffer.concat(digests.map((one) => new Uint8Array(one))));
}

/**
 * The digest of an entry's unpacked bytes, computed in this thread; they are checked like {@link readEntry}'s.
 *
 * @throws HullError `zip.malformed`
 */
export async function digestEntry(
  source: ByteSource,
  entry: ZipEntry,
  digest: EntryDigest,
): Promise<Uint8Array> {
  const sum = new Digester(digest);
  if (entry.method === 'store') return digestStored(source, entry, sum);
  if (Math.max(entry.compressedSize, entry.size) <= WHOLE) {
    return sum.update(await readEntry(source, entry)).digest();
  }
  for await (const piece of readEntryInPieces(source, entry)) sum.update(piece);
  return sum.digest();
}

/** What is stored is digested in memory that is used again: making room for it would take a fifth of the time. */
async function digestStored(source: ByteSource, entry: ZipEntry, sum: Digester): Promise<Uint8Array> {
  const memory = new Uint8Array(Math.min(PIECE, entry.compressedSize));
  let crc = 0;
  for (let done = 0; done < entry.compressedSize; done += PIECE) {
    const piece = memory.subarray(0, Math.min(PIECE, entry.compressedSize - done));
    const reading = source.readInto(piece, entry.dataOffset + done);
    if (reading) await reading;
    crc = crc32(piece, crc);
    sum.update(piece);
  }
  checkUnpacked(entry, entry.compressedSize, crc);
  return sum.digest();
}
