import { createHash, webcrypto } from 'node:crypto';
import type { ByteSource } from '../formats/bytes/source.js';
import type { DigestName } from './algorithms.js';

/** Chunk size of APK Signature Scheme v2, "Integrity-protected contents". */
const CHUNK = 1024 * 1024;
const CHUNK_PREFIX = 0xa5;
const WHOLE_PREFIX = 0x5a;
const HEAD = 5;
/** Chunks that may be hashed in the thread pool at one time. */
const PARALLEL = 4;

const WEB_CRYPTO_NAMES: Record<DigestName, string> = { sha256: 'SHA-256', sha512: 'SHA-512' };

/**
 * The content digest of APK Signature Scheme v2 and v3: each section is cut into chunks of 1 MiB, each chunk
 * hashed behind 0xa5 and its length, and the chunk digests hashed behind 0x5a and their number. Full chunks are
 * hashed in the thread pool; bytes are copied in, so a caller may reuse its buffers.
 */
export class ContentDigester {
  readonly #digests: readonly DigestName[];
  readonly #chunks: Map<DigestName, Promise<Uint8Array>[]>;
  readonly #buffer = new Uint8Array(HEAD + CHUNK);
  #filled = 0;
  readonly #pending: Promise<unknown>[] = [];

  constructor(digests: readonly DigestName[]) {
    this.#digests = digests;
    this.#chunks = new Map(digests.map((name) => [name, []]));
  }

  #hash(name: DigestName, bytes: Uint8Array): Promise<Uint8Array> {
    if (bytes.length <= CHUNK / 2) return Promise.resolve(createHash(name).update(bytes).digest());
    // Web Crypto copies its input before it returns.
    return webcrypto.subtle.digest(WEB_CRYPTO_NAMES[name], bytes).then((digest) => new Uint8Array(digest));
  }

  #flush(): void {
    if (this.#filled === 0) return;
    this.#buffer[0] = CHUNK_PREFIX;
    new DataView(this.#buffer.buffer).setUint32(1, this.#filled, true);
    const chunk = this.#buffer.subarray(0, HEAD + this.#filled);
    for (const name of this.#digests) {
      const digest = this.#hash(name, chunk);
      this.#chunks.get(name)?.push(digest);
      this.#pending.push(digest);
    }
    this.#filled = 0;
  }

  /** Adds bytes to the present section. The promise, where there is one, holds the caller back. */
  update(bytes: Uint8Array): Promise<void> | undefined {
    let at = 0;
    while (at < bytes.length) {
      const count = Math.min(CHUNK - this.#filled, bytes.length - at);
      this.#buffer.set(bytes.subarray(at, at + count), HEAD + this.#filled);
      this.#filled += count;
      at += count;
      if (this.#filled === CHUNK) this.#flush();
    }
    return this.#pending.length > PARALLEL * this.#digests.length ? this.#drain() : undefined;
  }

  /** Adds a range of a source, read to where it is hashed from. */
  async updateFrom(source: ByteSource, offset: number, size: number): Promise<void> {
    for (let done = 0; done < size; ) {
      const count = Math.min(CHUNK - this.#filled, size - done);
      await source.readInto(
        this.#buffer.subarray(HEAD + this.#filled, HEAD + this.#filled + count),
        offset + done,
      );
      this.#filled += count;
      done += count;
      if (this.#filled === CHUNK) this.#flush();
      if (this.#pending.length > PARALLEL * this.#digests.length) await this.#drain();
    }
  }

  /** Waits for the oldest chunks only, so that the pool never runs dry. */
  async #drain(): Promise<void> {
    while (this.#pending.length > PARALLEL * this.#digests.length) await this.#pending.shift();
  }

  /** Ends a section: the next bytes start a chunk of their own. */
  endSection(): void {
    this.#flush();
  }

  /** The content digest for each algorithm asked for. */
  async finish(): Promise<Map<DigestName, Uint8Array>> {
    this.#flush();
    const result = new Map<DigestName, Uint8Array>();
    for (const [name, chunks] of this.#chunks) {
      const hash = createHash(name);
      const head = new Uint8Array(HEAD);
      head[0] = WHOLE_PREFIX;
      new DataView(head.buffer).setUint32(1, chunks.length, true);
      hash.update(head);
      for (const digest of await Promise.all(chunks)) hash.update(digest);
      result.set(name, hash.digest());
    }
    return result;
  }
}

/** Where the sections of a signed package stand, in bytes from its start. */
export interface Sections {
  /** End of the entries and start of the signing block. */
  readonly contentsEnd: number;
  readonly centralDirectory: { readonly offset: number; readonly size: number };
  readonly endRecord: { readonly offset: number; readonly size: number };
}

/** Offset of the central directory's offset in the end record (APPNOTE.TXT 4.3.16). */
const END_RECORD_DIRECTORY_OFFSET = 16;

/** The end record as it is digested: it tells the signing block's start as the directory's (scheme v2). */
export function digestedEndRecord(record: Uint8Array, contentsEnd: number): Uint8Array {
  const copy = new Uint8Array(record);
  new DataView(copy.buffer).setUint32(END_RECORD_DIRECTORY_OFFSET, contentsEnd, true);
  return copy;
}

/** Digests a package on disk: its entries, central directory and end record, without the signing block. */
export async function digestPackage(
  source: ByteSource,
  sections: Sections,
  digests: readonly DigestName[],
): Promise<Map<DigestName, Uint8Array>> {
  const digester = new ContentDigester(digests);
  const range = async (offset: number, size: number) => {
    await digester.updateFrom(source, offset, size);
    digester.endSection();
  };
  await range(0, sections.contentsEnd);
  await range(sections.centralDirectory.offset, sections.centralDirectory.size);
  const { offset, size } = sections.endRecord;
  await digester.update(digestedEndRecord(await source.read(offset, size), sections.contentsEnd));
  return digester.finish();
}
