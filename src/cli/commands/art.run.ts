import type { ArtState } from '../../core/art/make.js';
import type { ArtRow, ArtTarget } from '../../core/art/plan.js';
import { listArt, type MadeArt, makeArt } from '../../core/tasks/make-art.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { columns, count, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './art.js';

type ArtOptions = OptionsOf<typeof declare>;

const TARGETS: readonly ArtTarget[] = ['web', 'android', 'apple'];
/** Files of one kind that are named. */
const SHOWN = 6;

export async function run(io: Io, options: ArtOptions): Promise<number> {
  if (options.list) {
    list(io, options);
    return 0;
  }
  const progress = openProgress(io.drawsProgress ? io : { ...io, quiet: true }, {
    doing: 'drawing',
    what: 'images',
    from: 0,
  });
  const made = await makeArt({
    project: options.project,
    source: options.source,
    only: options.only,
    into: options.into,
    mode: options.check ? 'check' : 'write',
    signal: io.signal,
    onProgress: progress.update,
  }).finally(progress.end);
  const ok = !options.check || made.complete;
  if (io.json) emit(io, 'art', artDocument(made), ok);
  else show(io, made, options);
  return ok ? 0 : 1;
}

const imageFacts = (file: string, row: ArtRow) => {
  const { target, source, purpose, scheme, width, height, format, background, safe: kept, asks } = row;
  return { file, target, source, purpose, scheme, width, height, format, background, safe: kept, asks };
};

function artDocument({ results, notes, named }: MadeArt) {
  const states = Object.keys(SAYS) as ArtState[];
  const countOf = (state: ArtState) => results.filter((result) => result.state === state).length;
  return {
    planned: results.length,
    counts: Object.fromEntries(states.map((state) => [state, countOf(state)])) as Record<ArtState, number>,
    notes,
    images: results.map(({ row, file, state, size }) => ({ ...imageFacts(file, row), state, size })),
    named: named ?? null,
  };
}

const SAYS: Readonly<Record<ArtState, string>> = {
  made: 'made',
  unchanged: 'up to date',
  edited: 'changed by hand since: kept as they are',
  'in-the-way': 'another file has the name: kept as it is',
  missing: 'not there',
  stale: 'not as the plan has it',
};

function show(io: Io, { results, notes, named }: MadeArt, options: ArtOptions): void {
  const { paint } = io;
  const of = (state: ArtState) => results.filter((result) => result.state === state);
  const made = of('made');
  if (of('unchanged').length === results.length)
    io.out(`${paint.good('Nothing to do:')} all ${count(results.length, 'image')} are up to date.`);
  else {
    const rows = TARGETS.flatMap((target) => {
      const own = made.filter(({ row }) => row.target === target);
      const size = own.reduce((sum, item) => sum + item.size, 0);
      const folder = paint.dim(folderOf(own[0]?.file ?? ''));
      return own.length === 0
        ? []
        : [[paint.name(target), count(own.length, 'image'), formatBytes(size), folder]];
    });
    if (rows.length > 0) io.out(`${paint.bold('Made')}\n${columns(rows, [1, 2])}`);
    const unchanged = of('unchanged').length;
    if (unchanged > 0) io.out(`${unchanged} were up to date.`);
  }
  for (const state of ['edited', 'in-the-way', 'missing', 'stale'] as const) {
    const own = of(state);
    if (own.length === 0) continue;
    io.out(`${paint.warn(`${own.length} ${SAYS[state]}`)}`);
    for (const { file } of io.verbose ? own : own.slice(0, SHOWN)) io.out(`  ${safe(file)}`);
    if (!io.verbose && own.length > SHOWN)
      io.out(paint.dim(`  and ${own.length - SHOWN} more; --verbose names all`));
  }
  for (const note of notes) io.note(labelled(paint.warn('note'), safe(note), io.width));
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

function list(io: Io, options: ArtOptions): void {
  const planned = listArt({ project: options.project, only: options.only });
  if (io.json) {
    emit(io, 'art', { images: planned.map(({ row, file }) => imageFacts(file, row)) });
    return;
  }
  for (const target of TARGETS) {
    const own = planned.filter(({ row }) => row.target === target);
    if (own.length === 0) continue;
    io.out(io.paint.bold(`${target}: ${count(own.length, 'image')}`));
    io.out(
      columns(
        own.map(({ row, file }) => [
          io.paint.name(safe(file)),
          row.width === 0 ? 'as drawn' : `${row.width}×${row.height}`,
          row.purpose,
          row.background,
          row.safe < 1 ? `circle of ${Math.round(row.safe * 100)} %` : '',
          io.paint.dim(row.asks),
        ]),
        [1],
      ),
    );
  }
}
