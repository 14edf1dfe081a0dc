import { HullError } from '../../errors.js';
import { Budget, chargeUse, MAX_NESTING } from '../bytes/budget.js';
import { newDict, type PlistValue } from './types.js';

/**
 * Property lists in the binary form: `bplist00`, objects, a table of their offsets, a trailer of 32 bytes. Big-endian
 * (CoreFoundation, CFBinaryPList.c, the comment on the format).
 */

export const BINARY_MAGIC = 'bplist00';
const HEADER = 8;
const TRAILER = 32;
/** Seconds between the Unix epoch and 1 January 2001 (UTC), from which dates are counted. */
export const EPOCH = 978_307_200;

const utf16 = new TextDecoder('utf-16be');

class BinaryPlistReader {
  readonly #bytes: Uint8Array;
  readonly #view: DataView;
  readonly #budget: Budget;
  readonly #offsets: readonly number[];
  readonly #refSize: number;
  readonly #top: number;
  /** Objects that are being read: one that is met again contains itself. */
  readonly #open = new Set<number>();

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#budget = new Budget(bytes.length);
    if (bytes.length < HEADER + TRAILER) throw this.#fail('It is cut short.', bytes.length);
    const end = bytes.length - TRAILER;
    const offsetSize = bytes[end + 6] as number;
    this.#refSize = bytes[end + 7] as number;
    const count = this.#number(end + 8, 8);
    this.#top = this.#number(end + 16, 8);
    const table = this.#number(end + 24, 8);
    const sizes = [1, 2, 3, 4, 8];
    if (!sizes.includes(offsetSize) || !sizes.includes(this.#refSize))
      throw this.#fail('Its trailer is malformed.', end);
    if (table < HEADER || count < 1 || table + count * offsetSize > end || this.#top >= count) {
      throw this.#fail('Its table of offsets lies outside.', end);
    }
    this.#budget.charge('items', count);
    this.#offsets = Array.from({ length: count }, (_, index) =>
      this.#number(table + index * offsetSize, offsetSize),
    );
    for (const offset of this.#offsets) {
      if (offset < HEADER || offset >= table) throw this.#fail('An object lies outside.', table);
    }
  }

