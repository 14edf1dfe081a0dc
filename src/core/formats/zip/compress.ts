import { createReadStream } from 'node:fs';
import { open, rm } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import { createGzip, deflateRawSync, gzip } from 'node:zlib';
import { fromSystemError } from '../../errors.js';
import type { ByteSource } from '../bytes/source.js';
import { crc32 } from './crc32.js';
import { AT_ONCE, Digester, digestBytes, digestEntry } from './digest.js';
import { unpackEntry } from './reader.js';
import { changed, LEVEL, readSmall } from './small-file.js';
import {
  type Content,
  type Entry,
  type EntryDigest,
  type FileContent,
  isFile,
  type KnownContent,
  type KnownContents,
  type Method,
  type PackedContent,
} from './types.js';

/** An entry's bytes in the form in which they are written. */
export interface Prepared {
  readonly method: Method;
  readonly crc32: number;
  readonly size: number;
  readonly compressedSize: number;
  /** Digest of the unpacked bytes, where one was asked for. */
  readonly digest?: Uint8Array;
  /** The bytes to write, or what holds them; `temporary` files are removed once they are written. */
  readonly data:
    | Uint8Array
    | { readonly file: string; readonly offset: number; readonly temporary: boolean }
    | { readonly source: ByteSource; readonly offset: number };
}

/** Files above this many bytes are streamed instead of being held in memory. */
export const STREAM_FROM = 8 * 1024 * 1024;

/** Whether an entry is a file that is streamed. */
export const isStreamed = (content: Content): content is FileContent =>
  isFile(content) && content.size > STREAM_FROM;

/** A gzip member (RFC 1952) as zlib writes it: 10 bytes of header, the deflate stream, CRC-32 and size. */
const GZIP_HEADER = 10;
const GZIP_TRAILER = 8;

/**
 * Deflates in zlib's thread pool. The gzip form is asked for because its trailer brings the CRC-32 of the input,
 * computed off the main thread; its frame is taken off again.
 */
function deflate(bytes: Uint8Array): Promise<{ readonly body: Uint8Array; readonly crc32: number }> {
  if (bytes.length <= AT_ONCE) {
    return Promise.resolve({ body: deflateRawSync(bytes, { level: LEVEL }), crc32: crc32(bytes) });
  }
  return new Promise((resolve, reject) => {
    gzip(
      bytes,
      { level: LEVEL, chunkSize: Math.max(1024, bytes.length + GZIP_HEADER + GZIP_TRAILER + 64) },
      (error, framed) => {
        if (error) reject(error);
        else {
          resolve({
            body: framed.subarray(GZIP_HEADER, framed.length - GZIP_TRAILER),
            crc32: framed.readUInt32LE(framed.length - GZIP_TRAILER),
          });
        }
      },
    );
  });
}

async function prepareBytes(
  bytes: Uint8Array,
  method: Method,
  digest: EntryDigest | undefined,
  known?: KnownContents,
): Promise<Prepared> {
  const digested = digest && digestBytes(bytes, digest);
  digested?.catch(() => undefined);
  const before = method === 'deflate' ? await sameBytes(bytes, known) : undefined;
  if (before) return { ...before, ...(digested && { digest: await digested }) };
  if (method === 'deflate' && bytes.length > 0) {
    const { body, crc32: sum } = await deflate(bytes);
    if (body.length < bytes.length) {
      return {
        method,
        crc32: sum,
        size: bytes.length,
        compressedSize: body.length,
        data: body,
        ...(digested && { digest: await digested }),
      };
    }
  }
  return {
    method: 'store',
    crc32: crc32(bytes),
    size: bytes.length,
    compressedSize: bytes.length,
    data: bytes,
    ...(digested && { digest: await digested }),
  };
}

/**
 * One pass over a large file for its CRC-32; the bytes are read again when they are written.
 *
 * @throws the system's errors; HullError `web.changed-while-packing`
 */
export async function prepareLargeStored(
  content: FileContent,
  digest: EntryDigest | undefined,
  signal?: AbortSignal,
): Promise<Prepared> {
  const hash = digest && new Digester(digest);
  let sum = 0;
  let size = 0;
  for await (const chunk of createReadStream(content.file, { highWaterMark: 1024 * 1024 })) {
    signal?.throwIfAborted();
    sum = crc32(chunk as Uint8Array, sum);
    hash?.update(chunk as Uint8Array);
    size += (chunk as Uint8Array).length;
  }
  if (size !== content.size) throw changed(content, size);
  return {
    method: 'store',
    crc32: sum,
    size,
    compressedSize: size,
    data: { file: content.file, offset: 0, temporary: false },
    ...(hash ? { digest: hash.digest() } : {}),
  };
}

/** Digests of small contents that go into many packages, such as the shell's code. */
const packedDigests = new WeakMap<PackedContent, { readonly of: EntryDigest; readonly bytes: Uint8Array }>();

