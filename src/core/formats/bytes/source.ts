import { readSync } from 'node:fs';
import { type FileHandle, open } from 'node:fs/promises';

/** Reads of up to this many bytes are done at once: handing them to the thread pool costs more than they do. */
const AT_ONCE = 64 * 1024;

/** Random access to bytes that may be larger than memory. */
export interface ByteSource {
  /** Size in bytes. */
  readonly size: number;
  /** Exactly `length` bytes from `offset`; the caller has checked both against `size`. */
  read(offset: number, length: number): Promise<Uint8Array>;
}

/** Bytes already in memory. */
export function bytesSource(bytes: Uint8Array): ByteSource {
  return {
    size: bytes.length,
    read: async (offset, length) => bytes.subarray(offset, offset + length),
  };
}

/** An open file; `close` it when done. */
export class FileSource implements ByteSource {
  readonly size: number;
  readonly #handle: FileHandle;

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
    const bytes = new Uint8Array(length);
    let done = 0;
    while (done < length) {
      const bytesRead =
        length <= AT_ONCE
          ? readSync(this.#handle.fd, bytes, done, length - done, offset + done)
          : (await this.#handle.read(bytes, done, length - done, offset + done)).bytesRead;
      if (bytesRead === 0)
        throw new Error(`the file became shorter than ${this.size} bytes while it was read`);
      done += bytesRead;
    }
    return bytes;
  }

  async close(): Promise<void> {
    await this.#handle.close();
  }
}
