const text = new TextEncoder();

/** A growing little-endian byte buffer. Offsets are from its start. */
export class ByteWriter {
  #bytes: Uint8Array;
  #view: DataView;
  #length = 0;

  constructor(capacity = 256) {
    this.#bytes = new Uint8Array(capacity);
    this.#view = new DataView(this.#bytes.buffer);
  }

  get length(): number {
    return this.#length;
  }

  #reserve(count: number): number {
    const at = this.#length;
    if (at + count > this.#bytes.length) {
      const grown = new Uint8Array(Math.max(this.#bytes.length * 2, at + count));
      grown.set(this.#bytes.subarray(0, at));
      this.#bytes = grown;
      this.#view = new DataView(grown.buffer);
    }
    this.#length = at + count;
    return at;
  }

  u8(value: number): this {
    const at = this.#reserve(1);
    this.#view.setUint8(at, value);
    return this;
  }

  u16(value: number): this {
    const at = this.#reserve(2);
    this.#view.setUint16(at, value, true);
    return this;
  }

  u32(value: number): this {
    const at = this.#reserve(4);
    this.#view.setUint32(at, value, true);
    return this;
  }

  u64(value: bigint): this {
    const at = this.#reserve(8);
    this.#view.setBigUint64(at, value, true);
    return this;
  }

  bytes(value: Uint8Array): this {
    const at = this.#reserve(value.length);
    this.#bytes.set(value, at);
    return this;
  }

  utf8(value: string): this {
    return this.bytes(text.encode(value));
  }

  zeros(count: number): this {
    this.#reserve(count);
    return this;
  }

  /** Zero bytes up to the next multiple of `alignment` from the buffer's start. */
  align(alignment: number): this {
    const over = this.#length % alignment;
    return over === 0 ? this : this.zeros(alignment - over);
  }

  /** Overwrites four bytes written before. */
  patchU32(at: number, value: number): this {
    this.#view.setUint32(at, value, true);
    return this;
  }

  patchU16(at: number, value: number): this {
    this.#view.setUint16(at, value, true);
    return this;
  }

  /** The bytes written so far: a view, valid until the next write. */
  finish(): Uint8Array {
    return this.#bytes.subarray(0, this.#length);
  }
}
