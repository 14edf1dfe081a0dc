import { type ErrorCode, HullError } from '../../errors.js';
import { Budget } from './budget.js';

/**
 * A bounds-checked little-endian view of hostile bytes: a read past the end is a {@link HullError} with the offset
 * from the start of the whole file or entry.
 */
export class ByteReader {
  readonly bytes: Uint8Array;
  /** Offset of `bytes[0]` in the whole, for error places. */
  readonly base: number;
  /** What reading the whole may cost; shared with the readers of its parts. */
  readonly budget: Budget;
  readonly #view: DataView;
  readonly #code: ErrorCode;
  /** Next offset to read, in bytes from the start of this view. */
  at: number;

  constructor(bytes: Uint8Array, code: ErrorCode, at = 0, base = 0, budget = new Budget(bytes.length)) {
    this.bytes = bytes;
    this.base = base;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#code = code;
    this.at = at;
    this.budget = budget;
  }

  get length(): number {
    return this.bytes.length;
  }

  get remaining(): number {
    return this.bytes.length - this.at;
  }

  fail(message: string, at = this.at): HullError {
    return new HullError(this.#code, message, { location: { offset: this.base + at } });
  }

  /** Checks that `count` bytes are at `at`. */
  need(at: number, count: number, what: string): void {
    if (!(at >= 0 && count >= 0 && at + count <= this.bytes.length)) {
      throw this.fail(
        `${what} would end outside the data (${count} bytes, ${Math.max(0, this.bytes.length - at)} left).`,
        at,
      );
    }
  }

  u8(what: string): number {
    this.need(this.at, 1, what);
    const value = this.#view.getUint8(this.at);
    this.at += 1;
    return value;
  }

  u16(what: string): number {
    this.need(this.at, 2, what);
    const value = this.#view.getUint16(this.at, true);
    this.at += 2;
    return value;
  }

  u32(what: string): number {
    this.need(this.at, 4, what);
    const value = this.#view.getUint32(this.at, true);
    this.at += 4;
    return value;
  }

  u64(what: string): bigint {
    this.need(this.at, 8, what);
    const value = this.#view.getBigUint64(this.at, true);
    this.at += 8;
    return value;
  }

  /** `count` bytes as a view into the data. */
  take(count: number, what: string): Uint8Array {
    this.need(this.at, count, what);
    const taken = this.bytes.subarray(this.at, this.at + count);
    this.at += count;
    return taken;
  }

  /** A reader over `count` bytes from the present place, which is skipped. */
  sub(count: number, what: string): ByteReader {
    const start = this.at;
    return new ByteReader(this.take(count, what), this.#code, 0, this.base + start, this.budget);
  }

  /** A 32-bit length, then that many bytes. */
  prefixed(what: string): ByteReader {
    return this.sub(this.u32(`the length of ${what}`), what);
  }
}
