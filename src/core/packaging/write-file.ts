import { type FileHandle, open, rename, rm } from 'node:fs/promises';
import { fromSystemError } from '../errors.js';
import type { Sink } from '../formats/zip/writer.js';
import { temporaryBeside } from '../util/files.js';

/** Bytes gathered before they are handed to the disk. */
const BUFFER = 512 * 1024;

/** Gathers small writes into large ones. */
export class FileSink implements Sink {
  readonly #handle: FileHandle;
  readonly #buffer = new Uint8Array(BUFFER);
  #filled = 0;

  constructor(handle: FileHandle) {
    this.#handle = handle;
  }

  write(bytes: Uint8Array): void | Promise<void> {
    if (this.#filled + bytes.length <= BUFFER) {
      this.#buffer.set(bytes, this.#filled);
      this.#filled += bytes.length;
      return;
    }
    return this.#spill(bytes);
  }

  async #spill(bytes: Uint8Array): Promise<void> {
    await this.flush();
    if (bytes.length >= BUFFER) await writeWhole(this.#handle, bytes);
    else {
      this.#buffer.set(bytes);
      this.#filled = bytes.length;
    }
  }

  async flush(): Promise<void> {
    const filled = this.#filled;
    this.#filled = 0;
    await writeWhole(this.#handle, this.#buffer.subarray(0, filled));
  }
}

/** @param at where the bytes go, in bytes from the file's start; default: behind what was written last */
export async function writeWhole(handle: FileHandle, bytes: Uint8Array, at?: number): Promise<void> {
  for (let done = 0; done < bytes.length; ) {
    const location = at === undefined ? null : at + done;
    done += (await handle.write(bytes, done, bytes.length - done, location)).bytesWritten;
  }
}

/** Writes a file under a temporary name and renames it; whatever goes wrong, nothing is left. */
export async function underTemporaryName<T>(
  file: string,
  signal: AbortSignal | undefined,
  write: (temporary: string) => Promise<T>,
): Promise<T> {
  const temporary = temporaryBeside(file);
  try {
    const written = await write(temporary);
    signal?.throwIfAborted();
    await rename(temporary, file);
    return written;
  } catch (error) {
    await rm(temporary, { force: true });
    throw fromSystemError(error, file);
  }
}

/** Opens a file, lets it be used, and closes it. */
export async function withFile<T>(
  path: string,
  flags: 'wx' | 'r+',
  use: (handle: FileHandle) => Promise<T>,
): Promise<T> {
  const handle = await open(path, flags, 0o644);
  try {
    return await use(handle);
  } finally {
    await handle.close();
  }
}
