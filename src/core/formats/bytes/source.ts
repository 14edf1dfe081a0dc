import { readSync } from 'node:fs';
import { type FileHandle, open } from 'node:fs/promises';

/** Reads of up to this many bytes are done at once: handing them to the thread pool costs more than they do. */
const AT_ONCE = 64 * 1024;
/** Bytes that are read where fewer are asked for. */
const WINDOW = 256 * 1024;

/** Random access to bytes that may be larger than memory. */
export interface ByteSource {
  /** Size in bytes. */
  readonly size: number;
  /** Exactly `length` bytes from `offset`; the caller has checked both against `size`. They are not to be changed. */
  read(offset: number, length: number): Promise<Uint8Array>;
  /** Fills `target` from `offset`. */
  readInto(target: Uint8Array, offset: number): Promise<void>;
}

/** Bytes already in memory. */
export function bytesSource(bytes: Uint8Array): ByteSource {
  return {
    size: bytes.length,
    read: async (offset, length) => bytes.subarray(offset, offset + length),
    readInto: async (target, offset) => target.set(bytes.subarray(offset, offset + target.length)),
  };
}

/** An open file; `close` it when done. */
export class FileSource implements ByteSource {
  readonly size: number;
  readonly #handle: FileHandle;
  /** Bytes read ahead for small reads, which mostly follow each other. */
  #window = new Uint8Array();
  #windowAt = 0;

  private constructor(handle: FileHandle, size: number) {
    this.#handle = handle;
    this.size = size;
  }

  static async open(path: string): Promise<FileSource> {
    const handle = await open(path, 'r');
    try {
      return new FileSource(handle, (await handle.stat()).size);
    } catch (error) {
      await handle.close();
      throw error;
    }
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (length <= AT_ONCE) return this.#small(offset, length);
    const bytes = new Uint8Array(length);
    await this.readInto(bytes, offset);
    return bytes;
  }

  /** A part of the window; where it does not hold the bytes, another one is read, which parts given before keep alive. */
  #small(offset: number, length: number): Uint8Array {
    const start = offset - this.#windowAt;
    if (start >= 0 && start + length <= this.#window.length)
      return this.#window.subarray(start, start + length);
    const window = new Uint8Array(Math.max(length, Math.min(WINDOW, this.size - offset)));
    let done = 0;
    while (done < window.length) {
      const count = readSync(this.#handle.fd, window, done, window.length - done, offset + done);
      if (count === 0) throw this.#shorter();
      done += count;
    }
    this.#window = window;
    this.#windowAt = offset;
    return window.subarray(0, length);
  }

  #shorter(): Error {
    return new Error(`the file became shorter than ${this.size} bytes while it was read`);
  }

  async readInto(target: Uint8Array, offset: number): Promise<void> {
    let done = 0;
    while (done < target.length) {
      const { bytesRead } = await this.#handle.read(target, done, target.length - done, offset + done);
      if (bytesRead === 0) throw this.#shorter();
      done += bytesRead;
    }
  }

  async close(): Promise<void> {
    await this.#handle.close();
  }
}
