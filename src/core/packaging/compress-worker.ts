import { parentPort } from 'node:worker_threads';
import { type CompressedFile, compressFile, type SmallFileTask } from '../formats/zip/small-file.js';
import { digestStoredFile, type StoredFileTask } from '../formats/zip/stored-file.js';
import type { Method } from '../formats/zip/types.js';

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

function compressed(task: CompressTask): CompressedFile | undefined {
  try {
    return 'method' in task
      ? compressFile(task)
      : { method: 'store', body: NO_BYTES, ...digestStoredFile(task) };
  } catch {
    return undefined;
  }
}

function answer(tasks: readonly CompressTask[]): CompressAnswer {
  const files = tasks.map(compressed);
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

parentPort?.on('message', (tasks: readonly CompressTask[]) => {
  const answered = answer(tasks);
  parentPort?.postMessage(answered, [answered.bytes]);
});
