import { join, resolve } from 'node:path';
import { projectLogo } from '../art/icon-source.js';
import type { PictureSource } from '../art/logo.js';
import { type ArtReport, drawPlan } from '../art/make.js';
import { type ArtRow, type ArtTarget, artPlan } from '../art/plan.js';
import { artFolders, artHome, artInputs, startSchemes } from '../art/project-art.js';
import { fromSystemError } from '../errors.js';
import { changeProject } from '../project/edit.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import { pathFrom, readRegularFile } from '../util/files.js';

export interface ArtOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** SVG or PNG to make the images from, which `hull.json` then names; by default `look.icon`. */
  readonly source?: string | undefined;
  /** Folder that the build copies into the web folder; `hull.json` then names it. */
  readonly into?: string | undefined;
  /** Images of one target. */
  readonly only?: ArtTarget | undefined;
  /** `check` writes nothing. */
  readonly mode?: 'write' | 'check' | undefined;
  readonly signal?: AbortSignal | undefined;
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

export interface MadeArt extends ArtReport {
  /** Whether all images are there and as planned. */
  readonly complete: boolean;
  /** The path that `look.icon` was set to, where it was. */
  readonly named?: string;
}

function logoOf(project: Project, source: string | undefined): Promise<PictureSource> | PictureSource {
  if (source === undefined) return projectLogo(project);
  const file = resolve(source);
  try {
    return { bytes: readRegularFile(file), location: { file } };
  } catch (error) {
    throw fromSystemError(error, source);
  }
}

/** Names the folder for images for the web in `hull.json`, so that the next run and the head tags take the same. */
async function nameFolder(project: Project, into: string): Promise<void> {
  const path = pathFrom(project.dir, resolve(into));
  if (project.settings.look.art.web !== path)
    await changeProject(project, [{ path: ['look', 'art', 'web'], value: path }]);
}

/** Names the picture in `hull.json`, so that the next run and packing take the same. */
async function nameSource(project: Project, source: string): Promise<string | undefined> {
  const path = pathFrom(project.dir, source);
  if (project.settings.look.icon === path) return undefined;
  await changeProject(project, [{ path: ['look', 'icon'], value: path }]);
  return path;
}

/**
 * Makes every icon and start-up image from one picture. Images that someone has changed since are kept.
 *
 * @throws HullError `art.*`, `config.*`, `disk.*`
 */
export async function makeArt(options: ArtOptions): Promise<MadeArt> {
  const { source, only, into, mode = 'write' } = options;
  const project = openProject(options.project);
  const report = await drawPlan({
    dir: artHome(project),
    folders: { ...artFolders(project), ...(into === undefined ? {} : { web: join(resolve(into), 'art') }) },
    inputs: artInputs(project, await logoOf(project, source)),
    plan: artPlan(startSchemes(project)),
    mode,
    ...(only === undefined ? {} : { only }),
    ...(options.signal ? { signal: options.signal } : {}),
    ...(options.onProgress ? { onProgress: options.onProgress } : {}),
  });
  const named = source !== undefined && mode === 'write' ? await nameSource(project, source) : undefined;
  if (into !== undefined && mode === 'write') await nameFolder(project, into);
  const complete = report.results.every(({ state }) => state === 'made' || state === 'unchanged');
  return { ...report, complete, ...(named === undefined ? {} : { named }) };
}

export interface PlannedImage {
  readonly row: ArtRow;
  /** Relative to the project. */
  readonly file: string;
}

/** Every image that {@link makeArt} would make. Throws HullError `config.*`. */
export function listArt(options: Pick<ArtOptions, 'project' | 'only'>): PlannedImage[] {
  const project = openProject(options.project);
  const folders = artFolders(project);
  return artPlan(startSchemes(project))
    .filter(({ target }) => options.only === undefined || target === options.only)
    .map((row) => ({ row, file: pathFrom(artHome(project), `${folders[row.target]}/${row.path}`) }));
}
