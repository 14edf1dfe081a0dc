import type { Hash } from 'node:crypto';
import { type FileHandle, open, rename, rm } from 'node:fs/promises';
import { fromSystemError } from '../errors.js';
import type { Sink } from '../formats/zip/writer.js';
import { temporaryBeside } from '../util/files.js';

/** Bytes gathered before they are handed to the disk. */
const BUFFER = 512 * 1024;

/** Memory of sinks that are done: of a thousand packages, the next takes that of the one before. */
const spare: Uint8Array[] = [];

/** Gathers small writes into large ones, and digests all of them where that is asked for. */
export class FileSink implements Sink {
  readonly #handle: FileHandle;
  readonly #hash: Hash | undefined;
  #buffer = spare.pop() ?? new Uint8Array(BUFFER);
  #filled = 0;

  /** @param hash of what is behind what was written before */
  constructor(handle: FileHandle, hash?: Hash) {
    this.#handle = handle;
    this.#hash = hash;
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
    if (bytes.length >= BUFFER) {
      this.#hash?.update(bytes);
      await writeWhole(this.#handle, bytes);
    } else {
      this.#buffer.set(bytes);
      this.#filled = bytes.length;
    }
  }

  async flush(): Promise<void> {
    const filled = this.#buffer.subarray(0, this.#filled);
    this.#filled = 0;
    this.#hash?.update(filled);
    await writeWhole(this.#handle, filled);
  }

  /** Writes what is left; nothing can be written then. */
  async end(): Promise<void> {
    await this.flush();
    spare.push(this.#buffer);
    this.#buffer = new Uint8Array();
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
