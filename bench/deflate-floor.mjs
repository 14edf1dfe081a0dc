// What packing a folder costs at the least on all cores: its files read and deflated in as many threads, and nothing else. No
// byte is digested, signed, written, or read back.
//   node bench/deflate-floor.mjs <folder>
import { readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { isMainThread, Worker, workerData } from 'node:worker_threads';
import { deflateRawSync } from 'node:zlib';

const STORED = /\.(png|jpe?g|gif|webp|avif|woff2?|mp3|mp4|webm|zip|gz)$/i;

/** Deflates files until none is left; each thread takes the next one. */
function deflateAll({ files, next }) {
  for (let index = Atomics.add(next, 0, 1); index < files.length; index = Atomics.add(next, 0, 1)) {
    const bytes = readFileSync(files[index]);
    if (!STORED.test(files[index])) deflateRawSync(bytes, { level: 6 });
  }
}

if (isMainThread) {
  const files = readdirSync(process.argv[2], { recursive: true, withFileTypes: true })
    .filter((item) => item.isFile())
    .map((item) => join(item.parentPath ?? item.path, item.name));
  const work = { files, next: new Int32Array(new SharedArrayBuffer(4)) };
  for (let count = 1; count < availableParallelism(); count += 1)
    new Worker(new URL(import.meta.url), { workerData: work });
  deflateAll(work);
} else deflateAll(workerData);
