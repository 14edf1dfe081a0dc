import { relative, resolve } from 'node:path';
import type { PictureSource } from '../../core/art/logo.js';
import { type ArtReport, type ArtState, makeArt } from '../../core/art/make.js';
import { type ArtRow, type ArtTarget, artPlan } from '../../core/art/plan.js';
import { artInputs, artPlaces } from '../../core/art/project-art.js';
import { fromSystemError } from '../../core/errors.js';
import { projectLogo } from '../../core/platforms/android/app/icon-source.js';
import { changeProject } from '../../core/project/edit.js';
import { type Project, readProject } from '../../core/project/project.js';
import { pathFrom, readRegularFile } from '../../core/util/files.js';
import { bytes, columns, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { countProgress } from '../progress.js';

export interface ArtOptions extends CommonOptions {
  readonly source?: string;
  readonly only?: ArtTarget;
  readonly check?: boolean;
  readonly list?: boolean;
}

const WIDTH = 92;
const TARGETS: readonly ArtTarget[] = ['web', 'android', 'apple'];

function logoOf(project: Project, options: ArtOptions): Promise<PictureSource> {
  if (options.source === undefined) return projectLogo(project);
  const file = resolve(options.source);
  try {
    return Promise.resolve({ bytes: readRegularFile(file), place: { file } });
  } catch (error) {
    throw fromSystemError(error, options.source);
  }
}

export async function art(io: Io, options: ArtOptions): Promise<number> {
  const project = readProject(options.project ?? '.');
  const places = artPlaces(project);
  if (options.list) {
    list(io, project, places, options.only);
    return 0;
  }
  const logo = await logoOf(project, options);
  const rows = artPlan().filter(({ target }) => options.only === undefined || target === options.only);
  const progress = io.drawsProgress
    ? await countProgress(io, Number.POSITIVE_INFINITY, 'drawing', 'images')
    : undefined;
  let report: ArtReport;
  try {
    report = await makeArt({
      dir: project.dir,
      places,
      inputs: artInputs(project, logo),
      ...(options.only === undefined ? {} : { only: options.only }),
      mode: options.check ? 'check' : 'write',
      signal: io.signal,
      ...(progress ? { onProgress: progress.update } : {}),
    });
  } finally {
    progress?.end();
  }
  const named =
    options.source !== undefined && !options.check ? await nameSource(project, options.source) : undefined;
  show(io, report, rows.length, options, named);
  const isOff = report.results.some(
    ({ state }) => state === 'missing' || state === 'stale' || state === 'edited' || state === 'in-the-way',
  );
  return options.check && isOff ? 1 : 0;
}

/** Names the picture in `hull.json`, so that the next run and `pack` take the same. */
async function nameSource(project: Project, source: string): Promise<string | undefined> {
  const path = pathFrom(project.dir, source);
  if (project.config.look?.icon === path) return undefined;
  await changeProject(project, [{ path: ['look', 'icon'], value: path }]);
  return path;
}

const SAYS: Readonly<Record<ArtState, string>> = {
  made: 'made',
  unchanged: 'up to date',
  edited: 'changed by hand since: kept as they are',
  'in-the-way': 'another file has the name: kept as it is',
  missing: 'not there',
  stale: 'not as the plan has it',
};

function show(
  io: Io,
  report: ArtReport,
  planned: number,
  options: ArtOptions,
  named: string | undefined,
): void {
  const { results, notes } = report;
  const of = (state: ArtState) => results.filter((result) => result.state === state);
  if (io.json) {
    outJson(io, {
      planned,
      counts: Object.fromEntries((Object.keys(SAYS) as ArtState[]).map((state) => [state, of(state).length])),
      notes,
      images: results.map(({ row, file, state, size }) => ({ file, state, size, ...facts(row) })),
    });
    return;
  }
  const { paint } = io;
  const made = of('made');
  if (of('unchanged').length === results.length)
    io.out(`${paint.good('Nothing to do:')} all ${results.length} images are up to date.`);
  else {
    const rows = TARGETS.flatMap((target) => {
      const own = made.filter(({ row }) => row.target === target);
      const size = own.reduce((sum, item) => sum + item.size, 0);
      return own.length === 0
        ? []
        : [
            [
              paint.name(target),
              `${own.length} images`,
              bytes(size),
              paint.dim(folderOf(own[0]?.file ?? '')),
            ],
          ];
    });
    if (rows.length > 0) io.out(`${paint.bold('Made')}\n${columns(rows, [1, 2])}`);
    const unchanged = of('unchanged').length;
    if (unchanged > 0) io.out(`${unchanged} were up to date.`);
  }
  for (const state of ['edited', 'in-the-way', 'missing', 'stale'] as const) {
    const own = of(state);
    if (own.length === 0) continue;
    io.out(`${paint.warn(`${own.length} ${SAYS[state]}`)}`);
    for (const { file } of io.verbose ? own : own.slice(0, 6)) io.out(`  ${safe(file)}`);
    if (!io.verbose && own.length > 6) io.out(paint.dim(`  and ${own.length - 6} more; --verbose names all`));
  }
  for (const note of notes) io.note(`${paint.warn('note')} ${wrap(safe(note), WIDTH, '     ')}`);
  if (named !== undefined) io.note(`${paint.dim('named')} look.icon in hull.json: ${safe(named)}`);
  if (options.check && of('missing').length + of('stale').length > 0)
    io.note(`${paint.dim('next')} hull art`);
}

/** The folder of a target's images, from the first of them. */
function folderOf(file: string): string {
  return file
    .split('/')
    .slice(0, file.startsWith('art/') ? 2 : -1)
    .join('/')
    .replace(/\/(icon-192\.png|res)$/, '');
}

function facts(row: ArtRow): object {
  const { path: _path, device, ...rest } = row;
  return { ...rest, ...(device ? { device } : {}) };
}

function list(
  io: Io,
  project: Project,
  places: Record<ArtTarget, string>,
  only: ArtTarget | undefined,
): void {
  const rows = artPlan().filter(({ target }) => only === undefined || target === only);
  const fileOf = (row: ArtRow) =>
    `${relative(project.dir, places[row.target]).split('\\').join('/')}/${row.path}`;
  if (io.json) {
    outJson(
      io,
      rows.map((row) => ({ file: fileOf(row), ...facts(row) })),
    );
    return;
  }
  for (const target of TARGETS) {
    const own = rows.filter((row) => row.target === target);
    if (own.length === 0) continue;
    io.out(io.paint.bold(`${target}: ${own.length} images`));
    io.out(
      columns(
        own.map((row) => [
          io.paint.name(fileOf(row)),
          row.width === 0 ? 'as drawn' : `${row.width}×${row.height}`,
          row.purpose,
          row.ground,
          row.safe < 1 ? `circle of ${Math.round(row.safe * 100)} %` : '',
          io.paint.dim(row.asks),
        ]),
        [1],
      ),
    );
  }
}
