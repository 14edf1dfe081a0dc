import { createHash, randomBytes } from 'node:crypto';
import {
  closeSync,
  createReadStream,
  fstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { link, mkdir, open, rename, rm } from 'node:fs/promises';
import { hostname } from 'node:os';
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import { fromSystemError, HullError, systemErrorCode } from '../errors.js';

/** Whether a path is a folder itself or lies somewhere in it, going by names. */
export function isInside(path: string, folder: string): boolean {
  const steps = relative(resolve(folder), resolve(path));
  return steps === '' || (!/^\.\.([/\\]|$)/.test(steps) && !isAbsolute(steps));
}

/** A path relative to a folder, with `/` between names, as `hull.json` writes it. */
export function pathFrom(dir: string, path: string): string {
  return relative(resolve(dir), resolve(path)).split(sep).join('/') || '.';
}

/** This machine in the names of temporary files: on a shared disk, those of others are left alone. */
const MACHINE = createHash('sha256').update(hostname()).digest('hex').slice(0, 6);
/** Names of temporary files: the file's, the machine, the process, chance. */
const TEMPORARY = /^\..+\.([0-9a-f]{6})-(\d+)-[0-9a-f]{8}\.[a-z]+(?:\.\d+)?$/;
/** Folders in which this process has looked for what earlier ones left. */
const swept = new Set<string>();

/** Whether a process of this machine is running. */
export function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return systemErrorCode(error) === 'EPERM';
  }
}

/** Removes temporary files and folders of runs that were killed before they could. */
function sweep(dir: string): void {
  if (swept.has(dir)) return;
  swept.add(dir);
  let names: string[];
  try {
    names = readdirSync(dir);
  } catch {
    return; // not there yet, or not ours to read
  }
  for (const name of names) {
    const [, machine, pid] = TEMPORARY.exec(name) ?? [];
    if (machine !== MACHINE || isRunning(Number(pid))) continue;
    try {
      rmSync(join(dir, name), { recursive: true, force: true });
    } catch {
      // Another run was faster, or it may not be removed: it is in nobody's way.
    }
  }
}

/** A temporary name beside a file or folder, hidden, so that a rename stays on one disk. */
export function temporaryBeside(file: string, ending = 'part'): string {
  const dir = dirname(resolve(file));
  sweep(dir);
  const unique = `${MACHINE}-${process.pid}-${randomBytes(4).toString('hex')}`;
  return join(dir, `.${basename(file)}.${unique}.${ending}`);
}

const LINE_FEED = 0x0a;

/** The most bytes that are read of a file in one piece where nothing else is said. */
const MOST_READ = 256 * 1024 * 1024;

/**
 * Reads the text of a file that a user named, as {@link readRegularFile} does.
 *
 * @throws HullError `file.*`, `disk.*`
 */
export function readTextFile(file: string): string {
  try {
    return readRegularFile(file).toString('utf8');
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/**
 * Reads a file that a user named. Devices, pipes and folders are refused: they may never end.
 *
 * @param most bytes
 * @throws HullError `file.not-regular`, `file.too-large`; the system's errors as they are
 */
export function readRegularFile(file: string, most = MOST_READ): Buffer {
  let descriptor: number | undefined;
  try {
    checkRegular(statSync(file), file);
    descriptor = openSync(file, 'r');
    const facts = fstatSync(descriptor);
    checkRegular(facts, file);
    if (facts.size > most) {
      throw new HullError('file.too-large', `The file has ${facts.size} bytes; at most ${most} are read.`, {
        location: { file },
        fix: 'Check that this is the file you meant.',
      });
    }
    return readFileSync(descriptor);
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}

/** Refuses what is not a file of its own. Throws `file.not-regular`. */
export function checkRegular(facts: { isFile(): boolean; isDirectory(): boolean }, file: string): void {
  if (facts.isFile()) return;
  throw new HullError(
    'file.not-regular',
    `This is ${facts.isDirectory() ? 'a folder' : 'a device or a pipe'}, not a file.`,
    {
      location: { file },
      fix: 'Name a file.',
    },
  );
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

/** Where a symbolic link leads, so that what is behind it is replaced and the link stays. */
function linkTarget(file: string): string {
  try {
    return realpathSync(file);
  } catch {
    return file; // not there yet, or a link that leads nowhere
  }
}

/**
 * Writes a file, replacing an older one at once; where the name is a symbolic link, what it leads to.
 *
 * @throws HullError `disk.*`
 */
export async function replaceFile(file: string, bytes: Uint8Array, mode = 0o644): Promise<void> {
  let temporary: string | undefined;
  try {
    const target = linkTarget(file);
    temporary = await writeTemporary(target, bytes, mode);
    await rename(temporary, target);
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

/**
 * Adds a line to a file, which is made where it is missing. What a killed run has left of one stays a line of its own.
 *
 * @param line without its end
 * @throws HullError `disk.*`
 */
export async function appendLine(file: string, line: string): Promise<void> {
  await makeFolder(dirname(file));
  try {
    const descriptor = openSync(file, 'a+');
    try {
      const { size } = fstatSync(descriptor);
      const last = Buffer.alloc(1);
      const isWhole =
        size === 0 || (readSync(descriptor, last, 0, 1, size - 1) === 1 && last[0] === LINE_FEED);
      writeSync(descriptor, `${isWhole ? '' : '\n'}${line}\n`);
    } finally {
      closeSync(descriptor);
    }
  } catch (error) {
    throw fromSystemError(error, file);
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
      throw new HullError('disk.io', 'There is a file where a folder is needed.', {
        location: { file: dir },
        fix: 'Move the file away, or choose another folder.',
      });
    }
    throw fromSystemError(error, dir);
  }
}

/** SHA-256 of a file, hexadecimal. */
export const fileSha256 = (file: string): Promise<string> => fileDigest(file, 'sha256');

/** Bytes up to which a file is read at once: handing a few to the thread pool costs more than reading them. */
const AT_ONCE = 1024 * 1024;

/** Digest of a file, hexadecimal; a large one is read in pieces. */
export async function fileDigest(file: string, algorithm: 'sha256' | 'md5'): Promise<string> {
  const hash = createHash(algorithm);
  const facts = statSync(file);
  if (facts.isFile() && facts.size <= AT_ONCE) return hash.update(readFileSync(file)).digest('hex');
  for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024 })) {
    hash.update(chunk as Uint8Array);
  }
  return hash.digest('hex');
}

/** A path relative to the working folder where it lies below it, as someone there would write it; else as it is. */
export function shownPath(file: string): string {
  const path = relative('.', file);
  return path === '' ? '.' : path.startsWith('..') ? file : path;
}
