import { existsSync, readFileSync } from 'node:fs';
import { FileSource } from '../formats/bytes/source.js';
import type {
  Entry,
  FileContent,
  KnownContent,
  KnownContents,
  Method,
  ZipEntry,
} from '../formats/zip/types.js';
import { fileSha256, replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';
import { VERSION } from '../util/version.js';

/** Bytes of pages below which compressing them again takes less time than looking for them. */
export const WORTH_KNOWING = 2 * 1024 * 1024;

/** An entry of a package by the digest of its unpacked bytes: compressed size, size, CRC-32, offset of its data. */
type Row = readonly [compressedSize: number, size: number, crc32: number, dataOffset: number];

/** What is kept between runs: the last package, and what it holds compressed. */
interface Index {
  /** Other versions may compress otherwise: the same input must give the same bytes. */
  readonly by: string;
  readonly file: string;
  /** Of the whole package, in hexadecimal. */
  readonly sha256: string;
  readonly entries: Readonly<Record<string, Row>>;
}

const BY = `${VERSION} zlib ${process.versions.zlib}`;

function readIndex(file: string): Index | undefined {
  try {
    const value: unknown = JSON.parse(readFileSync(file, 'utf8'));
    if (!isObject(value) || value.by !== BY || !isObject(value.entries)) return undefined;
    return typeof value.file === 'string' && typeof value.sha256 === 'string'
      ? (value as unknown as Index)
      : undefined;
  } catch {
    // Without it, everything is compressed again.
    return undefined;
  }
}

const fileKey = ({ file, size }: FileContent) => `${file}\0${size}`;
const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString('hex');

/**
 * Compressed contents of packages that were made: further ones, of other brands or in later runs, take them over as they are.
 * Nothing is kept but an index; the bytes are in the packages themselves.
 */
export class PackedContents implements KnownContents {
  readonly #indexFile: string;
  readonly #byFile = new Map<string, KnownContent>();
  readonly #byDigest = new Map<string, KnownContent>();
  readonly #sources: FileSource[] = [];
  #index: Index | undefined;
  #opened: Promise<void> | undefined;

  /** @param indexFile where it is noted between runs */
  constructor(indexFile: string) {
    this.#indexFile = indexFile;
  }

  /** Opens what an earlier run has left, where it is still as it was noted. */
  open(): Promise<void> {
    this.#opened ??= this.#openLast();
    return this.#opened;
  }

  async #openLast(): Promise<void> {
    const index = readIndex(this.#indexFile);
    if (index === undefined || !existsSync(index.file)) return;
    try {
      if ((await fileSha256(index.file)) !== index.sha256) return;
      const archive = await FileSource.open(index.file);
      this.#sources.push(archive);
      for (const [digest, [compressedSize, size, crc32, dataOffset]] of Object.entries(index.entries)) {
        const entry: ZipEntry = {
          ...{ path: '', method: 'deflate' as Method, headerOffset: 0 },
          ...{ compressedSize, size, crc32, dataOffset },
        };
        const sha256 = new Uint8Array(Buffer.from(digest, 'hex'));
        this.#byDigest.set(digest, { packed: { archive, entry, size }, sha256 });
      }
      this.#index = index;
    } catch {
      // Whatever is wrong with it, it saves nothing.
    }
  }

  ofFile(content: FileContent): KnownContent | undefined {
    return this.#byFile.get(fileKey(content));
  }

  ofBytes(sha256: Uint8Array): KnownContent | undefined {
    return this.#byDigest.get(hex(sha256));
  }

  /**
   * Notes what a package holds that no other did.
   *
   * @param entries in the order in which they were written
   * @param digests SHA-256 of unpacked bytes, by path
   */
  async add(
    file: string,
    entries: readonly Entry[],
    written: readonly ZipEntry[],
    digests: ReadonlyMap<string, Uint8Array>,
  ): Promise<void> {
    const fresh = entries.flatMap(({ content, path }, index) => {
      const [entry, sha256] = [written[index], digests.get(path)];
      if (entry === undefined || sha256 === undefined || !('file' in content)) return [];
      return this.#byFile.has(fileKey(content)) ? [] : [{ content, entry, sha256 }];
    });
    if (fresh.length === 0) return;
    const archive = await FileSource.open(file);
    this.#sources.push(archive);
    for (const { content, entry, sha256 } of fresh) {
      const known = { packed: { archive, entry, size: entry.size }, sha256 };
      this.#byFile.set(fileKey(content), known);
      if (entry.method === 'deflate') this.#byDigest.set(hex(sha256), known);
    }
  }

  /**
   * Notes a package for later runs.
   *
   * @param sha256 of the package, in hexadecimal
   */
  async keep(
    file: string,
    sha256: string,
    written: readonly ZipEntry[],
    digests: ReadonlyMap<string, Uint8Array>,
  ): Promise<void> {
    const rows = written.flatMap(({ path, method, compressedSize, size, crc32, dataOffset }) => {
      const digest = digests.get(path);
      const row: Row = [compressedSize, size, crc32, dataOffset];
      return digest === undefined || method !== 'deflate' ? [] : [[hex(digest), row] as const];
    });
    const index: Index = { by: BY, file, sha256, entries: Object.fromEntries(rows) };
    // Of brands that share their pages, the first is enough.
    const isWorse = this.#index !== undefined && Object.keys(this.#index.entries).length > rows.length;
    if (rows.length === 0 || (isWorse && existsSync(this.#index?.file ?? ''))) return;
    this.#index = index;
    try {
      await replaceFile(this.#indexFile, new TextEncoder().encode(`${JSON.stringify(index)}\n`));
    } catch {
      // A project that cannot be written to compresses again each time.
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.#sources.map((source) => source.close()));
  }
}
