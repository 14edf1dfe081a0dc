import { NEW_ENDING, type RefitResult, type RefitState } from '../../core/packaging/exported-project.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { SCHEMA_COPY } from '../../core/project/schema-copy.js';
import { refitProject } from '../../core/tasks/source-project.js';
import type { OptionsOf } from '../define-command.js';
import { count, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './refit.js';

const SAYS: Readonly<Record<RefitState, string>> = {
  added: 'added',
  updated: 'updated',
  merged: 'merged: your edits and the new version',
  conflict: `in conflict: both changed the same lines. Yours is kept; the new one is next to it as ${NEW_ENDING}`,
  kept: 'kept with your edits',
  deleted: 'deleted by you, and left so',
  removed: 'no longer needed, and removed',
  unchanged: 'unchanged',
};
const ORDER: readonly RefitState[] = ['conflict', 'merged', 'kept', 'deleted', 'updated', 'added', 'removed'];
/** Files of one kind that are named. */
const SHOWN = 12;

/** A project's own files: `hull.json` was checked against today's schema when it was read. */
function showConfig(io: Io, schema: 'unchanged' | 'updated', isCheck: boolean): number {
  const code = isCheck && schema === 'updated' ? 1 : 0;
  if (io.json) emit(io, 'refit', { schema }, code === 0);
  else if (schema === 'unchanged')
    io.out(`${io.paint.good('Nothing to do:')} ${CONFIG_FILE} and its schema are up to date.`);
  else io.out(`${CONFIG_FILE} is valid; ${SCHEMA_COPY} ${isCheck ? 'is out of date' : 'was updated'}.`);
  return code;
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  folder: string | undefined,
): Promise<number> {
  const isCheck = options.check ?? false;
  const refitted = await refitProject({
    folder: folder ?? options.project,
    mode: isCheck ? 'check' : 'write',
    say: sayTask,
  });
  if (refitted.of === 'config') return showConfig(io, refitted.schema, isCheck);
  const { files } = refitted;
  const has = (...states: RefitState[]) => files.some(({ state }) => states.includes(state));
  const isOff = isCheck ? has('conflict', 'merged', 'updated', 'added', 'removed') : has('conflict');
  show(io, files, isCheck, isOff);
  return isOff ? 1 : 0;
}

function show(io: Io, results: readonly RefitResult[], isCheck: boolean, isOff: boolean): void {
  const { paint } = io;
  const of = (state: RefitState) => results.filter((one) => one.state === state);
  if (io.json) {
    const states = Object.keys(SAYS) as RefitState[];
    const counts = Object.fromEntries(states.map((state) => [state, of(state).length])) as Record<
      RefitState,
      number
    >;
    emit(io, 'refit', { counts, files: results.filter(({ state }) => state !== 'unchanged') }, !isOff);
    return;
  }
  for (const state of ORDER) {
    const own = of(state);
    if (own.length === 0) continue;
    const title = `${count(own.length, 'file')} ${SAYS[state]}`;
    io.out(state === 'conflict' ? paint.bad(title) : state === 'merged' ? paint.warn(title) : title);
    for (const { path } of io.verbose ? own : own.slice(0, SHOWN)) io.out(`  ${safe(path)}`);
    if (!io.verbose && own.length > SHOWN)
      io.out(paint.dim(`  and ${own.length - SHOWN} more; --verbose names all`));
  }
  const changed = results.length - of('unchanged').length - of('kept').length - of('deleted').length;
  if (changed === 0) io.out(`${paint.good('Nothing to do:')} the project is up to date.`);
  if (of('conflict').length > 0)
    io.note(`${paint.dim('next')} take from each ${NEW_ENDING} file what you want, and remove it`);
  else if (isCheck && changed > 0) io.note(`${paint.dim('next')} hull refit without --check`);
}
