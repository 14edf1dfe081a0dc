import { createHash, randomBytes } from 'node:crypto';
import { createReadStream, mkdirSync, readdirSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { link, mkdir, open, rename, rm } from 'node:fs/promises';
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import { fromSystemError, HullError, systemErrorCode } from './errors.js';

/** Whether a path is a folder itself or lies somewhere in it, going by names. */
export function isInside(path: string, folder: string): boolean {
  const steps = relative(resolve(folder), resolve(path));
  return steps === '' || (!/^\.\.([/\\]|$)/.test(steps) && !isAbsolute(steps));
}

/** A path relative to a folder, with `/` between names, as `hull.json` writes it. */
export function pathFrom(dir: string, path: string): string {
  return relative(resolve(dir), resolve(path)).split(sep).join('/') || '.';
}

/** A temporary name beside a file, hidden, so that a rename stays on one disk. */
export function temporaryBeside(file: string, ending = 'part'): string {
  return join(dirname(file), `.${basename(file)}.${randomBytes(4).toString('hex')}.${ending}`);
}

async function writeTemporary(file: string, bytes: Uint8Array, mode: number): Promise<string> {
  await mkdir(dirname(file), { recursive: true });
  const temporary = temporaryBeside(file);
  const handle = await open(temporary, 'wx', mode);
  try {
    await handle.writeFile(bytes);
    await handle.sync();
  } catch (error) {
    await rm(temporary, { force: true });
    throw error;
  } finally {
    await handle.close();
  }
  return temporary;
}

/**
 * Writes a file that must not be there yet: whole or not at all, and never over another.
 *
 * @param mode file mode bits, as in 0o600
 * @throws HullError from `exists` where the file is there already; `disk.*`
 */
export async function writeNewFile(
  file: string,
  bytes: Uint8Array,
  mode: number,
  exists: () => HullError,
): Promise<void> {
  let temporary: string | undefined;
  try {
    temporary = await writeTemporary(file, bytes, mode);
    // A link, unlike a rename, fails where the name is taken.
    await link(temporary, file);
  } catch (error) {
    throw systemErrorCode(error) === 'EEXIST' ? exists() : fromSystemError(error, file);
  } finally {
    if (temporary !== undefined) await rm(temporary, { force: true });
  }
}

/** Writes a file of our own making, replacing an older one at once. Throws `disk.*`. */
export async function replaceFile(file: string, bytes: Uint8Array, mode = 0o644): Promise<void> {
  let temporary: string | undefined;
  try {
    temporary = await writeTemporary(file, bytes, mode);
    await rename(temporary, file);
  } catch (error) {
    if (temporary !== undefined) await rm(temporary, { force: true });
    throw fromSystemError(error, file);
  }
}

/** Writes a file of a cache, whole or not at all; one that cannot be written costs time later, nothing else. */
export function keepInCache(file: string, bytes: Uint8Array): void {
  try {
    mkdirSync(dirname(file), { recursive: true });
    const temporary = temporaryBeside(file);
    writeFileSync(temporary, bytes);
    renameSync(temporary, file);
  } catch {
    // Made again the next time.
  }
}

/** Files of a folder by their ending, the newest first; none where there is no such folder yet. Throws `disk.*`. */
export function newestFirst(dir: string, ending: RegExp): string[] {
  let names: string[];
  try {
    names = readdirSync(dir);
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') return [];
    throw fromSystemError(error, dir);
  }
  return names
    .filter((name) => ending.test(name))
    .map((name) => join(dir, name))
    .map((file) => ({ file, time: statSync(file).mtimeMs }))
    .sort((one, other) => other.time - one.time)
    .map(({ file }) => file);
}

/** Makes a folder and its parents. Throws `disk.*` where that is refused. */
export async function makeFolder(dir: string): Promise<void> {
  try {
    await mkdir(dir, { recursive: true });
  } catch (error) {
    if (systemErrorCode(error) === 'EEXIST' || systemErrorCode(error) === 'ENOTDIR') {
      throw new HullError('disk.io', 'A file stands where a folder is needed.', {
        place: { file: dir },
        remedy: 'Move the file away, or choose another folder with --out.',
      });
    }
    throw fromSystemError(error, dir);
  }
}

/** SHA-256 of a file, hexadecimal; read in pieces. */
export async function fileSha256(file: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024 })) {
    hash.update(chunk as Uint8Array);
  }
  return hash.digest('hex');
}
