import { BINARY_MAGIC, EPOCH } from './binary-reader.js';
import { isDict, type PlistValue } from './types.js';

/** Bytes that hold a number up to `value`: a power of two. */
function widthFor(value: number): 1 | 2 | 4 {
  if (value <= 0xff) return 1;
  return value <= 0xffff ? 2 : 4;
}

function sized(value: number, width: number): Buffer {
  const bytes = Buffer.alloc(width);
  bytes.writeUIntBE(value, 0, width);
  return bytes;
}

function integer(value: bigint): Buffer {
  if (value >= 0n && value <= 0xffffffffn) {
    const width = widthFor(Number(value));
    return Buffer.concat([Buffer.from([0x10 | Math.log2(width)]), sized(Number(value), width)]);
  }
  // Beyond what eight bytes with a sign hold there are sixteen.
  const isLong = value > 0x7fffffffffffffffn;
  const bytes = Buffer.alloc(isLong ? 17 : 9);
  bytes[0] = isLong ? 0x14 : 0x13;
  bytes.writeBigUInt64BE(BigInt.asUintN(64, value), bytes.length - 8);
  return bytes;
}

/** A marker with a length, which follows it where it does not fit. */
function marked(kind: number, length: number): Buffer {
  if (length < 15) return Buffer.from([(kind << 4) | length]);
  return Buffer.concat([Buffer.from([(kind << 4) | 0x0f]), integer(BigInt(length))]);
}

function double(marker: number, value: number): Buffer {
  const bytes = Buffer.alloc(9);
  bytes[0] = marker;
  bytes.writeDoubleBE(value, 1);
  return bytes;
}

function utf16be(text: string): Buffer {
  return Buffer.from(text, 'utf16le').swap16();
}

type Planned = PlistValue | { readonly refs: readonly number[]; readonly kind: 0xa | 0xd };

/** Every object once: equal strings and numbers share a place. */
class Objects {
  readonly all: Planned[] = [];
  readonly #places = new Map<string, number>();

  add(value: PlistValue): number {
    if (
      typeof value === 'string' ||
      typeof value === 'number' ||
      typeof value === 'bigint' ||
      typeof value === 'boolean'
    ) {
      const key = `${typeof value}:${value}`;
      const known = this.#places.get(key);
      if (known !== undefined) return known;
      this.#places.set(key, this.all.length);
      return this.all.push(value) - 1;
    }
    const place = this.all.push(value) - 1;
    if (isDict(value)) {
      const keys = Object.keys(value);
      const refs = keys.map((key) => this.add(key));
      this.all[place] = {
        kind: 0xd,
        refs: [...refs, ...keys.map((key) => this.add(value[key] as PlistValue))],
      };
    } else if (Array.isArray(value)) {
      this.all[place] = { kind: 0xa, refs: value.map((item: PlistValue) => this.add(item)) };
    }
    return place;
  }
}

function objectBytes(value: Planned, refSize: number): Buffer {
  if (typeof value === 'object' && 'refs' in value && Array.isArray(value.refs)) {
    const refs = value.refs as readonly number[];
    const length = value.kind === 0xd ? refs.length / 2 : refs.length;
    return Buffer.concat([marked(value.kind as number, length), ...refs.map((ref) => sized(ref, refSize))]);
  }
  if (typeof value === 'boolean') return Buffer.from([value ? 0x09 : 0x08]);
  if (typeof value === 'bigint') return integer(value);
  if (typeof value === 'number')
    return Number.isInteger(value) ? integer(BigInt(value)) : double(0x23, value);
  if (value instanceof Date) return double(0x33, value.getTime() / 1000 - EPOCH);
  if (value instanceof Uint8Array) return Buffer.concat([marked(4, value.length), value]);
  const text = value as string;
  // biome-ignore lint/suspicious/noControlCharactersInRegex: the form knows ASCII and UTF-16
  return /^[\x00-\x7f]*$/.test(text)
    ? Buffer.concat([marked(5, text.length), Buffer.from(text, 'latin1')])
    : Buffer.concat([marked(6, text.length), utf16be(text)]);
}

/** A property list in the binary form (see the reader): the same for the same value. */
export function writeBinaryPlist(value: PlistValue): Uint8Array {
  const objects = new Objects();
  objects.add(value);
  const refSize = widthFor(objects.all.length);
  const offsets: number[] = [];
  const parts: Buffer[] = [Buffer.from(BINARY_MAGIC, 'latin1')];
  let at = BINARY_MAGIC.length;
  for (const object of objects.all) {
    offsets.push(at);
    const bytes = objectBytes(object, refSize);
    parts.push(bytes);
    at += bytes.length;
  }
  const offsetSize = widthFor(at);
  const trailer = Buffer.alloc(32);
  trailer[6] = offsetSize;
  trailer[7] = refSize;
  trailer.writeBigUInt64BE(BigInt(offsets.length), 8);
  trailer.writeBigUInt64BE(BigInt(at), 24);
  return new Uint8Array(
    Buffer.concat([...parts, ...offsets.map((offset) => sized(offset, offsetSize)), trailer]),
  );
}
