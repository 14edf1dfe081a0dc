import { createHash } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import pMap from 'p-map';
import { fromSystemError, HullError, systemErrorCode } from '../errors.js';
import { pathFrom, replaceFile } from '../util/files.js';
import { ART_CACHE, type ArtInputs, cachedRow, inputsKey, prepareIconSet } from './icon-set.js';
import type { ArtRow, ArtTarget } from './plan.js';

export type ArtState =
  /** Written now. */
  | 'made'
  | 'unchanged'
  /** Made by an earlier run and changed by someone since: kept. */
  | 'edited'
  /** Another file has its name: kept. */
  | 'in-the-way'
  /** Only with `check`: not there, or not as the plan has it. */
  | 'missing'
  | 'stale';

export interface ArtRequest {
  /** Folder of the project, absolute: paths are given from there, and what was made is noted in its `.hull`. */
  readonly dir: string;
  /** Folder of each target's images, absolute. */
  readonly folders: Readonly<Record<ArtTarget, string>>;
  readonly inputs: ArtInputs;
  /** What to make. */
  readonly plan: readonly ArtRow[];
  readonly only?: ArtTarget;
  readonly mode: 'write' | 'check';
  readonly signal?: AbortSignal;
  readonly onProgress?: (done: number, total: number) => void;
}

export interface ArtResult {
  readonly row: ArtRow;
  /** Relative to the project. */
  readonly file: string;
  readonly state: ArtState;
  /** Bytes. */
  readonly size: number;
}

export interface ArtReport {
  readonly results: readonly ArtResult[];
  readonly notes: readonly string[];
}

interface Kept {
  readonly sha256: string;
  readonly size: number;
  readonly mtimeMs: number;
}

/** What earlier runs made: `.hull/art.json`. */
interface ArtManifest {
  readonly inputs: string;
  readonly notes: readonly string[];
  readonly images: Readonly<Record<string, Kept>>;
}

const LEDGER = '.hull/art.json';
const EMPTY: ArtManifest = { inputs: '', notes: [], images: {} };

function readArtManifest(dir: string): ArtManifest {
  try {
    const { inputs, notes, images } = JSON.parse(readFileSync(join(dir, LEDGER), 'utf8')) as ArtManifest;
    return typeof inputs === 'string' && Array.isArray(notes) && typeof images === 'object'
      ? { inputs, notes, images }
      : EMPTY;
  } catch {
    // None yet, or damaged: files that are there are then taken for someone else's, and kept.
    return EMPTY;
  }
}

interface OnDisk {
  readonly size: number;
  readonly mtimeMs: number;
}

function onDisk(file: string): OnDisk | undefined {
  try {
    const { size, mtimeMs } = statSync(file);
    return { size, mtimeMs };
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT' || systemErrorCode(error) === 'ENOTDIR') return undefined;
    throw fromSystemError(error, file);
  }
}

const hash = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

function diskHash(file: string): string {
  try {
    return hash(readFileSync(file));
  } catch (error) {
    if (systemErrorCode(error) === 'EISDIR') return 'a folder';
    throw fromSystemError(error, file);
  }
}

/** Whether what is on disk is what an earlier run wrote there. */
function isOurs(file: string, disk: OnDisk, kept: Kept | undefined): boolean {
  if (kept === undefined) return false;
  if (disk.size === kept.size && disk.mtimeMs === kept.mtimeMs) return true;
  return disk.size === kept.size && diskHash(file) === kept.sha256;
}

function checkSources({ inputs }: ArtRequest, files: readonly string[]): void {
  const outputs = new Set(files.map((file) => resolve(file)));
  for (const source of [inputs.logo, ...Object.values(inputs.others)]) {
    const { file } = source.location;
    if (file === undefined || !outputs.has(resolve(file))) continue;
    throw new HullError(
      'art.source-is-output',
      'This picture is one of those that are made: it cannot be made from itself.',
      {
        location: { file },
        fix: 'Name the picture that all others are to be made from.',
      },
    );
  }
}

