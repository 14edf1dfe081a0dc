import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { StoreName } from '../listing/languages.js';
import { isInside, isRunning, replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';

/**
 * A stand-in for a store leaves a note in its project while it runs, so that releases go there as long as no real account is named.
 */
export interface StandIn {
  readonly address: string;
  /** Files of keys that it takes, by the store that they are for. */
  readonly accounts: Readonly<Record<StoreName, string>>;
  /** Whose keys those for Apple's store are. */
  readonly issuer: string;
  readonly pid: number;
}

const FOLDER = '.hull/store';

/** Whether a key belongs to the stand-in of a project. */
export const isOfStandIn = (projectDir: string, account: string): boolean =>
  isInside(account, join(projectDir, FOLDER));
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
  const { address, accounts, issuer, pid } = value;
  if (typeof address !== 'string' || typeof issuer !== 'string' || typeof pid !== 'number') return undefined;
  const { android, apple } = isObject(accounts) ? accounts : {};
  if (typeof android !== 'string' || typeof apple !== 'string') return undefined;
  if (!/^http:\/\/127\.0\.0\.1:\d+$/.test(address)) return undefined;
  return isRunning(pid) ? { address, accounts: { android, apple }, issuer, pid } : undefined;
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
