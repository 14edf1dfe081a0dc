import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { isRunning, replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';

/**
 * A stand-in for a store leaves a note in its project while it runs, so that releases go there as long as no real account is named.
 */
export interface StandIn {
  readonly address: string;
  /** File of the service account's key that it takes. */
  readonly account: string;
  readonly pid: number;
}

const FOLDER = '.hull/store';
const NOTE = `${FOLDER}/running.json`;

/** The stand-in that runs for a project; `undefined` where none does. */
export function runningStandIn(projectDir: string): StandIn | undefined {
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(join(projectDir, NOTE), 'utf8'));
  } catch {
    return undefined;
  }
  if (!isObject(value)) return undefined;
  const { address, account, pid } = value;
  if (typeof address !== 'string' || typeof account !== 'string' || typeof pid !== 'number') return undefined;
  if (!/^http:\/\/127\.0\.0\.1:\d+$/.test(address)) return undefined;
  return isRunning(pid) ? { address, account, pid } : undefined;
}

export async function noteStandIn(projectDir: string, standIn: StandIn): Promise<void> {
  // Keys and uploads of a stand-in belong in no version control.
  await replaceFile(join(projectDir, FOLDER, '.gitignore'), new TextEncoder().encode('*\n'));
  await replaceFile(join(projectDir, NOTE), new TextEncoder().encode(`${JSON.stringify(standIn)}\n`));
}

/** Takes the note away, where it is that of this process. */
export async function forgetStandIn(projectDir: string): Promise<void> {
  if (runningStandIn(projectDir)?.pid === process.pid) await rm(join(projectDir, NOTE), { force: true });
}
