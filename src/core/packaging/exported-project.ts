import { createHash } from 'node:crypto';
import { createReadStream, existsSync, readdirSync, readFileSync } from 'node:fs';
import { copyFile, mkdir, rename, rm, rmdir } from 'node:fs/promises';
import { dirname, join, relative, resolve } from 'node:path';
import { diff3Merge } from 'node-diff3';
import { fromSystemError, HullError, systemErrorCode, task, withTasks } from '../errors.js';
import { pathFrom, replaceFile, temporaryBeside } from '../util/files.js';
import type { ProjectFile } from './project-file.js';

export type ProjectPlatform = 'android' | 'apple';

/** What an exported project knows of its making: `.hull/export.json`. */
export interface ExportRecord {
  readonly format: 1;
  /** Version of Jolly Hull that wrote the files last. */
  readonly version: string;
  /** Folder of hull.json, relative to the exported project. */
  readonly project: string;
  /** What it is for; Android where nothing is said. */
  readonly platform?: ProjectPlatform;
  /** Path → SHA-256, as they were written. */
  readonly files: Readonly<Record<string, string>>;
}

export type RefitState =
  | 'added'
  | 'updated'
  /** Both sides changed different parts. */
  | 'merged'
  /** Both sides changed the same part: yours stays, the new one is beside it. */
  | 'conflict'
  /** Yours, which the new version does not change. */
  | 'kept'
  /** Deleted by you, and left so. */
  | 'deleted'
  /** No longer part of the project, and not changed by you. */
  | 'removed'
  | 'unchanged';

export interface RefitResult {
  readonly path: string;
  readonly state: RefitState;
}

const RECORD = '.hull/export.json';
const BASE = '.hull/base';
/** Ending of a new version that could not be merged. */
export const NEW_ENDING = '.hull-new';
/** Files that are merged by lines; all others are taken or left whole. */
const TEXT =
  /(?:\.(?:java|xml|kts|md|json|properties|[hm]|plist|pbxproj|xcscheme|storyboard|strings|entitlements|xcprivacy|sh)|(?:^|\/)\.gitignore)$/;
const isText = (path: string) => TEXT.test(path) && !/\/(?:assets|hull)\/site\//.test(path);

const sha = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

