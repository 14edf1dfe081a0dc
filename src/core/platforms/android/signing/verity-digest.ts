import { createHash } from 'node:crypto';
import type { ByteSource } from '../../../formats/bytes/source.js';
import { digestedEndRecord, type Sections } from './content-digest.js';

/** Pages of the tree, in bytes (fs-verity; APK Signature Scheme v2, "verity" algorithms). */
const PAGE = 4096;
const HASH = 32;
/** The salt of every hash: zero bytes. */
const SALT = Buffer.alloc(8);
/** Bytes that are read at a time; a multiple of the page. */
const PIECE = 256 * PAGE;

const hashPage = (page: Uint8Array) => createHash('sha256').update(SALT).update(page).digest();

/** Hashes bytes page by page as they come; the last page is filled with zeros. */
class PageHasher {
  readonly #page = Buffer.alloc(PAGE);
  readonly #hashes: Buffer[] = [];
  #filled = 0;

  update(bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length; ) {
      const count = Math.min(PAGE - this.#filled, bytes.length - done);
      this.#page.set(bytes.subarray(done, done + count), this.#filled);
      this.#filled += count;
      done += count;
      if (this.#filled === PAGE) this.#flush();
    }
  }

  #flush(): void {
    this.#hashes.push(hashPage(this.#page));
    this.#page.fill(0);
    this.#filled = 0;
  }

  finish(): Buffer {
    if (this.#filled > 0) this.#flush();
    return Buffer.concat(this.#hashes);
  }
}

/**
 * The content digest of the verity algorithms: the root of a hash tree over entries, central directory and end record, and
 * the number of bytes in them (32 bytes, then 8, little-endian).
 *
 * @returns a sentence where a package of this layout cannot have one
 */
export async function verityDigest(source: ByteSource, sections: Sections): Promise<Uint8Array | string> {
  const { contentsEnd, centralDirectory, endRecord } = sections;
  if (contentsEnd % PAGE !== 0)
    return `Its verity digest needs entries that end at a multiple of ${PAGE} bytes.`;
  if ((centralDirectory.offset - contentsEnd) % PAGE !== 0)
    return `Its verity digest needs a signing block whose size is a multiple of ${PAGE} bytes.`;
  const hasher = new PageHasher();
  for (const [start, size] of [
    [0, contentsEnd],
    [centralDirectory.offset, centralDirectory.size],
  ] as const) {
    for (let done = 0; done < size; done += PIECE) {
      hasher.update(await source.read(start + done, Math.min(PIECE, size - done)));
    }
  }
  hasher.update(digestedEndRecord(await source.read(endRecord.offset, endRecord.size), contentsEnd));
  let level = hasher.finish();
  while (level.length > PAGE) {
    const next = new PageHasher();
    next.update(level);
    level = next.finish();
  }
  const top = Buffer.alloc(PAGE);
  top.set(level);
  const digest = Buffer.alloc(HASH + 8);
  digest.set(hashPage(top));
  digest.writeBigUInt64LE(BigInt(contentsEnd + centralDirectory.size + endRecord.size), HASH);
  return digest;
}
