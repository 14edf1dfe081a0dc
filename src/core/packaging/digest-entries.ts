import { availableParallelism } from 'node:os';
import type { Worker } from 'node:worker_threads';
import type { ByteSource } from '../formats/bytes/source.js';
import { FileSource } from '../formats/bytes/source.js';
import { digestEntry } from '../formats/zip/digest.js';
import type { EntryDigest, ZipEntry } from '../formats/zip/types.js';
import { packagedPath } from '../util/packaged.js';
import type { DigestAnswer, DigestTask, DigestWorkerData } from './digest-worker.js';

export interface WantedDigest {
  readonly entry: ZipEntry;
  readonly digest: EntryDigest;
}

/** From so many unpacked bytes, starting threads takes less time than they save. */
const WORTH_THREADS = 32 * 1024 * 1024;
const MOST_THREADS = 4;
/** Entries that a thread is given before it has answered for others: it never waits for this one. */
const AHEAD = 2;

const WORKER = 'dist/digest-worker.cjs';

/** Threads that digest the entries of one file. */
class DigestThreads<T extends WantedDigest> {
  readonly #source: FileSource;
  readonly #wanted: readonly T[];
  readonly #threads: Worker[] = [];
  readonly #found: Uint8Array[] = [];
  #next = 0;
  #open = 0;

  constructor(source: FileSource, wanted: readonly T[]) {
    this.#source = source;
    // The largest come first, so that no thread has one left when the others have ended.
    this.#wanted = [...wanted].sort((one, other) => other.entry.size - one.entry.size);
  }

  async run(signal: AbortSignal | undefined): Promise<Map<T, Uint8Array>> {
    const { Worker } = await import('node:worker_threads');
    signal?.throwIfAborted();
    try {
      await new Promise<void>((resolve, reject) => {
        signal?.addEventListener('abort', () => reject(signal.reason), { once: true });
        for (let at = 0; at < Math.min(MOST_THREADS, availableParallelism()); at += 1) {
          const workerData: DigestWorkerData = { file: this.#source.path };
          const thread = new Worker(packagedPath(WORKER), { workerData });
          this.#threads.push(thread);
          thread.on('error', reject);
          thread.on('message', (answer: DigestAnswer) => {
            this.#take(answer)
              .then(() => (this.#give(thread) || this.#open > 0 ? undefined : resolve()))
              .catch(reject);
          });
          for (let ahead = 0; ahead < AHEAD; ahead += 1) this.#give(thread);
        }
      });
    } finally {
      await Promise.all(this.#threads.map((thread) => thread.terminate()));
    }
    return new Map(this.#wanted.map((one, index) => [one, this.#found[index] as Uint8Array]));
  }

  #give(thread: Worker): boolean {
    const one = this.#wanted[this.#next];
    if (one === undefined) return false;
    const { entry, digest } = one;
    thread.postMessage({ index: this.#next, entry, digest } satisfies DigestTask);
    this.#next += 1;
    this.#open += 1;
    return true;
  }

  async #take({ index, digest }: DigestAnswer): Promise<void> {
    const { entry, digest: wanted } = this.#wanted[index] as T;
    // What is damaged is read once more here, for the error that says what is wrong.
    this.#found[index] = digest ?? (await digestEntry(this.#source, entry, wanted));
    this.#open -= 1;
  }
}

/**
 * Digests of the unpacked bytes of many entries, which are checked on the way; those of large files are computed on
 * several threads.
 *
 * @throws HullError `zip.malformed`, `install.incomplete`
 */
export async function digestEntries<T extends WantedDigest>(
  source: ByteSource,
  wanted: readonly T[],
  signal?: AbortSignal | undefined,
): Promise<Map<T, Uint8Array>> {
  const bytes = wanted.reduce((sum, { entry }) => sum + entry.size, 0);
  if (source instanceof FileSource && bytes >= WORTH_THREADS && wanted.length > 1) {
    return new DigestThreads(source, wanted).run(signal);
  }
  const found = new Map<T, Uint8Array>();
  for (const one of wanted) {
    signal?.throwIfAborted();
    found.set(one, await digestEntry(source, one.entry, one.digest));
  }
  return found;
}
