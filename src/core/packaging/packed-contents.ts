import { existsSync, fstatSync, readFileSync, statSync } from 'node:fs';
import { bytesSource, FileSource } from '../formats/bytes/source.js';
import {
  type Content,
  type Entry,
  type FileContent,
  type FileStamp,
  isFile,
  type KnownContent,
  type KnownContents,
  type ZipEntry,
} from '../formats/zip/types.js';
import type { WrittenEntries } from '../formats/zip/writer.js';
import { fileSha256, replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';
import { VERSION } from '../util/version.js';

/** Bytes of pages below which compressing them again takes less time than looking for them. */
export const WORTH_KNOWING = 2 * 1024 * 1024;

/** ms within which a disk may give two changes one time (FAT has the coarsest clock). */
const CLOCK = 2000;

/** Packages that are kept open: brands with pages of their own would each be one. */
const MOST_SOURCES = 64;

/** An entry of a package by its file: the file's stamp and size, SHA-256 of its bytes where that is known, and where they are in the package. */
type Row = readonly [
  ino: number,
  mtimeMs: number,
  ctimeMs: number,
  size: number,
  sha256: string | null,
  method: 0 | 8,
  compressedSize: number,
  crc32: number,
  dataOffset: number,
];

/** Bytes of small packages that are kept in memory. */
const MOST_HELD = 64 * 1024 * 1024;

/** What packages begin with: entries made from files, and what a platform keeps of their bytes. */
interface Start<S> {
  readonly entries: readonly Entry[];
  readonly kept: S;
}

/** Starts that are kept: brands with pages of their own would each have one. */
const MOST_STARTS = 8;

/** A file of a package, with where it is in it. */
interface Held {
  readonly content: FileContent;
  readonly entry: ZipEntry;
  readonly digest: Uint8Array | undefined;
}

/** What is kept between runs: the last package, and what it holds of which files. */
interface Index {
  /** Other versions may compress otherwise: the same input must give the same bytes. */
  readonly by: string;
  /** When the files were read, in ms. */
  readonly read: number;
  readonly file: string;
  /** Of the whole package, in hexadecimal. */
  readonly sha256: string;
  readonly stamp: string;
  readonly files: Readonly<Record<string, Row>>;
}

const BY = `${VERSION} zlib ${process.versions.zlib}`;

function readIndex(file: string): Index | undefined {
  try {
    const value: unknown = JSON.parse(readFileSync(file, 'utf8'));
    if (!isObject(value) || value.by !== BY || !isObject(value.files)) return undefined;
    return typeof value.file === 'string' && typeof value.sha256 === 'string'
      ? (value as unknown as Index)
      : undefined;
  } catch {
    // Without it, everything is compressed again.
    return undefined;
  }
}

function stampOf(file: string): string {
  const { ino, size, mtimeMs, ctimeMs } = statSync(file);
  return [ino, size, mtimeMs, ctimeMs].join(' ');
}

/** What changes where somebody writes to an open file. */
function writtenTo({ fd }: FileSource): string {
  const { size, mtimeNs } = fstatSync(fd, { bigint: true });
  return `${size} ${mtimeNs}`;
}

const fileKey = ({ file, size }: Pick<FileContent, 'file' | 'size'>) => `${file}\0${size}`;
const isSameFile = (one: Content, other: Content): other is FileContent =>
  isFile(one) && isFile(other) && fileKey(one) === fileKey(other);
const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString('hex');

/** The same entries as they are in a package, and SHA-256 of their unpacked bytes, where it was computed. */
type Written = Readonly<Pick<WrittenEntries, 'digests'>> & { readonly entries: readonly ZipEntry[] };

/** What a package holds of files. */
function filesIn(entries: readonly Entry[], written: Written): Held[] {
  return entries.flatMap(({ content, path }, index): Held[] => {
    const [entry, digest] = [written.entries[index], written.digests.get(path)];
    return isFile(content) && entry ? [{ content, entry, digest }] : [];
  });
}

/**
 * Compressed contents of packages that were made: further ones, of other brands or in later runs, take them over as they are.
 * Nothing is kept but an index; the bytes are in the packages themselves. A file is known by its stamp where the disk’s clock is
 * fine enough to tell, else by its bytes.
 */
export class PackedContents<S = unknown> implements KnownContents {
  readonly #indexFile: string;
  readonly #packages: 'one' | 'brands';
  readonly #began = Date.now();
  /** Of this run. */
  readonly #byFile = new Map<string, KnownContent>();
  /** Of an earlier run. */
  readonly #byStamp = new Map<string, { readonly stamp: FileStamp; readonly known: KnownContent }>();
  /** Deflated ones, by the size of what they hold. */
  readonly #bySize = new Map<number, KnownContent[]>();
  readonly #sources: FileSource[] = [];
  /** The same, as the disk spoke of them when they were noted. */
  readonly #stamps = new Map<FileSource, string>();
  readonly #starts: Start<S>[] = [];
  /** Whether the first package of a name was made, which others wait for. */
  readonly #firsts = new Map<string, Promise<boolean>>();
  #index: Index | undefined;
  #opened: Promise<void> | undefined;
  /** Bytes that are kept in memory. */
  #held = 0;

  /**
   * @param indexFile where it is noted between runs
   * @param packages `brands`: many are made in this run, so that it is worth keeping what small ones hold too
   */
  constructor(indexFile: string, packages: 'one' | 'brands' = 'one') {
    this.#indexFile = indexFile;
    this.#packages = packages;
  }

  /**
   * Lets the first package of a name be made before others of the same are begun, which then take over what it holds. Where it
   * fails, the next is the first.
   *
   * @param onWaited called with the milliseconds spent waiting for others
   */
  async inTurn<T>(name: string, make: () => Promise<T>, onWaited?: (ms: number) => void): Promise<T> {
    for (let first = this.#firsts.get(name); first !== undefined; first = this.#firsts.get(name)) {
      const began = Date.now();
      const isMade = await first;
      onWaited?.(Date.now() - began);
      if (isMade) return make();
      // Of those that waited, the one that gets here first.
      if (this.#firsts.get(name) === first) this.#firsts.delete(name);
    }
    const made = make();
    const isMade = made.then(
      () => true,
      () => false,
    );
    this.#firsts.set(name, isMade);
    return made;
  }

  /** Opens what an earlier run has left, where it is still as it was noted; forgets packages that somebody has written to since. */
  open(): Promise<void> {
    if (!this.areUntouched()) this.#forget();
    this.#opened ??= this.#openLast();
    return this.#opened;
  }

  /** Whether nobody has written to the packages that contents are taken from; another may have got the name of one since. */
  areUntouched(): boolean {
    return [...this.#stamps].every(([source, stamp]) => writtenTo(source) === stamp);
  }

  #forget(): void {
    this.#stamps.clear();
    this.#byFile.clear();
    this.#byStamp.clear();
    this.#bySize.clear();
    this.#starts.length = 0;
  }

  #opens(archive: FileSource): FileSource {
    this.#sources.push(archive);
    this.#stamps.set(archive, writtenTo(archive));
    return archive;
  }

  async #openLast(): Promise<void> {
    const index = readIndex(this.#indexFile);
    if (index === undefined || !existsSync(index.file)) return;
    try {
      const isSame = stampOf(index.file) === index.stamp && this.#began - index.read > CLOCK;
      if (!isSame && (await fileSha256(index.file)) !== index.sha256) return;
      const archive = this.#opens(await FileSource.open(index.file));
      for (const [file, row] of Object.entries(index.files)) this.#take(archive, index, file, row);
      this.#index = index;
    } catch {
      // Whatever is wrong with it, it saves nothing.
    }
  }

  #take(archive: FileSource, { read }: Index, file: string, row: Row): void {
    const [ino, mtimeMs, ctimeMs, size, digest, method, compressedSize, crc32, dataOffset] = row;
    const entry: ZipEntry = {
      ...{ path: '', method: method === 0 ? 'store' : 'deflate', headerOffset: 0 },
      ...{ compressedSize, size, crc32, dataOffset },
    };
    const sha256 = digest === null ? undefined : new Uint8Array(Buffer.from(digest, 'hex'));
    const known = { packed: { archive, entry, size }, sha256 };
    this.#noteSize(known);
    // One that was written to as it was read may have been so again, at the same time by the disk’s clock.
    if (Math.max(ctimeMs, mtimeMs) < read - CLOCK)
      this.#byStamp.set(fileKey({ file, size }), { stamp: { ino, mtimeMs, ctimeMs }, known });
  }

  ofFile(content: FileContent): KnownContent | undefined {
    const key = fileKey(content);
    const inRun = this.#byFile.get(key);
    if (inRun !== undefined || content.stamp === undefined) return inRun;
    const before = this.#byStamp.get(key);
    if (before === undefined) return undefined;
    const { ino, mtimeMs, ctimeMs } = content.stamp;
    const { stamp, known } = before;
    return stamp.ino === ino && stamp.mtimeMs === mtimeMs && stamp.ctimeMs === ctimeMs ? known : undefined;
  }

  /**
   * What is kept of a package that begins with just these entries.
   *
   * @param isDigested whether SHA-256 of each has to be known too
   */
  startOf(entries: readonly Entry[], isDigested: boolean): S | undefined {
    const isKnown = (one: Entry, other: Entry | undefined) =>
      one.path === other?.path &&
      one.method === other.method &&
      one.alignment === other.alignment &&
      isSameFile(one.content, other.content) &&
      (!isDigested || this.#byFile.get(fileKey(other.content))?.sha256 !== undefined);
    return this.#starts.find(
      (start) =>
        start.entries.length === entries.length &&
        start.entries.every((one, index) => isKnown(one, entries[index])),
    )?.kept;
  }

  ofSize(size: number): readonly KnownContent[] {
    return this.#bySize.get(size) ?? [];
  }

  #noteSize(known: KnownContent): void {
    const { entry } = known.packed;
    if (entry.method !== 'deflate') return;
    const others = this.#bySize.get(entry.size) ?? [];
    if (others.some(({ packed }) => packed.entry.crc32 === entry.crc32)) return;
    this.#bySize.set(entry.size, [...others, known]);
  }

  /**
   * Notes what a package holds that no other of this run did, and the package itself for later ones.
   *
   * @param entries in the order in which they were written
   * @param written with digests, where there are any, that are SHA-256 of unpacked bytes
   * @param startOf what is kept of its first entries, all of them made from files; the package stays open for it
   */
  async note(
    { file, sha256 }: { readonly file: string; readonly sha256: string },
    entries: readonly Entry[],
    written: Written,
    startOf?: { readonly entries: number; readonly kept: (archive: FileSource) => S },
  ): Promise<void> {
    const held = filesIn(entries, written);
    const fresh = held.filter(({ content }) => !this.#byFile.has(fileKey(content)));
    if (fresh.length > 0 && this.#sources.length < MOST_SOURCES) {
      const archive = this.#opens(await FileSource.open(file));
      for (const { content, entry, digest } of fresh) {
        const known = { packed: { archive, entry, size: entry.size }, sha256: digest };
        this.#byFile.set(fileKey(content), known);
        this.#noteSize(known);
      }
      if (startOf && this.#starts.length < MOST_STARTS)
        this.#starts.push({ entries: entries.slice(0, startOf.entries), kept: startOf.kept(archive) });
    }
    if (this.#isBetter(file, held.length)) await this.#keep(file, sha256, held);
  }

  /** Keeps in memory what a small package holds of files, where others follow: they need not be read and compressed again. */
  async hold(file: string, entries: readonly Entry[], written: Written): Promise<void> {
    if (this.#packages === 'one') return;
    const fresh = filesIn(entries, written).filter(({ content }) => !this.#byFile.has(fileKey(content)));
    if (fresh.length === 0) return;
    const archive = await FileSource.open(file);
    try {
      for (const { content, entry, digest } of fresh) {
        if (this.#held + entry.compressedSize > MOST_HELD) return;
        this.#held += entry.compressedSize;
        const bytes = new Uint8Array(entry.compressedSize);
        await archive.readInto(bytes, entry.dataOffset);
        const there = { ...entry, dataOffset: 0 };
        const packed = { archive: bytesSource(bytes), entry: there, size: entry.size };
        this.#byFile.set(fileKey(content), { packed, sha256: digest });
      }
    } finally {
      await archive.close();
    }
  }

  /** Of packages that share their pages the first is kept; one that takes its place is noted again, since all is elsewhere in it. */
  #isBetter(file: string, files: number): boolean {
    const last = this.#index;
    if (last === undefined || last.file === file || !existsSync(last.file)) return files > 0;
    return Object.keys(last.files).length < files;
  }

  async #keep(file: string, sha256: string, held: readonly Held[]): Promise<void> {
    const rows = held.flatMap(({ content, entry, digest }): [string, Row][] => {
      const { stamp } = content;
      if (stamp === undefined) return [];
      const { method, compressedSize, crc32, dataOffset, size } = entry;
      const times = [stamp.ino, stamp.mtimeMs, stamp.ctimeMs] as const;
      const place = [method === 'store' ? 0 : 8, compressedSize, crc32, dataOffset] as const;
      return [[content.file, [...times, size, digest ? hex(digest) : null, ...place]]];
    });
    const index = {
      ...{ by: BY, read: this.#began, file, sha256, stamp: stampOf(file) },
      files: Object.fromEntries(rows),
    };
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
