import type { BrowserOptions } from '../../core/browser/launch.js';
import { HullError } from '../../core/errors.js';
import {
  type LiveApp,
  type PrintedTags,
  printTags,
  type WrittenTags,
  writeTags,
} from '../../core/tasks/write-tags.js';
import type { OptionsOf } from '../define-command.js';
import { browserOptions, installedBrowser } from '../options/browser.js';
import { hostAccess } from '../options/site.js';
import { showFindings } from '../terminal/findings.js';
import { count, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { openProgress, type Progress } from '../terminal/progress.js';
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
  const shared = { ...hostAccess(io, options), project, base, zoom, onProgress: progress.update };
  if (mode === 'print') {
    const tags = await printTags({ ...shared, form: options.jsx ? 'jsx' : 'html' }).finally(progress.end);
    if (io.json) emit(io, 'tags', printedDocument(tags));
    else print(io, tags);
    return 0;
  }
  const browser = mode === 'write' && options.browser ? browserFor(io, progress) : undefined;
  const written = await writeTags({ ...shared, pages, mode, browser }).finally(progress.end);
  const { files, check, templates, forBuild } = written;
  const ok = mode !== 'check' || files.every(({ state }) => state !== 'off');
  if (io.json) {
    emit(
      io,
      'tags',
      {
        files: files.map((one) => ({ ...one, file: jsonPath(io, one.file) })),
        browser: check?.browser ?? null,
        findings: jsonFindings(io, check?.findings ?? []),
        templates,
        manifestForBuild: forBuild ?? null,
      },
      ok,
    );
  } else show(io, written, mode);
  return ok ? 0 : 1;
}

/** The browser that the written pages are opened in; without one they are not. */
function browserFor(io: Io, progress: Progress): BrowserOptions | undefined {
  try {
    const executable = installedBrowser(io, 'HULL_BROWSER');
    return { ...browserOptions(io, executable, {}), onStep: () => progress.end() };
  } catch (error) {
    if (error instanceof HullError && error.code === 'browser.missing') return undefined;
    throw error;
  }
}

function showCheck(io: Io, { browser, pages, findings }: NonNullable<WrittenTags['check']>): void {
  const seen = `${count(pages.length, 'page')} opened with and without the tags in ${browser}`;
  io.note(`${io.paint.dim('seen')} ${seen}${findings.length === 0 ? ': no problems found' : ''}`);
  showFindings(io, findings, '');
}

function show(io: Io, { files: results, check, templates, forBuild }: WrittenTags, mode: Mode): void {
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
  if (check) showCheck(io, check);
  const note = (text: string) => io.note(labelled(io.paint.warn('note'), safe(text), io.width));
  const [template] = templates;
  if (template !== undefined) {
    const others = templates.length > 1 ? ` (or ${templates.slice(1).join(', ')})` : '';
    note(
      `A build makes these pages, and the next one makes them without the tags. Put them into what it is made from: hull tags --write ${template}${others}; and the images into the folder that it copies: hull art --into public`,
    );
  }
  if (forBuild) {
    note('The build makes the manifest. Add these members where it is described:');
    io.note(JSON.stringify(forBuild, undefined, 2));
  }
  if (mode === 'write') io.note(`${io.paint.dim('next')} hull survey`);
  if (mode === 'remove')
    io.note(`${io.paint.warn('note')} Members that were added to the manifest stay there.`);
}

function printedDocument({ head, style, members, live }: PrintedTags) {
  return {
    head,
    style,
    manifest: members,
    live: live ? { manifest: live.manifest, why: live.fault?.message ?? null, upload: live.upload } : null,
  };
}

/** What the live page and the live manifest of a hosted app lack, and what to bring to the host. */
function printLive(io: Io, { block, manifest, members }: PrintedTags, live: LiveApp): void {
  const { paint } = io;
  const note = (label: string, text: string) => io.note(labelled(label, safe(text), io.width));
  io.out(block.join('\n'));
  const json = JSON.stringify(members, undefined, 2);
  if (live.manifest === 'patch') {
    const lacks = Object.keys(members).length > 0;
    io.note(
      `\n${paint.bold(safe(manifest))} ${lacks ? 'lacks these members; all others stay as they are (a JSON Merge Patch, RFC 7396)' : 'lacks nothing'}`,
    );
    if (lacks) io.note(json);
  } else {
    io.note(
      `\n${paint.bold(safe(manifest))} ${live.manifest === 'new' ? 'is new' : 'where there is none yet'}`,
    );
    io.note(json);
  }
  io.note('');
  if (live.fault) {
    note(
      paint.warn('note'),
      `The live page could not be read, so these are all tags, and a whole manifest. Where a manifest is there already, add only the members that it lacks: another id or start_url is another app to those who installed it. ${live.fault.message}`,
    );
  }
  note(paint.dim('upload'), `${live.upload.folder}/ as ${live.upload.url} (hull art makes it)`);
  note(paint.dim('next'), 'put the lines at the end of the head of your pages, deploy, then hull survey');
}

/** The tags, manifest members and style rules, to paste. */
function print(io: Io, tags: PrintedTags): void {
  const { block, manifest, members, live } = tags;
  if (live) {
    printLive(io, tags, live);
    return;
  }
  io.out(block.join('\n'));
  io.note(`\n${io.paint.bold(manifest)}`);
  io.note(JSON.stringify(members, undefined, 2));
  io.note(
    `\n${io.paint.dim('next')} hull tags --write puts them in place; hull art makes the images that they name`,
  );
}
