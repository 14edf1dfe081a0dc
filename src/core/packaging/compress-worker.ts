import { parentPort } from 'node:worker_threads';
import { type CompressedFile, compressFile, type SmallFileTask } from '../formats/zip/small-file.js';
import type { EntryDigest, Method } from '../formats/zip/types.js';

/** A large file that is stored: its bytes are written from the file itself. */
interface StoredFileTask {
  readonly content: SmallFileTask['content'];
  readonly digest: EntryDigest;
}

/** A small file to compress; or a large one that is stored, of which only checksum and digest are wanted. */
export type CompressTask = SmallFileTask | StoredFileTask;

const NO_BYTES = new Uint8Array();

/** What a worker thread is asked, some files at a time, and what it answers: all their bytes in one piece of memory. */
export interface CompressAnswer {
  /** In the order of the files; none of what failed: who asked looks why. */
  readonly files: readonly (CompressedPart | undefined)[];
  readonly bytes: ArrayBuffer;
}

export interface CompressedPart {
  readonly method: Method;
  readonly crc32: number;
  /** Bytes in the answer's memory. */
  readonly length: number;
  readonly digest: Uint8Array | undefined;
}

async function compressed(task: CompressTask): Promise<CompressedFile | undefined> {
  try {
    if ('method' in task) return compressFile(task);
    // Few packages hold such files, and what reads them takes time to load.
    const { prepareLargeStored } = await import('../formats/zip/compress.js');
    const { crc32, digest } = await prepareLargeStored(task.content, task.digest);
    return { method: 'store', body: NO_BYTES, crc32, digest };
  } catch {
    return undefined;
  }
}

async function answer(tasks: readonly CompressTask[]): Promise<CompressAnswer> {
  const files = await Promise.all(tasks.map(compressed));
  const bytes = new Uint8Array(files.reduce((sum, file) => sum + (file?.body.length ?? 0), 0));
  let at = 0;
  const parts = files.map((file): CompressedPart | undefined => {
    if (file === undefined) return undefined;
    const { body, ...rest } = file;
    bytes.set(body, at);
    at += body.length;
    return { ...rest, length: body.length };
  });
  return { files: parts, bytes: bytes.buffer };
}

let before: Promise<void> = Promise.resolve();

async function reply(tasks: readonly CompressTask[]): Promise<void> {
  const answered = await answer(tasks);
  parentPort?.postMessage(answered, [answered.bytes]);
}

// In the order in which they were asked.
parentPort?.on('message', (tasks: readonly CompressTask[]) => {
  before = before.then(() => reply(tasks));
});
