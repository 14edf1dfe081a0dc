import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError } from '../errors.js';
import { pathFrom, replaceFile } from '../util/files.js';

/** What earlier runs took: path from the project → SHA-256. */
const LEDGER = '.hull/shots.json';

function readArtManifest(dir: string): Record<string, string> {
  try {
    const kept = JSON.parse(readFileSync(join(dir, LEDGER), 'utf8')) as unknown;
    return typeof kept === 'object' && kept !== null ? (kept as Record<string, string>) : {};
  } catch {
    return {}; // none yet, or damaged: what is there counts as someone else's, and is kept
  }
}

function readThere(file: string): Uint8Array | undefined {
  if (!existsSync(file)) return undefined;
  try {
    return readFileSync(file);
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

export interface KeptShot {
  /** From the project's folder. */
  readonly file: string;
  /** `kept`: someone else's, or changed since it was taken. */
  readonly state: 'written' | 'kept';
  readonly size: number;
}

/** Writes screenshots into a folder; a picture that an earlier run did not write is kept. Throws `disk.*`. */
export async function keepShots(
  projectDir: string,
  folder: string,
  shots: ReadonlyMap<string, Uint8Array>,
): Promise<KeptShot[]> {
  const artManifest = readArtManifest(projectDir);
  const hash = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
  const results: KeptShot[] = [];
  for (const [path, bytes] of shots) {
    const file = join(folder, path);
    const name = pathFrom(projectDir, file);
    const there = readThere(file);
    if (there && artManifest[name] !== hash(there)) {
      results.push({ file: name, state: 'kept', size: there.length });
      continue;
    }
    await replaceFile(file, bytes);
    artManifest[name] = hash(bytes);
    results.push({ file: name, state: 'written', size: bytes.length });
  }
  await replaceFile(
    join(projectDir, LEDGER),
    new TextEncoder().encode(`${JSON.stringify(artManifest, undefined, 2)}\n`),
  );
  return results;
}
