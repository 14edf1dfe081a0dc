import { existsSync } from 'node:fs';
import { join, relative } from 'node:path';
import { readApp } from '../../core/app/app.js';
import { ART_CACHE } from '../../core/art/kit.js';
import { launcherIcon } from '../../core/art/launcher-icon.js';
import { artInputs } from '../../core/art/project-art.js';
import {
  exportProject,
  NEW_ENDING,
  projectOf,
  type RefitResult,
  type RefitState,
  refitProject,
} from '../../core/packaging/exported-project.js';
import { findIconSource } from '../../core/platforms/android/app/icon-source.js';
import { appInEngine, readAndroidOptions } from '../../core/platforms/android/app/options.js';
import { type ProjectFile, projectFiles } from '../../core/platforms/android/project/export.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { type Project, readProject } from '../../core/project/project.js';
import { packagedPath } from '../../core/util/packaged.js';
import { safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { isSchemaCurrent, SCHEMA_COPY, writeSchemaCopy } from '../schema-copy.js';
import { VERSION } from '../version.js';

export interface PackProjectOptions extends CommonOptions {
  readonly out?: string;
}

export interface RefitOptions extends CommonOptions {
  readonly check?: boolean;
}

const DEFAULT_OUT = 'out/android-project';
const SHELL_SOURCES = 'shell/android/src/main/java';

async function filesOf(project: Project): Promise<ProjectFile[]> {
  const app = await readApp(project);
  const options = readAndroidOptions(project);
  const inputs = artInputs(project, await findIconSource(project, app.folder));
  const icon = await launcherIcon(inputs, join(project.dir, ART_CACHE));
  return projectFiles(appInEngine(app, options.engine), icon, options, packagedPath(SHELL_SOURCES));
}

export async function packAndroidProject(io: Io, options: PackProjectOptions): Promise<void> {
  const project = readProject(options.project ?? '.');
  const dir = options.out ?? (relative('.', join(project.dir, DEFAULT_OUT)) || DEFAULT_OUT);
  const files = await filesOf(project);
  await exportProject({ dir, projectDir: project.dir, files, version: VERSION, signal: io.signal });
  if (io.json) {
    outJson(io, { folder: dir, files: files.map(({ path }) => path) });
    return;
  }
  io.out(
    `${io.paint.bold(safe(dir))}  ${files.length} files: a source project for the platform's usual build`,
  );
  io.note(
    `${io.paint.dim('next')} open it in the platform's studio; hull refit ${safe(dir)} brings later changes in`,
  );
}

const SAYS: Readonly<Record<RefitState, string>> = {
  added: 'new',
  updated: 'brought up to date',
  merged: 'your edits and the new version merged',
  conflict: `both changed the same lines: yours is kept; the new one is next to it as ${NEW_ENDING}`,
  kept: 'your edits kept',
  deleted: 'deleted by you, and left so',
  removed: 'no longer needed, and removed',
  unchanged: 'unchanged',
};
const ORDER: readonly RefitState[] = ['conflict', 'merged', 'kept', 'deleted', 'updated', 'added', 'removed'];
/** Files of one kind that are named. */
const SHOWN = 12;

/** A project's own files: `hull.json` checked against today's schema, and the copy of it that editors go by. */
async function refitConfig(io: Io, options: RefitOptions, dir: string): Promise<number> {
  const project = readProject(dir);
  const isCurrent = isSchemaCurrent(project.dir);
  if (!isCurrent && !options.check) await writeSchemaCopy(project.dir);
  if (io.json) outJson(io, { schema: isCurrent ? 'unchanged' : 'updated' });
  else if (isCurrent)
    io.out(`${io.paint.good('Nothing to do:')} ${CONFIG_FILE} and its schema are up to date.`);
  else
    io.out(
      `${CONFIG_FILE} holds against today's schema; ${SCHEMA_COPY} ${options.check ? 'is an older one' : 'brought up to date'}.`,
    );
  return options.check && !isCurrent ? 1 : 0;
}

export async function refit(io: Io, options: RefitOptions, folder: string | undefined): Promise<number> {
  const dir = folder ?? options.project ?? '.';
  if (existsSync(join(dir, CONFIG_FILE))) return refitConfig(io, options, dir);
  const project = readProject(projectOf(dir));
  const results = await refitProject({
    dir,
    files: await filesOf(project),
    version: VERSION,
    mode: options.check ? 'check' : 'write',
  });
  show(io, results, options);
  const has = (...states: RefitState[]) => results.some(({ state }) => states.includes(state));
  if (options.check) return has('conflict', 'merged', 'updated', 'added', 'removed') ? 1 : 0;
  return has('conflict') ? 1 : 0;
}

function show(io: Io, results: readonly RefitResult[], options: RefitOptions): void {
  const { paint } = io;
  const of = (state: RefitState) => results.filter((one) => one.state === state);
  if (io.json) {
    outJson(io, {
      counts: Object.fromEntries(
        (Object.keys(SAYS) as RefitState[]).map((state) => [state, of(state).length]),
      ),
      files: results.filter(({ state }) => state !== 'unchanged'),
    });
    return;
  }
  for (const state of ORDER) {
    const own = of(state);
    if (own.length === 0) continue;
    const title = `${own.length} ${SAYS[state]}`;
    io.out(state === 'conflict' ? paint.bad(title) : state === 'merged' ? paint.warn(title) : title);
    for (const { path } of io.verbose ? own : own.slice(0, SHOWN)) io.out(`  ${safe(path)}`);
    if (!io.verbose && own.length > SHOWN)
      io.out(paint.dim(`  and ${own.length - SHOWN} more; --verbose names all`));
  }
  const changed = results.length - of('unchanged').length - of('kept').length - of('deleted').length;
  if (changed === 0) io.out(`${paint.good('Nothing to do:')} the project is up to date.`);
  if (of('conflict').length > 0)
    io.note(`${paint.dim('next')} take from each ${NEW_ENDING} file what you want, and remove it`);
  else if (options.check && changed > 0) io.note(`${paint.dim('next')} hull refit without --check`);
}
