import { createHash, webcrypto } from 'node:crypto';
import { availableParallelism } from 'node:os';
import type { ByteSource } from '../../../formats/bytes/source.js';
import type { DigestName } from './algorithms.js';

/** Chunk size of APK Signature Scheme v2, "Integrity-protected contents". */
const CHUNK = 1024 * 1024;
const CHUNK_PREFIX = 0xa5;
const WHOLE_PREFIX = 0x5a;
const HEAD = 5;
/** Chunks that may be in the thread pool at one time: one for each core but the one that reads, which hashes too. */
const PARALLEL = Math.min(4, Math.max(1, availableParallelism() - 1));

const WEB_CRYPTO_NAMES: Record<DigestName, string> = { sha256: 'SHA-256', sha512: 'SHA-512' };

/** The digests of a package's first section, chunk by chunk: what is left to digest is short. */
export interface ContentsDigest {
  /** Where the section ends, in bytes from the package's start. */
  readonly end: number;
  readonly chunks: ReadonlyMap<DigestName, readonly Uint8Array[]>;
}

/** Memory of digests that are done: of a thousand packages, the next takes that of the one before. */
const spare: Uint8Array[] = [];

/**
 * The content digest of APK Signature Scheme v2 and v3: each section is cut into chunks of 1 MiB, each chunk
 * hashed behind 0xa5 and its length, and the chunk digests hashed behind 0x5a and their number. Full chunks are
 * hashed in the thread pool, and here where it is busy; bytes are copied in, so a caller may reuse its buffers.
 */
export class ContentDigester {
  readonly #digests: readonly DigestName[];
  readonly #chunks: Map<DigestName, Promise<Uint8Array>[]>;
  #buffer = spare.pop() ?? new Uint8Array(HEAD + CHUNK);
  #filled = 0;
  #inPool = 0;
  /** Whether a chunk was hashed here since the pool's results were last taken in. */
  #hasWorked = false;

  /** @param before digests of sections that came before, by the name of each digest asked for */
  constructor(digests: readonly DigestName[], before?: ContentsDigest['chunks']) {
    this.#digests = digests;
    this.#chunks = new Map(
      digests.map((name) => [name, (before?.get(name) ?? []).map((one) => Promise.resolve(one))]),
    );
  }

  #hash(name: DigestName, bytes: Uint8Array): Promise<Uint8Array> {
    if (bytes.length <= CHUNK / 2 || this.#inPool >= PARALLEL) {
      this.#hasWorked = true;
      return Promise.resolve(createHash(name).update(bytes).digest());
    }
    this.#inPool += 1;
    // Web Crypto copies its input before it returns.
    return webcrypto.subtle.digest(WEB_CRYPTO_NAMES[name], bytes).then((digest) => {
      this.#inPool -= 1;
      return new Uint8Array(digest);
    });
  }

  #flush(): void {
    if (this.#filled === 0) return;
    this.#buffer[0] = CHUNK_PREFIX;
    new DataView(this.#buffer.buffer).setUint32(1, this.#filled, true);
    const chunk = this.#buffer.subarray(0, HEAD + this.#filled);
    for (const name of this.#digests) {
      this.#chunks.get(name)?.push(this.#hash(name, chunk));
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
    return this.#takeIn();
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
      await this.#takeIn();
    }
  }

  /** Lets the pool's results come in after work done here, which held them up. */
  #takeIn(): Promise<void> | undefined {
    if (!this.#hasWorked) return undefined;
    this.#hasWorked = false;
    return new Promise((resolve) => {
      setImmediate(resolve);
    });
  }

  /** Ends a section: the next bytes start a chunk of their own. */
  endSection(): void {
    this.#flush();
  }

  /** The digests of the chunks that are full so far: the same in all packages that begin with the same bytes. */
  async fullChunks(): Promise<Map<DigestName, Uint8Array[]>> {
    const result = new Map<DigestName, Uint8Array[]>();
    for (const [name, chunks] of this.#chunks) result.set(name, await Promise.all(chunks));
    return result;
  }

  /** The digests of all chunks; nothing can be added then. */
  async chunks(): Promise<Map<DigestName, Uint8Array[]>> {
    this.#flush();
    if (this.#buffer.length > 0) spare.push(this.#buffer);
    this.#buffer = new Uint8Array();
    return this.fullChunks();
  }

  /** The content digest for each algorithm asked for. */
  async finish(): Promise<Map<DigestName, Uint8Array>> {
    const result = new Map<DigestName, Uint8Array>();
    for (const [name, chunks] of await this.chunks()) {
      const hash = createHash(name);
      const head = new Uint8Array(HEAD);
      head[0] = WHOLE_PREFIX;
      new DataView(head.buffer).setUint32(1, chunks.length, true);
      hash.update(head);
      for (const digest of chunks) hash.update(digest);
      result.set(name, hash.digest());
    }
    return result;
  }
}

/** Where the sections of a signed package are, in bytes from its start. */
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

/**
 * Digests the first section of a package on disk.
 *
 * @param end where it ends, in bytes from the start
 * @param before digests of full chunks that it begins with
 */
export async function digestContents(
  source: ByteSource,
  end: number,
  digests: readonly DigestName[],
  before?: ContentsDigest['chunks'],
): Promise<ContentsDigest> {
  const digester = new ContentDigester(digests, before);
  const start = fullChunksEnd(before);
  await digester.updateFrom(source, start, end - start);
  return { end, chunks: await digester.chunks() };
}

/** Where chunks end that are all full, in bytes from the start. */
export function fullChunksEnd(chunks: ContentsDigest['chunks'] | undefined): number {
  const [some = []] = chunks?.values() ?? [];
  return some.length * CHUNK;
}

/**
 * Digests a package on disk: its entries, central directory and end record, without the signing block.
 *
 * @param contents what was read of the same file already; used where it is the section that `sections` names
 */
export async function digestPackage(
  source: ByteSource,
  sections: Sections,
  digests: readonly DigestName[],
  contents?: ContentsDigest,
): Promise<Map<DigestName, Uint8Array>> {
  const known = contents?.end === sections.contentsEnd && digests.every((name) => contents.chunks.has(name));
  const digester = new ContentDigester(digests, known ? contents.chunks : undefined);
  const range = async (offset: number, size: number) => {
    await digester.updateFrom(source, offset, size);
    digester.endSection();
  };
  if (!known) await range(0, sections.contentsEnd);
  await range(sections.centralDirectory.offset, sections.centralDirectory.size);
  const { offset, size } = sections.endRecord;
  await digester.update(digestedEndRecord(await source.read(offset, size), sections.contentsEnd));
  return digester.finish();
}
