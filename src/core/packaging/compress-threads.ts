import { availableParallelism } from 'node:os';
import type { Worker } from 'node:worker_threads';
import { FileSource } from '../formats/bytes/source.js';
import { isStreamed, knownFile, type Prepared } from '../formats/zip/compress.js';
import type { Candidate } from '../formats/zip/small-file.js';
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
import type { CompressAnswer, CompressTask } from './compress-worker.js';

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
  readonly task: CompressTask;
  readonly answered: Answered;
}

interface Thread {
  readonly worker: Worker;
  /** What it was given and has not answered, the oldest first. */
  readonly given: (readonly Waiting[])[];
}

/**
 * Threads that read and compress small files: one object of zlib a file costs less there than on the way to its own thread pool.
 * Large ones that are stored they digest.
 */
export class CompressThreads implements Compressor {
  readonly #digest: EntryDigest | undefined;
  readonly #known: KnownContents | undefined;
  readonly #threads: Thread[] = [];
  readonly #waiting: Waiting[] = [];
  #isHandingOut = false;

  private constructor(digest: EntryDigest | undefined, known: KnownContents | undefined) {
    this.#digest = digest;
    this.#known = known;
  }

  static async start(
    script: string,
    digest: EntryDigest | undefined,
    known: KnownContents | undefined,
  ): Promise<CompressThreads> {
    // Small packages need no threads, and no time for loading what starts them.
    const { Worker } = await import('node:worker_threads');
    const threads = new CompressThreads(digest, known);
    for (let at = 0; at < Math.min(MOST_THREADS, availableParallelism()); at += 1)
      threads.#add(new Worker(script));
    return threads;
  }

  #add(worker: Worker): void {
    const thread: Thread = { worker, given: [] };
    this.#threads.push(thread);
    worker.on('message', (answer: CompressAnswer) => this.#take(thread, answer));
    worker.on('error', (error) => this.#lose(thread, error));
  }

  take(entry: Entry): Promise<Prepared | undefined> | undefined {
    if (this.#threads.length === 0) return undefined;
    const task = this.#taskOf(entry);
    if (task === undefined) return undefined;
    const prepared = new Promise<Prepared | undefined>((answered) => {
      this.#waiting.push({ task, answered });
    });
    if (!this.#isHandingOut) {
      this.#isHandingOut = true;
      queueMicrotask(() => this.#handOut());
    }
    return prepared;
  }

  #taskOf(entry: Entry): CompressTask | undefined {
    const [digest, known] = [this.#digest, this.#known];
    const small = smallFile(entry);
    const content = small ?? largeStored(entry);
    if (content === undefined || knownFile(content, digest, known)) return undefined;
    const { file, size } = content;
    const { method } = entry;
    if (small === undefined) return digest && { content: { file, size }, digest };
    const candidates = method === 'deflate' ? candidatesOf(known, size) : [];
    return { content: { file, size }, method, digest, candidates };
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
      const { file: path, size } = task.content;
      const isWhole = 'method' in task;
      const data = isWhole ? new Uint8Array(bytes, at, length) : { file: path, offset: 0, temporary: false };
      at += length;
      const sizes = { size, compressedSize: isWhole ? length : size };
      answered({ method, crc32, ...sizes, data, ...(digest ? { digest } : {}) });
    }
  }

  /** A thread that ended (there may be no memory for it): the others, or this one, do what it had. */
  #lose(thread: Thread, error: Error): void {
    debug('a thread that compresses has ended: %s', error.message);
    this.#drop(thread);
    if (this.#threads.length > 0) this.#handOut();
  }

  #drop(thread: Thread): void {
    const at = this.#threads.indexOf(thread);
    if (at >= 0) this.#threads.splice(at, 1);
    for (const { answered } of thread.given.flat()) answered(undefined);
    if (this.#threads.length === 0) for (const { answered } of this.#waiting.splice(0)) answered(undefined);
  }

  /** At once, whatever they are at: nothing that was taken is answered. */
  async stop(): Promise<void> {
    const workers = this.#threads.map(({ worker }) => worker);
    for (const thread of [...this.#threads]) this.#drop(thread);
    await Promise.all(workers.map((worker) => worker.terminate()));
  }
}

/** The file that an entry is made from, where it is small: large ones are streamed. */
function smallFile({ content }: Entry): FileContent | undefined {
  return isFile(content) && !isStreamed(content) ? content : undefined;
}

function largeStored({ content, method }: Entry): FileContent | undefined {
  return method === 'store' && isStreamed(content) ? content : undefined;
}

function candidatesOf(known: KnownContents | undefined, size: number): Candidate[] {
  return (known?.ofSize(size) ?? []).flatMap(({ packed: { archive, entry } }) => {
    const { dataOffset: offset, compressedSize, crc32 } = entry;
    return archive instanceof FileSource ? [{ fd: archive.fd, offset, compressedSize, crc32 }] : [];
  });
}

/** Bytes of files that are still to be compressed, or to be digested. */
function bytesToCompress(
  entries: readonly Entry[],
  digest: EntryDigest | undefined,
  known: KnownContents | undefined,
): number {
  let bytes = 0;
  for (const entry of entries) {
    const isCompressed = entry.method === 'deflate';
    const content = isCompressed ? smallFile(entry) : digest && largeStored(entry);
    if (content && !knownFile(content, digest, known)) bytes += content.size;
  }
  return bytes;
}

export interface CompressorOptions {
  readonly digest?: EntryDigest | undefined;
  readonly known?: KnownContents | undefined;
  /** Ends what threads are at. */
  readonly signal?: AbortSignal | undefined;
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
  { digest, known, signal, worth = WORTH_THREADS }: CompressorOptions,
  write: (compressor: Compressor | undefined) => Promise<T>,
): Promise<T> {
  // Sources that nobody has built yet have no such script: then one thread does it.
  const script = bytesToCompress(entries, digest, known) >= worth ? findPackaged(WORKER) : undefined;
  if (script === undefined) return write(undefined);
  const threads = await CompressThreads.start(script, digest, known);
  const stop = () => void threads.stop();
  signal?.addEventListener('abort', stop);
  try {
    return await write(threads);
  } finally {
    signal?.removeEventListener('abort', stop);
    await threads.stop();
  }
}