/**
 * Makes the images of the plan that are not there or not up to date. A picture that someone else made, or changed, is
 * kept and told; nothing is ever deleted.
 *
 * @throws HullError `art.*`, `disk.*`
 */
export async function drawPlan(request: ArtRequest): Promise<ArtReport> {
  const { dir, folders, inputs, plan, only, mode } = request;
  const wanted = only === undefined ? plan : plan.filter(({ target }) => target === only);
  const fileOf = (row: ArtRow) => join(folders[row.target], row.path);
  checkSources(request, wanted.map(fileOf));
  const artManifest = readArtManifest(dir);
  const key = inputsKey(inputs, plan);
  const isSame = artManifest.inputs === key;
  const images: Record<string, Kept> = { ...artManifest.images };

  const quick = isSame ? unchangedRows(wanted, fileOf, dir, artManifest) : undefined;
  if (quick) return { results: quick, notes: artManifest.notes };

  const { icons, notes, hasDrawing } = await prepareIconSet(inputs);
  const rows = wanted.filter(({ format }) => format !== 'svg' || hasDrawing);
  const results: ArtResult[] = new Array(rows.length);
  let done = 0;
  const draw = async (row: ArtRow): Promise<void> => {
    request.signal?.throwIfAborted();
    const bytes = await cachedRow(row, icons, join(dir, ART_CACHE));
    results[rows.indexOf(row)] = await writeOrKeep(row, fileOf(row), bytes, images, request);
    done += 1;
    request.onProgress?.(done, rows.length);
  };
  try {
    await pMap(rows, draw, { concurrency: availableParallelism() });
  } finally {
    // Also after a full disk: what was written is known as ours the next time.
    if (mode === 'write') {
      const whole = only === undefined && results.filter(Boolean).length === rows.length;
      const text = JSON.stringify({
        inputs: whole || isSame ? key : '',
        notes,
        images,
      } satisfies ArtManifest);
      await replaceFile(join(dir, LEDGER), new TextEncoder().encode(text)).catch(() => undefined);
    }
  }
  return { results, notes };
}

/** Results without drawing anything, where all is as the last run left it. */
function unchangedRows(
  rows: readonly ArtRow[],
  fileOf: (row: ArtRow) => string,
  dir: string,
  artManifest: ArtManifest,
): ArtResult[] | undefined {
  const results: ArtResult[] = [];
  for (const row of rows) {
    const file = fileOf(row);
    const name = pathFrom(dir, file);
    const kept = artManifest.images[name];
    // Not made at all: a drawing that may not be served.
    if (kept === undefined && row.format === 'svg' && onDisk(file) === undefined) continue;
    const disk = onDisk(file);
    if (!disk || !kept || !isOurs(file, disk, kept)) return undefined;
    results.push({ row, file: name, state: 'unchanged', size: disk.size });
  }
  return results;
}

async function writeOrKeep(
  row: ArtRow,
  file: string,
  bytes: Uint8Array,
  images: Record<string, Kept>,
  { dir, mode }: ArtRequest,
): Promise<ArtResult> {
  const name = pathFrom(dir, file);
  const result = (state: ArtState, size = bytes.length): ArtResult => ({ row, file: name, state, size });
  const sha256 = hash(bytes);
  const disk = onDisk(file);
  const note = () => {
    const { size, mtimeMs } = onDisk(file) ?? { size: bytes.length, mtimeMs: 0 };
    images[name] = { sha256, size, mtimeMs };
  };
  if (disk) {
    const isSame = diskHash(file) === sha256;
    if (isSame) {
      if (mode === 'write') note();
      return result('unchanged');
    }
    if (!isOurs(file, disk, images[name])) return result(images[name] ? 'edited' : 'in-the-way', disk.size);
  }
  if (mode === 'check') return result(disk ? 'stale' : 'missing');
  await replaceFile(file, bytes);
  note();
  return result('made');
}
