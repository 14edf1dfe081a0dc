import { createReadStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { fromSystemError, HullError } from '../../errors.js';
import { ByteWriter } from '../bytes/writer.js';
import { isStreamed, type Prepared, prepare } from './compress.js';
import { encodePath } from './path.js';
import {
  END_RECORD_SIZE,
  type Entry,
  type EntryDigest,
  FLAG_UTF8,
  type KnownContents,
  LOCAL_HEADER_SIZE,
  MADE_ON_UNIX,
  SIGNATURES,
  ZIP_LIMITS,
  type ZipEntry,
} from './types.js';

/** Takes the archive's bytes in order; a promise holds the writer back until it settles. */
export interface Sink {
  write(chunk: Uint8Array): void | Promise<void>;
}

export interface WriteOptions {
  /** Names a temporary file for a large entry's compressed bytes; called at most once an entry. */
  readonly temporary?: () => string;
  /** Told each entry once it is written. */
  readonly onEntry?: (entry: ZipEntry, done: number, total: number) => void;
  /** Stops the writing between two chunks. */
  readonly signal?: AbortSignal | undefined;
  /** Digest every entry's unpacked bytes on the way. */
  readonly digest?: EntryDigest | undefined;
  /** What earlier archives hold already. */
  readonly known?: KnownContents | undefined;
  /** Where the first header will be, in bytes from the archive's start; 0 where nothing is before it. */
  readonly offset?: number;
  /** Compresses in other threads. */
  readonly compressor?: Compressor | undefined;
}

/** Reads and compresses files elsewhere, many at a time. */
export interface Compressor {
  /**
   * Takes an entry, or leaves it to this thread (`undefined`, at once or in the end: what fails elsewhere is done here again, for
   * the error that says what is wrong).
   */
  take(entry: Entry): Promise<Prepared | undefined> | undefined;
}

/** 1980-01-01 00:00:00, the earliest time the format knows (APPNOTE.TXT 4.4.6): the same on every machine. */
const DOS_TIME = 0;
const DOS_DATE = 0x0021;
const VERSION = 20;
/** Extra field that pads a stored entry to its alignment: id, size, alignment, zeros. */
const ALIGNMENT_EXTRA = 0xd935;
const ALIGNMENT_EXTRA_MIN = 6;

/** How much may be read and compressed ahead of the entry being written: more where other threads are handed many at a time. */
const AHEAD_ENTRIES = 48;
const AHEAD_ELSEWHERE = 384;
/** Bytes of a large entry that are held at a time. */
const PIECE = 1024 * 1024;
const AHEAD_BYTES = 24 * 1024 * 1024;
/** What a file that is streamed holds of that: it is compressed into a temporary file. */
const STREAM_BYTES = 4 * 1024 * 1024;
/** Files that are streamed ahead: zlib has a thread for each, and has four. */
const STREAMS_AHEAD = Math.min(4, availableParallelism());

function paddingFor(dataOffset: number, alignment: number): number {
  if (alignment <= 1 || dataOffset % alignment === 0) return 0;
  let padding = alignment - (dataOffset % alignment);
  while (padding < ALIGNMENT_EXTRA_MIN) padding += alignment;
  return padding;
}

function needsUtf8Flag(path: Uint8Array): boolean {
  return path.some((byte) => byte > 0x7f);
}

function localHeader(path: Uint8Array, prepared: Prepared, padding: number, alignment: number): Uint8Array {
  const out = new ByteWriter(LOCAL_HEADER_SIZE + path.length + padding)
    .u32(SIGNATURES.local)
    .u16(VERSION)
    .u16(needsUtf8Flag(path) ? FLAG_UTF8 : 0)
    .u16(prepared.method === 'store' ? 0 : 8)
    .u16(DOS_TIME)
    .u16(DOS_DATE)
    .u32(prepared.crc32)
    .u32(prepared.compressedSize)
    .u32(prepared.size)
    .u16(path.length)
    .u16(padding)
    .bytes(path);
  if (padding > 0) {
    out
      .u16(ALIGNMENT_EXTRA)
      .u16(padding - 4)
      .u16(alignment)
      .zeros(padding - ALIGNMENT_EXTRA_MIN);
  }
  return out.finish();
}

/** The central directory of these entries (APPNOTE.TXT 4.3.12), in their order. */
export function centralDirectory(entries: readonly ZipEntry[]): Uint8Array {
  const out = new ByteWriter(entries.length * 80);
  for (const entry of entries) {
    const path = encodePath(entry.path);
    out
      .u32(SIGNATURES.central)
      .u16(entry.mode === undefined ? VERSION : (MADE_ON_UNIX << 8) | VERSION)
      .u16(VERSION)
      .u16(needsUtf8Flag(path) ? FLAG_UTF8 : 0)
      .u16(entry.method === 'store' ? 0 : 8)
      .u16(DOS_TIME)
      .u16(DOS_DATE)
      .u32(entry.crc32)
      .u32(entry.compressedSize)
      .u32(entry.size)
      .u16(path.length)
      .u16(0)
      .u16(0)
      .u16(0)
      .u16(0)
      .u32((entry.mode ?? 0) * 0x10000)
      .u32(entry.headerOffset)
      .bytes(path);
  }
  return out.finish();
}

/** The end of central directory record (APPNOTE.TXT 4.3.16). Throws `zip.limit` where ZIP64 would be needed. */
export function endRecord(count: number, directorySize: number, directoryOffset: number): Uint8Array {
  if (count > ZIP_LIMITS.entries) throw tooMany(count);
  checkArchiveSize(directoryOffset + directorySize + END_RECORD_SIZE);
  return new ByteWriter(END_RECORD_SIZE)
    .u32(SIGNATURES.end)
    .u16(0)
    .u16(0)
    .u16(count)
    .u16(count)
    .u32(directorySize)
    .u32(directoryOffset)
    .u16(0)
    .finish();
}

function tooMany(count: number): HullError {
  return new HullError(
    'zip.limit',
    `A package holds at most ${ZIP_LIMITS.entries} files; this one would hold ${count}.`,
    {
      fix: 'Leave out files that the app does not use, or join small ones.',
    },
  );
}

/** Throws `zip.limit` where an archive of so many bytes would need ZIP64. */
export function checkArchiveSize(bytes: number): void {
  if (bytes > ZIP_LIMITS.bytes) throw tooLarge();
}

function tooLarge(): HullError {
  return new HullError('zip.limit', 'A package is at most 4 GiB large; this one would be larger.', {
    fix: 'Keep large media on a server instead of in the package.',
  });
}

function sizeOf(entry: Entry): number {
  return entry.content instanceof Uint8Array ? entry.content.length : entry.content.size;
}

/**
 * Checks what can be known before any byte is read: count, path names, duplicates, total size.
 * Throws `zip.limit`, `zip.path` or `zip.duplicate`.
 */
export function checkEntries(entries: readonly Entry[]): void {
  if (entries.length > ZIP_LIMITS.entries) throw tooMany(entries.length);
  const seen = new Set<string>();
  for (const entry of entries) {
    encodePath(entry.path);
    if (seen.has(entry.path)) {
      throw new HullError('zip.duplicate', 'Two files would have the same path in the package.', {
        location: { entry: entry.path },
        fix: 'Rename one of them.',
      });
    }
    seen.add(entry.path);
    if (sizeOf(entry) > ZIP_LIMITS.bytes) {
      const error = tooLarge();
      const { content } = entry;
      throw 'file' in content ? error.at({ file: content.file }) : error;
    }
  }
}

async function writeData(prepared: Prepared, sink: Sink, signal: AbortSignal | undefined): Promise<void> {
  const { data } = prepared;
  if (data instanceof Uint8Array) {
    await sink.write(data);
    return;
  }
  let left = prepared.compressedSize;
  if ('source' in data) {
    for (let done = 0; done < prepared.compressedSize; done += PIECE) {
      signal?.throwIfAborted();
      await sink.write(await data.source.read(data.offset + done, Math.min(PIECE, left)));
      left -= PIECE;
    }
    return;
  }
  try {
    const end = data.offset + prepared.compressedSize - 1;
    const stream = createReadStream(data.file, { start: data.offset, end, highWaterMark: PIECE });
    for await (const chunk of stream) {
      signal?.throwIfAborted();
      left -= (chunk as Uint8Array).length;
      await sink.write(chunk as Uint8Array);
    }
    if (left !== 0) throw new Error(`${data.file} became shorter while it was read`);
  } catch (error) {
    throw fromSystemError(error, data.file);
  } finally {
    if (data.temporary) await rm(data.file, { force: true });
  }
}

export interface WrittenEntries {
  readonly entries: ZipEntry[];
  /** Where the next header or the directory goes, in bytes from the archive's start. */
  readonly size: number;
  /** Digests of unpacked bytes by path, where they were asked for. */
  readonly digests: ReadonlyMap<string, Uint8Array>;
}

/**
 * Writes the local part of an archive: for each entry its header and data, in the order given. Reading and
 * compressing run ahead in the thread pool, bounded in number and bytes, so memory does not grow with the archive.
 *
 * @returns the entries as they stand and the size of what was written, in bytes; {@link centralDirectory} and
 *   {@link endRecord} make the rest.
 * @throws HullError `zip.limit`, `zip.path`, `zip.duplicate`, `file.missing`, `web.changed-while-packing`
 */
export async function writeEntries(
  entries: readonly Entry[],
  sink: Sink,
  options: WriteOptions = {},
): Promise<WrittenEntries> {
  checkEntries(entries);
  const temporary =
    options.temporary ??
    (() => {
      throw new Error('a large file needs a place for its compressed bytes');
    });
  const written: ZipEntry[] = [];
  const ahead: { readonly held: number; readonly prepared: Promise<Prepared> }[] = [];
  let streaming = 0;
  let aheadBytes = 0;
  let next = 0;
  let offset = options.offset ?? 0;
  const digests = new Map<string, Uint8Array>();

  const { compressor } = options;
  const prepareOne = (entry: Entry): Promise<Prepared> => {
    const here = () => prepare(entry, temporary, options.digest, options.known, options.signal);
    const elsewhere = compressor?.take(entry);
    return elsewhere === undefined ? here() : elsewhere.then((prepared) => prepared ?? here());
  };
  const fill = () => {
    const most = compressor ? AHEAD_ELSEWHERE : AHEAD_ENTRIES;
    for (; next < entries.length && ahead.length < most; next += 1) {
      const entry = entries[next] as Entry;
      const streams = isStreamed(entry.content);
      const held = streams ? STREAM_BYTES : sizeOf(entry);
      if (ahead.length > 0 && aheadBytes + held > AHEAD_BYTES) return;
      if (streams && streaming > STREAMS_AHEAD) return;
      streaming += streams ? 1 : 0;
      const prepared = prepareOne(entry).finally(() => {
        streaming -= streams ? 1 : 0;
      });
      prepared.catch(() => undefined);
      ahead.push({ held, prepared });
      aheadBytes += held;
    }
  };

  try {
    for (const entry of entries) {
      options.signal?.throwIfAborted();
      fill();
      const job = ahead.shift() as { readonly held: number; readonly prepared: Promise<Prepared> };
      const prepared = await job.prepared;
      aheadBytes -= job.held;
      const path = encodePath(entry.path);
      const plainOffset = offset + LOCAL_HEADER_SIZE + path.length;
      const padding = prepared.method === 'store' ? paddingFor(plainOffset, entry.alignment) : 0;
      const dataOffset = plainOffset + padding;
      const end = dataOffset + prepared.compressedSize;
      if (end > ZIP_LIMITS.bytes) throw tooLarge();
      await sink.write(localHeader(path, prepared, padding, entry.alignment));
      await writeData(prepared, sink, options.signal);
      const row: ZipEntry = {
        path: entry.path,
        method: prepared.method,
        crc32: prepared.crc32,
        compressedSize: prepared.compressedSize,
        size: prepared.size,
        headerOffset: offset,
        dataOffset,
        ...(entry.mode === undefined ? {} : { mode: entry.mode }),
      };
      written.push(row);
      if (prepared.digest) digests.set(entry.path, prepared.digest);
      offset = end;
      options.onEntry?.(row, written.length, entries.length);
    }
  } catch (error) {
    // Large entries compressed ahead have left temporary files: take them away before giving up.
    for (const job of ahead) {
      const prepared = await job.prepared.catch(() => undefined);
      if (
        prepared &&
        !(prepared.data instanceof Uint8Array) &&
        'file' in prepared.data &&
        prepared.data.temporary
      ) {
        await rm(prepared.data.file, { force: true });
      }
    }
    throw error;
  }
  return { entries: written, size: offset, digests };
}

/**
 * Writes the directory of an archive, and its end.
 *
 * @param offset where the entries end, in bytes from the archive's start
 * @returns bytes of the whole archive
 */
export async function writeDirectory(
  entries: readonly ZipEntry[],
  sink: Sink,
  offset: number,
): Promise<number> {
  const directory = centralDirectory(entries);
  const end = endRecord(entries.length, directory.length, offset);
  await sink.write(directory);
  await sink.write(end);
  return offset + directory.length + end.length;
}

/** A whole archive in memory: for small ones and for tests. */
export async function writeZip(entries: readonly Entry[]): Promise<Uint8Array> {
  const out = new ByteWriter(64 * 1024);
  const sink: Sink = { write: (chunk) => void out.bytes(chunk) };
  const local = await writeEntries(entries, sink);
  await writeDirectory(local.entries, sink, local.size);
  return out.finish();
}
