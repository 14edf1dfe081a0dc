import { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { createInflateRaw, inflateRaw, inflateRawSync } from 'node:zlib';
import { HullError } from '../../errors.js';
import { ByteReader } from '../bytes/reader.js';
import type { ByteSource } from '../bytes/source.js';
import { crc32 } from './crc32.js';
import {
  CENTRAL_RECORD_SIZE,
  END_RECORD_SIZE,
  FLAG_DESCRIPTOR,
  FLAG_UTF8,
  FLAGS_ENCRYPTED,
  LOCAL_HEADER_SIZE,
  MADE_ON_UNIX,
  SIGNATURES,
  type ZipEntry,
  type ZipLayout,
} from './types.js';

const inflate = promisify(inflateRaw);
/** Entries up to this size, in bytes, are inflated at once: handing them to another thread takes longer than the work. */
const SMALL = 256 * 1024;
/** Bytes that are inflated at a time: each time costs a way back to this thread. */
const MOST_CHUNK = 4 * 1024 * 1024;

const MAX_COMMENT = 0xffff;
/** The deflate format cannot shrink further than about 1032 to 1 (RFC 1951): a larger claim is a bomb or a lie. */
const MAX_RATIO = 1040;

function malformed(message: string, offset?: number): HullError {
  return new HullError('zip.malformed', message, {
    ...(offset === undefined ? {} : { location: { offset } }),
    fix: 'The file is damaged or is not a ZIP archive: fetch or build it again.',
  });
}

async function findEndRecord(
  source: ByteSource,
): Promise<{ readonly offset: number; readonly bytes: Uint8Array }> {
  const length = Math.min(source.size, END_RECORD_SIZE + MAX_COMMENT);
  if (length < END_RECORD_SIZE) throw malformed('The file is too short to be a ZIP archive.', 0);
  const start = source.size - length;
  const tail = await source.read(start, length);
  const view = new DataView(tail.buffer, tail.byteOffset, tail.byteLength);
  for (let at = length - END_RECORD_SIZE; at >= 0; at -= 1) {
    if (view.getUint32(at, true) !== SIGNATURES.end) continue;
    // The comment's length must lead exactly to the end of the file.
    if (at + END_RECORD_SIZE + view.getUint16(at + 20, true) === length) {
      return { offset: start + at, bytes: tail.subarray(at) };
    }
  }
  throw malformed('There is no end-of-directory record: this is not a ZIP archive.', 0);
}

interface CentralRow {
  readonly path: string;
  /** Where the name is in the directory, in bytes, and how long it is there. */
  readonly nameAt: number;
  readonly nameLength: number;
  readonly method: number;
  readonly flags: number;
  readonly crc32: number;
  readonly compressedSize: number;
  readonly size: number;
  readonly headerOffset: number;
  readonly recordOffset: number;
  readonly mode: number | undefined;
}

const STRICT = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

function decodeName(directory: Buffer, start: number, end: number, flags: number, offset: number): string {
  // Android reads every name as UTF-8; a name that is plain ASCII is the same either way.
  const name = directory.toString('utf8', start, end);
  if (!name.includes('\ufffd')) return name;
  try {
    return STRICT.decode(directory.subarray(start, end));
  } catch {
    if (flags & FLAG_UTF8) throw malformed('An entry name is not valid UTF-8.', offset);
    return directory.toString('latin1', start, end);
  }
}

/** Where fields are in a directory record and in a local header, in bytes (APPNOTE.TXT 4.3.12 and 4.3.7). */
const CENTRAL = {
  madeOn: 5,
  flags: 8,
  method: 10,
  crc32: 16,
  compressedSize: 20,
  size: 24,
  nameLength: 28,
  extraLength: 30,
  commentLength: 32,
  mode: 40,
  headerOffset: 42,
} as const;
const LOCAL = {
  flags: 6,
  method: 8,
  crc32: 14,
  compressedSize: 18,
  size: 22,
  nameLength: 26,
  extraLength: 28,
} as const;

const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** @param base offset of the directory in the file, in bytes */
function readCentral(directory: Buffer, count: number, base: number): CentralRow[] {
  const view = viewOf(directory);
  const rows: CentralRow[] = [];
  let at = 0;
  for (let i = 0; i < count; i += 1) {
    const nameAt = at + CENTRAL_RECORD_SIZE;
    if (nameAt > directory.length || view.getUint32(at, true) !== SIGNATURES.central) {
      throw malformed(
        `Record ${i + 1} of the central directory does not start with its signature.`,
        base + at,
      );
    }
    const extraAt = nameAt + view.getUint16(at + CENTRAL.nameLength, true);
    const end =
      extraAt +
      view.getUint16(at + CENTRAL.extraLength, true) +
      view.getUint16(at + CENTRAL.commentLength, true);
    if (end > directory.length) {
      throw malformed(`Record ${i + 1} of ${count} ends outside the central directory.`, base + at);
    }
    const flags = view.getUint16(at + CENTRAL.flags, true);
    rows.push({
      path: decodeName(directory, nameAt, extraAt, flags, base + at),
      nameAt,
      nameLength: extraAt - nameAt,
      method: view.getUint16(at + CENTRAL.method, true),
      flags,
      crc32: view.getUint32(at + CENTRAL.crc32, true),
      compressedSize: view.getUint32(at + CENTRAL.compressedSize, true),
      size: view.getUint32(at + CENTRAL.size, true),
      headerOffset: view.getUint32(at + CENTRAL.headerOffset, true),
      recordOffset: base + at,
      mode:
        directory[at + CENTRAL.madeOn] === MADE_ON_UNIX ? view.getUint16(at + CENTRAL.mode, true) : undefined,
    });
    at = end;
  }
  if (at !== directory.length) throw malformed('There are bytes after the last directory record.', base + at);
  return rows;
}

const wrongEntry = ({ path, headerOffset }: CentralRow, message: string) =>
  malformed(message, headerOffset).at({ entry: path, offset: headerOffset });

/** Checks what the directory says of an entry. @param limit where the entries end, in bytes */
function checkRow(row: CentralRow, limit: number): void {
  if (row.flags & FLAGS_ENCRYPTED) throw wrongEntry(row, 'This entry is encrypted; packages never are.');
  if (row.method !== 0 && row.method !== 8) {
    throw wrongEntry(row, `This entry uses compression method ${row.method}; packages use 0 or 8.`);
  }
  if (row.headerOffset + LOCAL_HEADER_SIZE + row.nameLength > limit) {
    throw wrongEntry(row, 'The entry starts outside the archive.');
  }
}

/** Memory for one local header after the other. */
interface HeaderBuffer {
  readonly bytes: Buffer;
  readonly view: DataView;
}

/** Whether a local header says other things of the data than the directory does. */
function differs(row: CentralRow, view: DataView): boolean {
  const flags = view.getUint16(LOCAL.flags, true);
  if ((flags & FLAG_DESCRIPTOR) !== (row.flags & FLAG_DESCRIPTOR)) return true;
  if (flags & FLAG_DESCRIPTOR) return false;
  return (
    view.getUint32(LOCAL.crc32, true) !== row.crc32 ||
    view.getUint32(LOCAL.compressedSize, true) !== row.compressedSize ||
    view.getUint32(LOCAL.size, true) !== row.size
  );
}

/** Holds an entry's local header against the directory. */
function locate(row: CentralRow, { bytes, view }: HeaderBuffer, directory: Buffer, limit: number): ZipEntry {
  if (view.getUint32(0, true) !== SIGNATURES.local) {
    throw wrongEntry(row, 'There is no local header where the directory says.');
  }
  if (view.getUint16(LOCAL.method, true) !== row.method) {
    throw wrongEntry(row, 'Local header and directory name different methods.');
  }
  const nameLength = view.getUint16(LOCAL.nameLength, true);
  const dataOffset =
    row.headerOffset + LOCAL_HEADER_SIZE + nameLength + view.getUint16(LOCAL.extraLength, true);
  if (dataOffset + row.compressedSize > limit) throw wrongEntry(row, 'The entry ends outside the archive.');
  const isSame =
    nameLength === row.nameLength &&
    bytes.compare(
      directory,
      row.nameAt,
      row.nameAt + nameLength,
      LOCAL_HEADER_SIZE,
      LOCAL_HEADER_SIZE + nameLength,
    ) === 0;
  if (!isSame) {
    throw wrongEntry(row, 'Local header and directory name different paths.');
  }
  if (row.method === 0 && row.compressedSize !== row.size)
    throw wrongEntry(row, 'A stored entry has two sizes.');
  const entry: ZipEntry = {
    path: row.path,
    method: row.method === 0 ? 'store' : 'deflate',
    crc32: row.crc32,
    compressedSize: row.compressedSize,
    size: row.size,
    headerOffset: row.headerOffset,
    dataOffset,
    // Tools of other systems leave it zero.
    ...(row.mode ? { mode: row.mode } : {}),
  };
  return differs(row, view) ? { ...entry, hasOtherHeader: true } : entry;
}

/** The central directory of an archive, as it is written. Throws `zip.malformed`. */
async function readDirectory(source: ByteSource) {
  const end = await findEndRecord(source);
  const record = new ByteReader(end.bytes, 'zip.malformed', 4, end.offset);
  const disk = record.u16('disk');
  const directoryDisk = record.u16('disk');
  const countHere = record.u16('entry count');
  const count = record.u16('entry count');
  const size = record.u32('directory size');
  const offset = record.u32('directory offset');
  if (disk !== 0 || directoryDisk !== 0 || countHere !== count) {
    throw malformed('The archive is split over several files.', end.offset);
  }
  if (end.offset >= 20) {
    const before = await source.read(end.offset - 20, 4);
    if (new DataView(before.buffer, before.byteOffset).getUint32(0, true) === SIGNATURES.zip64Locator) {
      throw malformed(
        'The archive uses ZIP64, which Android refuses and which is not read here.',
        end.offset - 20,
      );
    }
  }
  if (offset + size !== end.offset) {
    throw malformed('The central directory does not end where the end record starts.', end.offset);
  }
  if (count * CENTRAL_RECORD_SIZE > size) {
    throw malformed(`${count} records do not fit in a directory of ${size} bytes.`, end.offset);
  }
  const read = await source.read(offset, size);
  const directory = Buffer.from(read.buffer, read.byteOffset, read.byteLength);
  const rows = readCentral(directory, count, offset);
  return { end, offset, size, directory, rows };
}

/**
 * The paths of an archive’s entries, as its directory names them: enough to tell what kind of package it is.
 *
 * @throws HullError `zip.malformed` with the offset
 */
export async function readPaths(source: ByteSource): Promise<string[]> {
  const { rows } = await readDirectory(source);
  return rows.map(({ path }) => path);
}

/**
 * The structure of an archive: every entry located and checked against its local header, paths unique, no two
 * entries overlapping. No data is inflated.
 *
 * @throws HullError `zip.malformed` with the offset; `zip.duplicate` where two entries share a path
 */
export async function readZip(source: ByteSource): Promise<ZipLayout> {
  const { end, offset, size, directory, rows } = await readDirectory(source);
  const seen = new Set<string>();
  for (const row of rows) {
    if (seen.has(row.path)) {
      throw new HullError(
        'zip.duplicate',
        'Two entries have the same path; readers would disagree on which counts.',
        {
          location: { entry: row.path, offset: row.recordOffset },
          fix: 'Do not install this package; build it again.',
        },
      );
    }
    seen.add(row.path);
  }
  const entries: ZipEntry[] = [];
  const longest = rows.reduce((most, { nameLength }) => Math.max(most, nameLength), 0);
  const bytes = Buffer.alloc(LOCAL_HEADER_SIZE + longest);
  const header = { bytes, view: viewOf(bytes) };
  for (const row of rows) {
    checkRow(row, offset);
    // Behind the last header are the directory and the end record, which are longer than what is read too much.
    const reading = source.readInto(bytes, row.headerOffset);
    if (reading) await reading;
    entries.push(locate(row, header, directory, offset));
  }
  const ordered = [...entries].sort((a, b) => a.headerOffset - b.headerOffset);
  for (let i = 1; i < ordered.length; i += 1) {
    const before = ordered[i - 1] as ZipEntry;
    const here = ordered[i] as ZipEntry;
    if (before.dataOffset + before.compressedSize > here.headerOffset) {
      throw malformed('Two entries overlap.', here.headerOffset).at({ entry: here.path });
    }
  }
  return {
    entries,
    centralDirectory: { offset, size },
    endRecord: { offset: end.offset, size: end.bytes.length },
  };
}

/** Bytes of an archive that are read at a time. */
const PIECE = 1024 * 1024;

/**
 * One entry's bytes in pieces, inflated and checked like {@link readEntry}'s, for entries of any size.
 *
 * @throws HullError `zip.malformed` after the last piece, at the latest
 */
export async function* readEntryInPieces(source: ByteSource, entry: ZipEntry): AsyncGenerator<Uint8Array> {
  const location = { entry: entry.path, offset: entry.dataOffset };
  const packed = Readable.from(
    (async function* () {
      for (let done = 0; done < entry.compressedSize; done += PIECE) {
        yield await source.read(entry.dataOffset + done, Math.min(PIECE, entry.compressedSize - done));
      }
    })(),
  );
  let size = 0;
  let sum = 0;
  try {
    const plain = entry.method === 'store' ? packed : packed.pipe(createInflateRaw({ chunkSize: PIECE / 4 }));
    for await (const chunk of plain as AsyncIterable<Uint8Array>) {
      size += chunk.length;
      if (size > entry.size) break;
      sum = crc32(chunk, sum);
      yield chunk;
    }
  } catch (cause) {
    if (cause instanceof HullError) throw cause;
    throw new HullError('zip.malformed', 'The compressed bytes are damaged.', { location, cause });
  }
  checkUnpacked(entry, size, sum);
}

/**
 * Holds what was unpacked against the directory.
 *
 * @param size in bytes
 * @throws HullError `zip.malformed`
 */
export function checkUnpacked(entry: ZipEntry, size: number, crc: number): void {
  const location = { entry: entry.path, offset: entry.dataOffset };
  if (size !== entry.size)
    throw malformed('The entry has another size than the directory says.').at(location);
  if (crc !== entry.crc32) throw malformed('The entry does not match its checksum.').at(location);
}

/**
 * One entry's bytes, inflated and checked against its size and CRC-32.
 *
 * @param limit the most bytes to accept, so that a hostile entry cannot fill the memory
 */
export async function readEntry(
  source: ByteSource,
  entry: ZipEntry,
  limit = 256 * 1024 * 1024,
): Promise<Uint8Array> {
  const location = { entry: entry.path, offset: entry.dataOffset };
  if (entry.size > limit) {
    throw malformed(`The entry says it has ${entry.size} bytes; at most ${limit} are read here.`).at(
      location,
    );
  }
  if (entry.size > entry.compressedSize * MAX_RATIO + 1024) {
    throw malformed('The entry says that it is larger than its compressed bytes can hold.').at(location);
  }
  return unpackEntry(await source.read(entry.dataOffset, entry.compressedSize), entry);
}

/** The bytes of an entry, of those that are packed; inflated and checked against its size and CRC-32. */
export async function unpackEntry(packed: Uint8Array, entry: ZipEntry): Promise<Uint8Array> {
  const location = { entry: entry.path, offset: entry.dataOffset };
  let bytes = packed;
  if (entry.method === 'deflate') {
    try {
      const limits = { maxOutputLength: Math.max(1, entry.size) };
      // What an entry says of its size is not allocated before some of it has proved true.
      const chunkSize = Math.min(Math.max(64, entry.size + 1), MOST_CHUNK);
      bytes =
        entry.size <= SMALL
          ? inflateRawSync(packed, limits)
          : await inflate(packed, { ...limits, chunkSize });
    } catch (cause) {
      throw new HullError('zip.malformed', 'The compressed bytes are damaged.', { location, cause });
    }
  }
  checkUnpacked(entry, bytes.length, crc32(bytes));
  return bytes;
}
