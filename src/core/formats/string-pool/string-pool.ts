import { HullError } from '../../errors.js';
import { ByteReader } from '../bytes/reader.js';
import { ByteWriter } from '../bytes/writer.js';

/**
 * The string pool that binary XML and resource tables share (`ResStringPool_header` in the platform's
 * ResourceTypes.h): a chunk of strings told by index, in UTF-8 or UTF-16. Style spans are read past, not kept.
 */

export const STRING_POOL = 0x0001;
const HEADER_SIZE = 28;
const FLAG_UTF8 = 0x100;
/** The longest string each encoding's length prefix can tell, in its own units. */
const MAX_UTF8_BYTES = 0x7fff;
const MAX_UTF16_UNITS = 0x7fffffff;

export type StringEncoding = 'utf-8' | 'utf-16';

/** Strings by index, made while a document is being written. */
export class StringPoolBuilder {
  readonly #index = new Map<string, number>();
  readonly #strings: string[] = [];

  /** The index of `text`, added at the end if it is new. */
  add(text: string): number {
    const known = this.#index.get(text);
    if (known !== undefined) return known;
    return this.append(text);
  }

  /** Adds `text` at the end even where it is already there (the resource map needs one string an attribute). */
  append(text: string): number {
    const index = this.#strings.length;
    this.#strings.push(text);
    if (!this.#index.has(text)) this.#index.set(text, index);
    return index;
  }

  get strings(): readonly string[] {
    return this.#strings;
  }
}

function writeUtf8(out: ByteWriter, text: string): void {
  const bytes = new TextEncoder().encode(text);
  if (bytes.length > MAX_UTF8_BYTES || text.length > MAX_UTF8_BYTES) {
    throw new HullError(
      'string-pool.malformed',
      `A text of ${bytes.length} bytes is too long for a resource.`,
      {
        fix: `Shorten it to at most ${MAX_UTF8_BYTES} bytes.`,
      },
    );
  }
  for (const length of [text.length, bytes.length]) {
    if (length > 0x7f) out.u8(0x80 | (length >> 8));
    out.u8(length & 0xff);
  }
  out.bytes(bytes).u8(0);
}

function writeUtf16(out: ByteWriter, text: string): void {
  if (text.length > 0x7fff) out.u16(0x8000 | (text.length >>> 16));
  out.u16(text.length & 0xffff);
  for (let i = 0; i < text.length; i += 1) out.u16(text.charCodeAt(i));
  out.u16(0);
}

/** The pool as a chunk, its size a multiple of four. */
export function writeStringPool(strings: readonly string[], encoding: StringEncoding): Uint8Array {
  const data = new ByteWriter(strings.length * 16 + 16);
  const offsets: number[] = [];
  for (const text of strings) {
    offsets.push(data.length);
    if (encoding === 'utf-8') writeUtf8(data, text);
    else writeUtf16(data, text);
  }
  data.align(4);
  const body = data.finish();
  const start = HEADER_SIZE + offsets.length * 4;
  const out = new ByteWriter(start + body.length)
    .u16(STRING_POOL)
    .u16(HEADER_SIZE)
    .u32(start + body.length)
    .u32(strings.length)
    .u32(0)
    .u32(encoding === 'utf-8' ? FLAG_UTF8 : 0)
    .u32(strings.length === 0 ? 0 : start)
    .u32(0);
  for (const offset of offsets) out.u32(offset);
  return out.bytes(body).finish();
}

function readUtf8Length(reader: ByteReader): number {
  const first = reader.u8('a string length');
  return first & 0x80 ? ((first & 0x7f) << 8) | reader.u8('a string length') : first;
}

function readUtf8(reader: ByteReader): string {
  readUtf8Length(reader);
  const length = readUtf8Length(reader);
  const bytes = reader.take(length, 'a string');
  reader.budget.charge('text', length);
  return hasSurrogates(bytes) ? decodeModified(bytes) : new TextDecoder('utf-8').decode(bytes);
}

/** Whether halves of characters are written for themselves, as the platform's own compiler does (modified UTF-8). */
function hasSurrogates(bytes: Uint8Array): boolean {
  for (let at = bytes.indexOf(0xed); at >= 0; at = bytes.indexOf(0xed, at + 1)) {
    if ((bytes[at + 1] ?? 0) >= 0xa0) return true;
  }
  return false;
}

/** UTF-8 in which each half of a character beyond U+FFFF has three bytes of its own (as CESU-8). */
function decodeModified(bytes: Uint8Array): string {
  let text = '';
  let start = 0;
  const plain = (end: number) => new TextDecoder('utf-8').decode(bytes.subarray(start, end));
  for (let at = 0; at + 2 < bytes.length; at += 1) {
    const [a, b, c] = [bytes[at] as number, bytes[at + 1] as number, bytes[at + 2] as number];
    if (a !== 0xed || b < 0xa0 || b > 0xbf || (c & 0xc0) !== 0x80) continue;
    text += plain(at) + String.fromCharCode(0xd000 | ((b & 0x3f) << 6) | (c & 0x3f));
    at += 2;
    start = at + 1;
  }
  return (text + plain(bytes.length)).toWellFormed();
}

function readUtf16(reader: ByteReader): string {
  const first = reader.u16('a string length');
  const length = first & 0x8000 ? (first & 0x7fff) * 0x10000 + reader.u16('a string length') : first;
  if (length > MAX_UTF16_UNITS) throw reader.fail('A string is longer than the format allows.');
  const bytes = reader.take(length * 2, 'a string');
  reader.budget.charge('text', length * 2);
  return new TextDecoder('utf-16le').decode(bytes);
}

/**
 * Reads a pool chunk. `chunk` starts at the chunk's first byte and ends at its last.
 *
 * @throws HullError `string-pool.malformed` with the offset
 */
export function readStringPool(chunk: ByteReader): string[] {
  const reader = new ByteReader(chunk.bytes, 'string-pool.malformed', 0, chunk.base, chunk.budget);
  const type = reader.u16('the chunk type');
  const headerSize = reader.u16('the header size');
  const size = reader.u32('the chunk size');
  if (type !== STRING_POOL || headerSize < HEADER_SIZE || size > reader.length || headerSize > size) {
    throw reader.fail('This is not a string pool.', 0);
  }
  const count = reader.u32('the string count');
  reader.u32('the style count');
  const flags = reader.u32('the flags');
  const start = reader.u32('the start of the strings');
  reader.need(headerSize, count * 4, `the offsets of ${count} strings`);
  reader.budget.charge('items', count);
  const strings: string[] = [];
  for (let i = 0; i < count; i += 1) {
    reader.at = headerSize + i * 4;
    const offset = reader.u32('a string offset');
    reader.at = start + offset;
    if (reader.at < headerSize + count * 4)
      throw reader.fail(`String ${i} starts inside the offsets.`, headerSize + i * 4);
    strings.push(flags & FLAG_UTF8 ? readUtf8(reader) : readUtf16(reader));
  }
  return strings;
}
