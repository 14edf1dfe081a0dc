import { HullError } from '../../core/errors.js';
import { printTags, type TaggedFile, writeTags } from '../../core/tasks/write-tags.js';
import type { OptionsOf } from '../define-command.js';
import { count, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './tags.js';

type TagsOptions = OptionsOf<typeof declare>;
type Mode = 'write' | 'check' | 'remove';

function modeOf({ write, check, remove }: TagsOptions): Mode | 'print' {
  const modes = [write && 'write', check && 'check', remove && 'remove'].filter(
    (one) => typeof one === 'string',
  );
  if (modes.length > 1) {
    throw new HullError('cli.usage', 'Only one of --write, --check and --remove can be meant.', {
      fix: 'Leave the others out.',
    });
  }
  return (modes[0] as Mode | undefined) ?? 'print';
}

export async function run(io: Io, options: TagsOptions, pages: readonly string[]): Promise<number> {
  const mode = modeOf(options);
  const { project, base, zoom } = options;
  const progress = openProgress(io, { doing: 'reading', what: 'files' });
  const shared = { project, base, zoom, onProgress: progress.update };
  if (mode === 'print') {
    const tags = await printTags({ ...shared, form: options.jsx ? 'jsx' : 'html' }).finally(progress.end);
    if (io.json) emit(io, 'tags', { head: tags.head, style: tags.style, manifest: tags.members });
    else print(io, tags);
    return 0;
  }
  const files = await writeTags({ ...shared, pages, mode }).finally(progress.end);
  const ok = mode !== 'check' || files.every(({ state }) => state !== 'off');
  if (io.json)
    emit(io, 'tags', { files: files.map((one) => ({ ...one, file: jsonPath(io, one.file) })) }, ok);
  else show(io, files, mode);
  return ok ? 0 : 1;
}

function show(io: Io, results: readonly TaggedFile[], mode: Mode): void {
  const changed = results.filter(({ state }) => state !== 'unchanged');
  const words = { written: 'written', removed: 'removed from', off: 'out of date', unchanged: '' };
  for (const { file, state } of changed)
    io.out(`${state === 'off' ? io.paint.bad(words[state]) : words[state]}  ${safe(file)}`);
  if (changed.length === 0) {
    io.out(
      results.length === 0
        ? 'No page has the tags yet.'
        : `Nothing to do: ${count(results.length, 'file')} up to date.`,
    );
    return;
  }
  if (mode === 'check') io.note(`${io.paint.dim('next')} hull tags --write`);
  if (mode === 'write') io.note(`${io.paint.dim('next')} hull survey`);
  if (mode === 'remove')
    io.note(`${io.paint.warn('note')} Members that were added to the manifest stay there.`);
}

/** The tags, manifest members and style rules, to paste. */
function print(io: Io, { block, manifest, members }: Awaited<ReturnType<typeof printTags>>): void {
  io.out(block.join('\n'));
  io.note(`\n${io.paint.bold(manifest)}`);
  io.note(JSON.stringify(members, undefined, 2));
  io.note(
    `\n${io.paint.dim('next')} hull tags --write puts them in place; hull art makes the images that they name`,
  );
}
