import { closeSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs';
import { hostname } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { fromSystemError, HullError, systemErrorCode } from '../errors.js';
import { isRunning } from './files.js';

/** Milliseconds that a run waits for others, and between two tries. */
const PATIENCE = 20_000;
const PAUSE = { least: 10, spread: 40 } as const;

interface Holder {
  readonly host: string;
  readonly pid: number;
}

function holderOf(lock: string): Holder | undefined {
  try {
    const { host, pid } = JSON.parse(readFileSync(lock, 'utf8')) as Partial<Holder>;
    return typeof host === 'string' && typeof pid === 'number' ? { host, pid } : undefined;
  } catch {
    return undefined; // gone meanwhile, or not written yet
  }
}

/** Takes the lock; false where another run has it. */
function take(lock: string): boolean {
  try {
    const descriptor = openSync(lock, 'wx', 0o600);
    writeSync(descriptor, JSON.stringify({ host: hostname(), pid: process.pid }));
    closeSync(descriptor);
    return true;
  } catch (error) {
    if (systemErrorCode(error) === 'EEXIST') return false;
    throw fromSystemError(error, lock);
  }
}

/** Whether the run that holds a lock was killed. */
function isAbandoned(lock: string): boolean {
  const holder = holderOf(lock);
  return holder !== undefined && holder.host === hostname() && !isRunning(holder.pid);
}

/**
 * Does some work on a file while no other run of Jolly Hull works on it. A lock that a killed run left is taken over.
 *
 * @throws HullError `file.locked` where another run does not come to an end
 */
export async function withLock<T>(file: string, work: () => Promise<T>): Promise<T> {
  const lock = join(dirname(file), `.${basename(file)}.lock`);
  const end = Date.now() + PATIENCE;
  while (!take(lock)) {
    if (isAbandoned(lock)) {
      rmSync(lock, { force: true });
      continue;
    }
    if (Date.now() > end) {
      const pid = holderOf(lock)?.pid;
      throw new HullError(
        'file.locked',
        `Another run${pid === undefined ? '' : ` (process ${pid})`} is working on this file.`,
        {
          location: { file },
          fix: `Wait until it has ended. If there is none, remove ${lock}.`,
        },
      );
    }
    await wait(PAUSE.least + Math.random() * PAUSE.spread);
  }
  try {
    return await work();
  } finally {
    rmSync(lock, { force: true });
  }
}
