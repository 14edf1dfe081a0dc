import { constants, readSync } from 'node:fs';
import { type FileHandle, open } from 'node:fs/promises';
import { HullError } from '../../errors.js';

/** Reads of up to this many bytes are done at once: handing them to the thread pool costs more than they do. */
const AT_ONCE = 1024 * 1024;
/** Reads of up to this many bytes come from a window. */
const SMALL = 64 * 1024;
/** Bytes that are read where fewer are asked for: few at first, more while most of what was read is then asked for. */
const WINDOW = { least: 512, most: 256 * 1024 } as const;

/** Bytes of memory that windows are cut from: one allocation for many small ones. */
const SLAB = 64 * 1024;

/** Random access to bytes that may be larger than memory. */
export interface ByteSource {
  /** Size in bytes. */
  readonly size: number;
  /**
   * Exactly `length` bytes from `offset`, at once where they are few; the caller has checked both against `size`. They
   * are not to be changed.
   */
  read(offset: number, length: number): Uint8Array | Promise<Uint8Array>;
  /** Fills `target` from `offset`, at once where it is small. */
  readInto(target: Uint8Array, offset: number): void | Promise<void>;
}

/** Bytes already in memory. */
export function bytesSource(bytes: Uint8Array): ByteSource {
  return {
    size: bytes.length,
    read: (offset, length) => bytes.subarray(offset, offset + length),
    readInto: (target, offset) => target.set(bytes.subarray(offset, offset + target.length)),
  };
}

/** An open file; `close` it when done. */
export class FileSource implements ByteSource {
  readonly path: string;
  readonly size: number;
  readonly #handle: FileHandle;
  /** Bytes read ahead for small reads, which mostly follow each other. */
  #window = new Uint8Array();
  #windowAt = 0;
  #reach: number = WINDOW.least;
  /** Bytes of the window that were asked for. */
  #served = 0;
  /** Memory that windows are cut from. */
  #memory = new Uint8Array();

  private constructor(path: string, handle: FileHandle, size: number) {
    this.path = path;
    this.#handle = handle;
    this.size = size;
  }

  static async open(path: string): Promise<FileSource> {
    // A pipe is opened without waiting for its other end, and then refused.
    const handle = await open(path, constants.O_RDONLY | (constants.O_NONBLOCK ?? 0));
    try {
      const facts = await handle.stat();
      if (!facts.isFile()) {
        throw new HullError('file.not-regular', 'This is a folder, a device or a pipe, not a file.', {
          location: { file: path },
          fix: 'Name a file.',
        });
      }
      return new FileSource(path, handle, facts.size);
    } catch (error) {
      await handle.close();
      throw error;
    }
  }

  /** Its descriptor, for other threads of this process. */
  get fd(): number {
    return this.#handle.fd;
  }

  read(offset: number, length: number): Uint8Array | Promise<Uint8Array> {
    return length <= SMALL ? this.#small(offset, length) : this.#large(offset, length);
  }

  async #large(offset: number, length: number): Promise<Uint8Array> {
    const bytes = new Uint8Array(length);
    await this.readInto(bytes, offset);
    return bytes;
  }

  /** A part of the window; where it does not hold the bytes, another one is read, which parts given before keep alive. */
  #small(offset: number, length: number): Uint8Array {
    const start = offset - this.#windowAt;
    if (start >= 0 && start + length <= this.#window.length) {
      this.#served += length;
      return this.#window.subarray(start, start + length);
    }
    const wasWorth = this.#served > this.#window.length / 4;
    this.#reach = wasWorth ? Math.min(2 * this.#reach, WINDOW.most) : WINDOW.least;
    this.#served = length;
    const size = Math.max(length, Math.min(this.#reach, this.size - offset));
    if (this.#memory.length < size) this.#memory = new Uint8Array(Math.max(size, SLAB));
    const window = this.#memory.subarray(0, size);
    this.#memory = this.#memory.subarray(size);
    this.#readNow(window, offset);
    this.#window = window;
    this.#windowAt = offset;
    return window.subarray(0, length);
  }

  #readNow(target: Uint8Array, offset: number): void {
    for (let done = 0; done < target.length; ) {
      const count = readSync(this.#handle.fd, target, done, target.length - done, offset + done);
      if (count === 0) throw this.#shorter();
      done += count;
    }
  }

  #shorter(): Error {
    return new Error(`the file became shorter than ${this.size} bytes while it was read`);
  }

  readInto(target: Uint8Array, offset: number): void | Promise<void> {
    return target.length <= AT_ONCE ? this.#readNow(target, offset) : this.#readLater(target, offset);
  }

  async #readLater(target: Uint8Array, offset: number): Promise<void> {
    for (let done = 0; done < target.length; ) {
      const { bytesRead } = await this.#handle.read(target, done, target.length - done, offset + done);
      if (bytesRead === 0) throw this.#shorter();
      done += bytesRead;
    }
  }

  async close(): Promise<void> {
    await this.#handle.close();
  }
}

/** Bytes that are compared at a time. */
const PIECE = 1024 * 1024;

/** A range of bytes in a source. */
export interface ByteRange {
  readonly source: ByteSource;
  readonly offset: number;
}

/** Whether `size` bytes are the same in two places. */
export async function areSameBytes(one: ByteRange, other: ByteRange, size: number): Promise<boolean> {
  const [bytes, others] = [new Uint8Array(PIECE), new Uint8Array(PIECE)];
  for (let done = 0; done < size; done += PIECE) {
    const length = Math.min(PIECE, size - done);
    await one.source.readInto(bytes.subarray(0, length), one.offset + done);
    await other.source.readInto(others.subarray(0, length), other.offset + done);
    if (Buffer.compare(bytes.subarray(0, length), others.subarray(0, length)) !== 0) return false;
  }
  return true;
}