/** Takes an entry of another archive as it stands; it is unpacked only where its digest is wanted. */
async function preparePacked(content: PackedContent, digest: EntryDigest | undefined): Promise<Prepared> {
  const { archive, entry } = content;
  const { method, compressedSize, size } = entry;
  const isSmall = Math.max(compressedSize, size) <= STREAM_FROM;
  const bytes = isSmall ? await archive.read(entry.dataOffset, compressedSize) : undefined;
  const prepared = {
    method,
    crc32: entry.crc32,
    size,
    compressedSize,
    data: bytes ?? { source: archive, offset: entry.dataOffset },
  };
  if (digest === undefined) return prepared;
  if (bytes === undefined) return { ...prepared, digest: await digestEntry(archive, entry, digest) };
  const before = packedDigests.get(content);
  if (before?.of === digest) return { ...prepared, digest: before.bytes };
  const found = await digestBytes(await unpackEntry(bytes, entry), digest);
  packedDigests.set(content, { of: digest, bytes: found });
  return { ...prepared, digest: found };
}

/** What an earlier archive has of a file, where that tells all that is wanted of it. */
export function knownFile(
  content: FileContent,
  digest: EntryDigest | undefined,
  known: KnownContents | undefined,
): KnownContent | undefined {
  const before = known?.ofFile(content);
  const tellsAll = digest === undefined || (digest === 'sha256' && before?.sha256 !== undefined);
  return tellsAll ? before : undefined;
}

/** Takes bytes over that an earlier archive has. */
async function takeOver({ packed, sha256 }: KnownContent): Promise<Prepared> {
  return { ...(await preparePacked(packed, undefined)), ...(sha256 ? { digest: sha256 } : {}) };
}

/** What an earlier archive has of just these bytes: unpacking takes a fifth of the time of packing. */
async function sameBytes(bytes: Uint8Array, known: KnownContents | undefined): Promise<Prepared | undefined> {
  const candidates = known?.ofSize(bytes.length) ?? [];
  if (candidates.length === 0) return undefined;
  const sum = crc32(bytes);
  const found = candidates.find(({ packed }) => packed.entry.crc32 === sum);
  if (found === undefined) return undefined;
  const prepared = await preparePacked(found.packed, undefined);
  if (!(prepared.data instanceof Uint8Array)) return undefined;
  const unpacked = await unpackEntry(prepared.data, found.packed.entry);
  return Buffer.compare(unpacked, bytes) === 0 ? prepared : undefined;
}

/** Deflates a large file into a temporary one, because the header before the data must give its size. */
async function prepareLargeDeflated(
  content: FileContent,
  temporary: string,
  digest: EntryDigest | undefined,
  signal: AbortSignal | undefined,
): Promise<Prepared> {
  const hash = digest && new Digester(digest);
  let written = 0;
  let tail: Uint8Array = new Uint8Array();
  try {
    const target = await open(temporary, 'wx', 0o600);
    try {
      const plain = createReadStream(content.file, { highWaterMark: 1024 * 1024 });
      if (hash) plain.on('data', (chunk) => hash.update(chunk as Buffer));
      const writing = async (chunks: AsyncIterable<Uint8Array>) => {
        for await (const chunk of chunks) {
          await target.write(chunk);
          written += chunk.length;
          tail = Buffer.concat([tail, chunk.subarray(-GZIP_TRAILER)]).subarray(-GZIP_TRAILER);
        }
      };
      const gzip = createGzip({ level: LEVEL, chunkSize: 256 * 1024 });
      await pipeline(plain, gzip, writing, ...(signal ? [{ signal }] : []));
    } finally {
      await target.close();
    }
    const trailer = new DataView(tail.buffer, tail.byteOffset, GZIP_TRAILER);
    const size = trailer.getUint32(4, true);
    if (size !== content.size % 2 ** 32) throw changed(content, size);
    const compressedSize = written - GZIP_HEADER - GZIP_TRAILER;
    if (compressedSize < content.size) {
      return {
        method: 'deflate',
        crc32: trailer.getUint32(0, true),
        size: content.size,
        compressedSize,
        data: { file: temporary, offset: GZIP_HEADER, temporary: true },
        ...(hash ? { digest: hash.digest() } : {}),
      };
    }
  } catch (error) {
    await rm(temporary, { force: true });
    throw error;
  }
  await rm(temporary, { force: true });
  return prepareLargeStored(content, digest, signal);
}

/**
 * Reads and compresses one entry.
 *
 * @param temporary names a file that may be made for a large one
 * @param known what earlier archives hold
 * @param signal stops what takes long, and takes away what it made
 */
export async function prepare(
  entry: Entry,
  temporary: () => string,
  digest?: EntryDigest,
  known?: KnownContents,
  signal?: AbortSignal,
): Promise<Prepared> {
  const { content } = entry;
  if (content instanceof Uint8Array) return prepareBytes(content, entry.method, digest);
  if ('archive' in content) return preparePacked(content, digest);
  const before = knownFile(content, digest, known);
  if (before) return takeOver(before);
  if (!isStreamed(content)) return prepareBytes(readSmall(content), entry.method, digest, known);
  try {
    return entry.method === 'store'
      ? await prepareLargeStored(content, digest, signal)
      : await prepareLargeDeflated(content, temporary(), digest, signal);
  } catch (error) {
    signal?.throwIfAborted();
    throw fromSystemError(error, content.file);
  }
}