async function fileHash(file: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

function contentHash({ content }: ProjectFile): Promise<string> {
  return content instanceof Uint8Array ? Promise.resolve(sha(content)) : fileHash(content.file);
}

async function put(file: string, { content }: ProjectFile): Promise<void> {
  if (content instanceof Uint8Array) return replaceFile(file, content);
  await mkdir(dirname(file), { recursive: true });
  const temporary = temporaryBeside(file);
  try {
    await copyFile(content.file, temporary);
    await rename(temporary, file);
  } catch (error) {
    await rm(temporary, { force: true });
    throw fromSystemError(error, file);
  }
}

async function writeRecord(dir: string, record: ExportRecord): Promise<void> {
  const text = `${JSON.stringify(record, undefined, 2)}\n`;
  await replaceFile(join(dir, RECORD), new TextEncoder().encode(text));
}

async function keepBase(dir: string, file: ProjectFile): Promise<void> {
  if (isText(file.path) && file.content instanceof Uint8Array)
    await replaceFile(join(dir, BASE, file.path), file.content);
}

/** Reads what an exported project knows of itself. Throws `project.not-exported`. */
export function readRecord(dir: string): ExportRecord {
  const file = join(dir, RECORD);
  const fix = withTasks`Name a folder that ${task('packSourceProject')} made, with its .hull folder.`;
  let record: ExportRecord;
  try {
    record = JSON.parse(readFileSync(file, 'utf8')) as ExportRecord;
  } catch (error) {
    if (
      error instanceof SyntaxError ||
      systemErrorCode(error) === 'ENOENT' ||
      systemErrorCode(error) === 'ENOTDIR'
    )
      throw new HullError('project.not-exported', 'This is not an exported project.', {
        location: { file },
        fix,
      });
    throw fromSystemError(error, file);
  }
  const isWhole =
    record?.format === 1 &&
    typeof record.project === 'string' &&
    typeof record.files === 'object' &&
    record.files !== null;
  const isInside = (path: string) => !/(?:^|\/)\.\.(?:\/|$)|^\/|\\/.test(path);
  if (isWhole && Object.keys(record.files).every(isInside)) return record;
  throw new HullError('project.not-exported', 'What this project knows of its making is damaged.', {
    location: { file },
    fix,
  });
}

export interface ExportRequest {
  /** Folder of the exported project. */
  readonly dir: string;
  /** Folder of hull.json. */
  readonly projectDir: string;
  readonly platform?: ProjectPlatform;
  readonly files: readonly ProjectFile[];
  readonly version: string;
  readonly signal?: AbortSignal;
}

/** Writes a new project, whole or not at all. Throws `project.exists`, `project.folder-not-empty`, `disk.*`. */
export async function exportProject({
  dir,
  projectDir,
  platform,
  files,
  version,
  signal,
}: ExportRequest): Promise<void> {
  if (existsSync(join(dir, RECORD))) {
    throw new HullError(
      'project.exists',
      'The project was exported before; exporting again would lose your edits.',
      {
        location: { file: dir },
        fix: withTasks`Bring it up to date with ${task('refitProject', dir)}, or name another folder.`,
      },
    );
  }
  if (existsSync(dir) && readdirSync(dir).length > 0) {
    throw new HullError(
      'project.folder-not-empty',
      'This folder is not empty; nothing was written into it.',
      {
        location: { file: dir },
        fix: 'Name a new folder.',
      },
    );
  }
  // Written beside and renamed: a run that is stopped leaves no half of a project.
  const temporary = temporaryBeside(dir, 'project');
  try {
    const hashes: Record<string, string> = {};
    for (const file of files) {
      signal?.throwIfAborted();
      await put(join(temporary, file.path), file);
      await keepBase(temporary, file);
      hashes[file.path] = await contentHash(file);
    }
    await writeRecord(temporary, {
      format: 1,
      version,
      project: relative(resolve(dir), resolve(projectDir)) || '.',
      ...(platform === undefined ? {} : { platform }),
      files: hashes,
    });
    if (existsSync(dir)) await rmdir(dir);
    await rename(temporary, dir);
  } catch (error) {
    await rm(temporary, { recursive: true, force: true });
    throw fromSystemError(error, dir);
  }
}

function lines(bytes: Uint8Array): string[] {
  return Buffer.from(bytes).toString('utf8').split('\n');
}

/** Three versions of a text as one; `undefined` where two of them change the same lines. */
export function mergeTexts(mine: Uint8Array, base: Uint8Array, theirs: Uint8Array): Uint8Array | undefined {
  const regions = diff3Merge(lines(mine), lines(base), lines(theirs), { excludeFalseConflicts: true });
  if (regions.some(({ conflict }) => conflict !== undefined)) return undefined;
  return new TextEncoder().encode(regions.flatMap(({ ok = [] }) => ok).join('\n'));
}

function readOrNothing(file: string): Uint8Array | undefined {
  try {
    return readFileSync(file);
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') return undefined;
    throw fromSystemError(error, file);
  }
}

export interface RefitRequest {
  readonly dir: string;
  readonly files: readonly ProjectFile[];
  readonly version: string;
  readonly mode: 'write' | 'check';
}

/** How one file fares; writes what is new, unless that is only asked. */
async function refitFile(
  file: ProjectFile,
  theirs: string,
  before: string | undefined,
  request: RefitRequest,
): Promise<RefitState> {
  const { dir, mode } = request;
  const target = join(dir, file.path);
  const write = async (one: ProjectFile) => {
    if (mode === 'write') await put(join(dir, one.path), one);
  };
  const mine = existsSync(target) ? await fileHash(target) : undefined;
  if (mine === theirs) return 'unchanged';
  if (mine === undefined) {
    if (before !== undefined) return 'deleted';
    await write(file);
    return 'added';
  }
  if (mine === before) {
    await write(file);
    return 'updated';
  }
  if (theirs === before) return 'kept';
  const base = isText(file.path) ? readOrNothing(join(dir, BASE, file.path)) : undefined;
  if (base && file.content instanceof Uint8Array) {
    const merged = mergeTexts(readFileSync(target), base, file.content);
    if (merged) {
      await write({ path: file.path, content: merged });
      return 'merged';
    }
  }
  await write({ ...file, path: `${file.path}${NEW_ENDING}` });
  return 'conflict';
}

/**
 * Brings an exported project up to date: new versions of files that nobody edited, edits merged with them line by line,
 * and what cannot be merged beside the edited file. Nothing that someone wrote is lost.
 *
 * @throws HullError `project.not-exported`, `disk.*`
 */
export async function refitExported(request: RefitRequest): Promise<RefitResult[]> {
  const { dir, files, version, mode } = request;
  const record = readRecord(dir);
  const results: RefitResult[] = [];
  const hashes: Record<string, string> = {};
  for (const file of files) {
    const theirs = await contentHash(file);
    const state = await refitFile(file, theirs, record.files[file.path], request);
    results.push({ path: file.path, state });
    hashes[file.path] = theirs;
    if (mode === 'write') await keepBase(dir, file);
  }
  for (const [path, before] of Object.entries(record.files)) {
    if (Object.hasOwn(hashes, path)) continue;
    const target = join(dir, path);
    if (!existsSync(target)) continue;
    const isOurs = (await fileHash(target)) === before;
    results.push({ path, state: isOurs ? 'removed' : 'kept' });
    if (isOurs && mode === 'write') await rm(target);
    if (mode === 'write') await rm(join(dir, BASE, path), { force: true });
  }
  if (mode === 'write') await writeRecord(dir, { ...record, version, files: hashes });
  return results.sort((a, b) => (a.path < b.path ? -1 : 1));
}

/** Where the folder of hull.json is, from an exported project. */
export function projectOf(dir: string): string {
  return pathFrom('.', join(dir, readRecord(dir).project));
}
