import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { FileSource } from '../formats/bytes/source.js';
import { knownFile, type Prepared, STREAM_FROM } from '../formats/zip/compress.js';
import type { Candidate, SmallFileTask } from '../formats/zip/small-file.js';
import {
  type Entry,
  type EntryDigest,
  type FileContent,
  isFile,
  type KnownContents,
} from '../formats/zip/types.js';
import type { Compressor } from '../formats/zip/writer.js';
import { debug } from '../util/debug.js';
import { findPackaged } from '../util/packaged.js';
import type { CompressAnswer } from './compress-worker.js';

/** From so many bytes to compress, starting threads takes less time than they save, on two cores. */
const WORTH_THREADS = 16 * 1024 * 1024;
const MOST_THREADS = 8;
/** Files that a thread is given at a time, by number and bytes: few enough that all threads end at about the same time. */
const MOST_FILES = 24;
const MOST_BYTES = 512 * 1024;
/** Times that a thread is given files before it has answered: it never waits. */
const AHEAD = 2;

const WORKER = 'dist/compress-worker.cjs';

type Answered = (prepared: Prepared | undefined) => void;

interface Waiting {
  readonly task: SmallFileTask;
  readonly answered: Answered;
}

interface Thread {
  readonly worker: Worker;
  /** What it was given and has not answered, the oldest first. */
  readonly given: (readonly Waiting[])[];
}

/** Threads that read and compress small files: one object of zlib a file costs less there than on the way to its own thread pool. */
export class CompressThreads implements Compressor {
  readonly #digest: EntryDigest | undefined;
  readonly #known: KnownContents | undefined;
  readonly #threads: Thread[] = [];
  readonly #waiting: Waiting[] = [];
  #isHandingOut = false;

  constructor(script: string, digest: EntryDigest | undefined, known: KnownContents | undefined) {
    this.#digest = digest;
    this.#known = known;
    for (let at = 0; at < Math.min(MOST_THREADS, availableParallelism()); at += 1) {
      const thread: Thread = { worker: new Worker(script), given: [] };
      this.#threads.push(thread);
      thread.worker.on('message', (answer: CompressAnswer) => this.#take(thread, answer));
      thread.worker.on('error', (error) => this.#lose(thread, error));
    }
  }

  take(entry: Entry): Promise<Prepared | undefined> | undefined {
    const content = smallFile(entry);
    if (content === undefined || this.#threads.length === 0) return undefined;
    if (knownFile(content, this.#digest, this.#known)) return undefined;
    const { file, size } = content;
    const candidates = entry.method === 'deflate' ? candidatesOf(this.#known, size) : [];
    const task: SmallFileTask = {
      content: { file, size },
      method: entry.method,
      digest: this.#digest,
      candidates,
    };
    const prepared = new Promise<Prepared | undefined>((answered) => {
      this.#waiting.push({ task, answered });
    });
    if (!this.#isHandingOut) {
      this.#isHandingOut = true;
      queueMicrotask(() => this.#handOut());
    }
    return prepared;
  }

  #handOut(): void {
    this.#isHandingOut = false;
    for (let round = 0; round < AHEAD; round += 1) {
      for (const thread of this.#threads) if (thread.given.length <= round) this.#give(thread);
    }
  }

  #give(thread: Thread): void {
    let bytes = 0;
    let count = 0;
    for (const { task } of this.#waiting) {
      bytes += task.content.size;
      if (count > 0 && (bytes > MOST_BYTES || count >= MOST_FILES)) break;
      count += 1;
    }
    if (count === 0) return;
    const files = this.#waiting.splice(0, count);
    thread.given.push(files);
    thread.worker.postMessage(files.map(({ task }) => task));
  }

  #take(thread: Thread, { files, bytes }: CompressAnswer): void {
    const given = thread.given.shift() ?? [];
    this.#handOut();
    let at = 0;
    for (const [index, { task, answered }] of given.entries()) {
      const file = files[index];
      if (file === undefined) {
        answered(undefined);
        continue;
      }
      const { method, crc32, length, digest } = file;
      const data = new Uint8Array(bytes, at, length);
      at += length;
      const sizes = { size: task.content.size, compressedSize: length };
      answered({ method, crc32, ...sizes, data, ...(digest ? { digest } : {}) });
    }
  }

  /** A thread that ended (there may be no memory for it): the others, or this one, do what it had. */
  #lose(thread: Thread, error: Error): void {
    debug('a thread that compresses has ended: %s', error.message);
    this.#threads.splice(this.#threads.indexOf(thread), 1);
    for (const { answered } of thread.given.flat()) answered(undefined);
    if (this.#threads.length > 0) this.#handOut();
    else for (const { answered } of this.#waiting.splice(0)) answered(undefined);
  }

  /** Once everything that was taken is answered. */
  async end(): Promise<void> {
    await Promise.all(this.#threads.map(({ worker }) => worker.terminate()));
  }
}

/** The file that an entry is made from, where it is small: large ones are streamed. */
function smallFile({ content }: Entry): FileContent | undefined {
  return isFile(content) && content.size <= STREAM_FROM ? content : undefined;
}

function candidatesOf(known: KnownContents | undefined, size: number): Candidate[] {
  return (known?.ofSize(size) ?? []).flatMap(({ packed: { archive, entry } }) => {
    const { dataOffset: offset, compressedSize, crc32 } = entry;
    return archive instanceof FileSource ? [{ fd: archive.fd, offset, compressedSize, crc32 }] : [];
  });
}

/** Bytes of small files that are still to be compressed. */
function bytesToCompress(
  entries: readonly Entry[],
  digest: EntryDigest | undefined,
  known: KnownContents | undefined,
): number {
  let bytes = 0;
  for (const entry of entries) {
    const content = entry.method === 'deflate' ? smallFile(entry) : undefined;
    if (content && !knownFile(content, digest, known)) bytes += content.size;
  }
  return bytes;
}

export interface CompressorOptions {
  readonly digest?: EntryDigest | undefined;
  readonly known?: KnownContents | undefined;
  /** Bytes from which on threads are started. */
  readonly worth?: number;
}

/**
 * Lets entries be written with threads that compress them, where there are enough of them.
 *
 * @param write given no compressor where this thread does all of it by itself
 */
export async function withCompressor<T>(
  entries: readonly Entry[],
  { digest, known, worth = WORTH_THREADS }: CompressorOptions,
  write: (compressor: Compressor | undefined) => Promise<T>,
): Promise<T> {
  // Sources that nobody has built yet have no such script: then one thread does it.
  const script = bytesToCompress(entries, digest, known) >= worth ? findPackaged(WORKER) : undefined;
  if (script === undefined) return write(undefined);
  const threads = new CompressThreads(script, digest, known);
  try {
    return await write(threads);
  } finally {
    await threads.end();
  }
}
