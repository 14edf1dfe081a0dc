import { type FileHandle, open, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { ByteStream } from '../../core/net/byte-stream.js';
import { writeWhole } from '../../core/packaging/write-file.js';
import {
  AFC,
  AFC_STATUS,
  type AfcMessage,
  encodeAfc,
  readAfc,
} from '../../core/platforms/apple/device/afc.js';

interface StagedFile {
  /** On this computer: a name of our own, never the host's. */
  readonly file: string;
  size: number;
}

const MOST_FILES = 64;
const MOST_NAME = 1024;
const BLOCK = 4096;

const number64 = (value: number) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64LE(BigInt(value));
  return bytes;
};
const facts = (...words: readonly (string | number)[]) =>
  Buffer.from(words.map((word) => `${word}\0`).join(''), 'utf8');

/** A path as hosts write it, `/folder/file` or `folder/file`; `undefined` for one that leaves the folder it begins in. */
function pathIn(bytes: Buffer): string | undefined {
  const end = bytes.indexOf(0);
  const text = bytes.toString('utf8', 0, Math.min(end < 0 ? bytes.length : end, MOST_NAME));
  const steps = text.split('/').filter((step) => step !== '' && step !== '.');
  return steps.includes('..') ? undefined : `/${steps.join('/')}`;
}

/** The files of a simulated device that computers see: they last until it ends. */
export class StagedFiles {
  readonly #dir: string;
  readonly #free: number;
  readonly #folders = new Set(['/', '/PublicStaging']);
  readonly #files = new Map<string, StagedFile>();
  #count = 0;

  constructor(dir: string, free: number) {
    this.#dir = dir;
    this.#free = free;
  }

  /** The file on this computer that holds a file of the device. */
  find(path: string): string | undefined {
    return this.#files.get(pathIn(Buffer.from(path, 'utf8')) ?? '')?.file;
  }

  get #used(): number {
    return [...this.#files.values()].reduce((sum, { size }) => sum + size, 0);
  }

  async #remove(path: string): Promise<number> {
    const staged = this.#files.get(path);
    if (!staged) return AFC_STATUS.notFound;
    this.#files.delete(path);
    await rm(staged.file, { force: true });
    return AFC_STATUS.ok;
  }

  async clear(): Promise<void> {
    for (const path of [...this.#files.keys()]) await this.#remove(path);
  }

  #describe(path: string): Buffer | undefined {
    if (this.#folders.has(path)) return facts('st_size', 64, 'st_nlink', 2, 'st_ifmt', 'S_IFDIR');
    const size = this.#files.get(path)?.size;
    return size === undefined
      ? undefined
      : facts('st_size', size, 'st_blocks', Math.ceil(size / BLOCK), 'st_nlink', 1, 'st_ifmt', 'S_IFREG');
  }

  /** Serves one connection of the file service. */
  async serve(stream: ByteStream, model: string): Promise<void> {
    const handles = new Map<bigint, { readonly staged: StagedFile; readonly out: FileHandle }>();
    let last = 0n;
    const answer = async ({
      operation,
      data,
      payload,
    }: AfcMessage): Promise<number | [number, Uint8Array]> => {
      const path = pathIn(operation === AFC.open ? data.subarray(8) : data);
      const handle = data.length >= 8 ? data.readBigUInt64LE() : 0n;
      switch (operation) {
        case AFC.deviceInfo:
          return [
            AFC.data,
            facts(
              ...['Model', model, 'FSTotalBytes', this.#free * 2],
              ...['FSFreeBytes', Math.max(0, this.#free - this.#used), 'FSBlockSize', BLOCK],
            ),
          ];
        case AFC.fileInfo: {
          const known = path === undefined ? undefined : this.#describe(path);
          return known ? [AFC.data, known] : AFC_STATUS.notFound;
        }
        case AFC.makeFolder:
          if (path === undefined || this.#folders.size >= MOST_FILES) return AFC_STATUS.denied;
          this.#folders.add(path);
          return AFC_STATUS.ok;
        case AFC.remove:
          return path === undefined ? AFC_STATUS.denied : this.#remove(path);
        case AFC.open: {
          if (path === undefined || handles.size >= MOST_FILES || this.#files.size >= MOST_FILES)
            return AFC_STATUS.denied;
          await this.#remove(path);
          const staged = { file: join(this.#dir, `.arriving-${process.pid}-${this.#count++}`), size: 0 };
          this.#files.set(path, staged);
          handles.set(++last, { staged, out: await open(staged.file, 'w', 0o600) });
          return [AFC.opened, number64(Number(last))];
        }
        case AFC.write: {
          const opened = handles.get(handle);
          if (!opened) return AFC_STATUS.badHandle;
          if (this.#used + payload.length > this.#free) return AFC_STATUS.noSpace;
          await writeWhole(opened.out, payload);
          opened.staged.size += payload.length;
          return AFC_STATUS.ok;
        }
        case AFC.close: {
          await handles.get(handle)?.out.close();
          return handles.delete(handle) ? AFC_STATUS.ok : AFC_STATUS.badHandle;
        }
        default:
          return AFC_STATUS.unsupported;
      }
    };
    try {
      for (let message = await readAfc(stream); message; message = await readAfc(stream)) {
        const said = await answer(message);
        const [operation, data] = typeof said === 'number' ? [AFC.status, number64(said)] : said;
        await stream.write(encodeAfc(operation, message.number, data));
      }
    } finally {
      for (const { out } of handles.values()) await out.close();
    }
  }
}