  #fail(message: string, offset: number): HullError {
    return new HullError('plist.malformed', `The binary property list is malformed: ${message}`, {
      location: { offset },
    });
  }

  /** An unsigned number of `size` bytes; beyond 53 bits it is no offset or count of a file. */
  #number(at: number, size: number): number {
    if (at + size > this.#bytes.length) throw this.#fail('It is cut short.', at);
    let value = 0;
    for (let i = 0; i < size; i += 1) value = value * 256 + (this.#bytes[at + i] as number);
    if (!Number.isSafeInteger(value)) throw this.#fail('A number is too large.', at);
    return value;
  }

  /** The length behind a marker, and where the content starts. */
  #length(at: number, low: number): { readonly length: number; readonly start: number } {
    if (low !== 0x0f) return { length: low, start: at + 1 };
    const marker = this.#number(at + 1, 1);
    if (marker >> 4 !== 1 || (marker & 0x0f) > 3) throw this.#fail('A length is not a number.', at);
    const size = 2 ** (marker & 0x0f);
    return { length: this.#number(at + 2, size), start: at + 2 + size };
  }

  #slice(start: number, length: number): Uint8Array {
    if (start + length > this.#bytes.length - TRAILER) throw this.#fail('An object is cut short.', start);
    return this.#bytes.subarray(start, start + length);
  }

  read(): PlistValue {
    return this.#object(this.#top);
  }

  #object(index: number): PlistValue {
    const at = this.#offsets[index];
    if (at === undefined) throw this.#fail(`There is no object ${index}.`, HEADER);
    this.#budget.charge('items', 1);
    const marker = this.#bytes[at] as number;
    const low = marker & 0x0f;
    switch (marker >> 4) {
      case 0x0:
        if (low === 8 || low === 9) return low === 9;
        throw this.#fail('An object is of an unknown kind.', at);
      case 0x1:
        return this.#integer(at, low);
      case 0x2:
        return this.#real(at, low);
      case 0x3: {
        if (low !== 3) throw this.#fail('A date is malformed.', at);
        this.#slice(at + 1, 8);
        const date = new Date((this.#view.getFloat64(at + 1) + EPOCH) * 1000);
        if (Number.isNaN(date.getTime())) throw this.#fail('A date is malformed.', at);
        return date;
      }
      case 0x4: {
        const { length, start } = this.#length(at, low);
        const bytes = this.#slice(start, length);
        this.#budget.charge('text', length);
        return new Uint8Array(bytes);
      }
      case 0x5: {
        const { length, start } = this.#length(at, low);
        return this.#text(Buffer.from(this.#slice(start, length)).toString('latin1'));
      }
      case 0x6: {
        const { length, start } = this.#length(at, low);
        return this.#text(utf16.decode(this.#slice(start, length * 2)));
      }
      case 0x8: {
        // Of keyed archives; as XML writes it.
        return Object.assign(newDict(), { CF$UID: this.#number(at + 1, low + 1) });
      }
      case 0xa:
      case 0xd:
        return this.#container(index, at, low, marker >> 4 === 0xd);
      default:
        throw this.#fail('An object is of an unknown kind.', at);
    }
  }

  #text(text: string): string {
    chargeUse(this.#budget, text);
    return text;
  }

  #integer(at: number, low: number): PlistValue {
    if (low > 4) throw this.#fail('A number is malformed.', at);
    const size = 2 ** low;
    const bytes = this.#slice(at + 1, size);
    // Numbers of 8 bytes have a sign, shorter ones have none; those of 16 are for unsigned ones of 8.
    if (size < 8) return this.#number(at + 1, size);
    const value = BigInt.asIntN(64, BigInt(`0x${Buffer.from(bytes.subarray(size - 8)).toString('hex')}`));
    const whole = size === 16 ? BigInt.asUintN(64, value) : value;
    return whole >= BigInt(Number.MIN_SAFE_INTEGER) && whole <= BigInt(Number.MAX_SAFE_INTEGER)
      ? Number(whole)
      : whole;
  }

  #real(at: number, low: number): number {
    if (low !== 2 && low !== 3) throw this.#fail('A real number is malformed.', at);
    this.#slice(at + 1, 2 ** low);
    return low === 2 ? this.#view.getFloat32(at + 1) : this.#view.getFloat64(at + 1);
  }

  #container(index: number, at: number, low: number, isDict: boolean): PlistValue {
    if (this.#open.has(index)) throw this.#fail('An object contains itself.', at);
    if (this.#open.size > MAX_NESTING) throw this.#fail('It is nested too deep.', at);
    const { length, start } = this.#length(at, low);
    this.#slice(start, length * this.#refSize * (isDict ? 2 : 1));
    this.#open.add(index);
    const item = (place: number) => this.#object(this.#number(start + place * this.#refSize, this.#refSize));
    let value: PlistValue;
    if (isDict) {
      const dict = newDict();
      for (let i = 0; i < length; i += 1) {
        const key = item(i);
        if (typeof key !== 'string') throw this.#fail('A key is not a string.', at);
        if (key in dict) throw this.#fail(`The key "${key.slice(0, 60)}" is repeated.`, at);
        dict[key] = item(length + i);
      }
      value = dict;
    } else {
      const list: PlistValue[] = [];
      for (let i = 0; i < length; i += 1) list.push(item(i));
      value = list;
    }
    this.#open.delete(index);
    return value;
  }
}

/**
 * Reads a property list in the binary form.
 *
 * @throws HullError `plist.malformed` with the offset, `file.over-budget`
 */
export function readBinaryPlist(bytes: Uint8Array): PlistValue {
  return new BinaryPlistReader(bytes).read();
}
