import { parentPort, workerData } from 'node:worker_threads';
import { FileSource } from '../formats/bytes/source.js';
import { digestEntry } from '../formats/zip/digest.js';
import type { EntryDigest, ZipEntry } from '../formats/zip/types.js';

/** What a worker thread is started with, and then asked; entries are digested in the order in which they are asked for. */
export interface DigestWorkerData {
  readonly file: string;
}
export interface DigestTask {
  readonly index: number;
  readonly entry: ZipEntry;
  readonly digest: EntryDigest;
}
/** No digest where the entry is damaged: who asked looks why. */
export interface DigestAnswer {
  readonly index: number;
  readonly digest: Uint8Array | undefined;
}

const opened = FileSource.open((workerData as DigestWorkerData).file);
let before: Promise<void> = Promise.resolve();

async function answer({ index, entry, digest }: DigestTask): Promise<void> {
  const found = await opened.then((source) => digestEntry(source, entry, digest)).catch(() => undefined);
  parentPort?.postMessage({ index, digest: found } satisfies DigestAnswer);
}

parentPort?.on('message', (task: DigestTask) => {
  before = before.then(() => answer(task));
});
