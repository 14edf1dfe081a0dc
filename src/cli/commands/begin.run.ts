import { resolve } from 'node:path';
import type { Proposal } from '../../core/begin/begin.js';
import {
  BEGIN_KEYS,
  type BeginAnswers,
  type BeginKey,
  checkAnswer,
  type Found,
} from '../../core/begin/values.js';
import { HullError } from '../../core/errors.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { beginProject, type ProjectDraft } from '../../core/tasks/begin-project.js';
import { projectState } from '../../core/tasks/project-state.js';
import { pathFrom, shownPath } from '../../core/util/files.js';
import type { OptionsOf } from '../define-command.js';
import { siteReading } from '../options/site.js';
import { columnsOrStacks, count, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { fixText } from '../terminal/say-task.js';
import type { declare } from './begin.js';
import { faultOf, originText, reviewDraft } from './begin-review.js';

type BeginOptions = OptionsOf<typeof declare>;

/** Option that gives each value, for errors about it. */
const OPTION_OF: Partial<Record<BeginKey, string>> = {
  'app.id': '--id',
  'app.name': '--name',
  'app.short_name': '--short-name',
  'app.version': '--app-version',
  'app.build': '--build',
  'web.url': '--web-url',
  'web.start': '--start',
  'look.icon': '--icon',
  'android.engine': '--engine',
};

function answersOf(options: BeginOptions, projectDir: string): BeginAnswers {
  const given: [BeginKey, string | undefined][] = [
    ['app.id', options.id],
    ['app.name', options.name],
    ['app.short_name', options.shortName],
    ['app.version', options.appVersion],
    ['app.build', options.build],
    ['web.url', options.webUrl],
    ['web.start', options.start],
    ['look.icon', options.icon && pathFrom(projectDir, options.icon)],
    ['android.engine', options.engine],
  ];
  const answers: BeginAnswers = {};
  for (const [key, value] of given) {
    if (value === undefined) continue;
    checkAnswer(key, value, { option: OPTION_OF[key] ?? key });
    answers[key] = value;
  }
  return answers;
}

/** Questions about values, each answer checked as it is typed. */
async function askFor(
  io: Io,
  questions: readonly { readonly key: BeginKey; readonly question: string }[],
): Promise<Map<BeginKey, Found>> {
  const { input } = await import('@inquirer/prompts');
  const answers = new Map<BeginKey, Found>();
  for (const { key, question } of questions) {
    const value = await input(
      {
        message: question,
        required: true,
        validate: (text) => faultOf(key, text.trim(), { option: OPTION_OF[key] ?? key }) ?? true,
      },
      { output: process.stderr, signal: io.signal },
    );
    answers.set(key, { value: value.trim(), origin: 'your answer' });
  }
  return answers;
}

async function askMissing(io: Io, missing: Proposal['missing']): Promise<Map<BeginKey, Found>> {
  if (missing.length === 0) return new Map();
  if (!io.interactive) {
    const options = missing.map(({ key }) => OPTION_OF[key] ?? key);
    throw new HullError(
      'cli.missing-answer',
      `Not found, and not given: ${missing.map((item) => item.question).join('; ')}.`,
      {
        location: { option: options.join(', ') },
        fix: `Give ${options.map((option) => `${option} <value>`).join(' and ')}.`,
      },
    );
  }
  return askFor(io, missing);
}

export async function run(io: Io, options: BeginOptions, target: string): Promise<void> {
  const projectDir = resolve(options.project ?? '.');
  const reading = siteReading(io, options);
  const { file, draft, notes, listing } = await beginProject({
    ...reading,
    project: options.project,
    target,
    answers: answersOf(options, projectDir),
    complete: async (found, missing) => {
      reading.end();
      const asked = await askMissing(io, missing);
      const draft = { ...found, found: new Map([...found.found, ...asked]) };
      return io.interactive ? reviewDraft(io, draft) : draft;
    },
  }).finally(reading.end);
  const { permissions, links, entries } = draft;
  if (io.json) {
    emit(io, 'begin', {
      file: jsonPath(io, file),
      values: BEGIN_KEYS.flatMap((key) => {
        const item = draft.found.get(key);
        return item ? [{ key, ...item }] : [];
      }),
      permissions,
      links,
      shortcuts: entries.shortcuts.map(({ name, url }) => ({ name, url })),
      shareTarget: entries.share?.action ?? null,
      notes,
      listing: (listing?.written ?? []).map((one) => jsonPath(io, one.file)),
    });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(CONFIG_FILE)} written in ${projectDir}`);
  // On a terminal it was just looked through.
  if (!io.interactive) io.out(draftTable(io, draft));
  if (listing && listing.written.length > 0)
    io.note(
      `${paint.dim('listing')} ${safe(shownPath(listing.folder))}: ${count(listing.written.length, 'file')} for stores to show, from the manifest`,
    );
  for (const note of notes) io.note(`${paint.warn('note')} ${safe(note)}`);
  if (permissions.length > 0) {
    io.note(`${paint.warn('note')} The reasons are for users to read: say in your own words what they get.`);
  }
  // What the project still lacks; where it cannot be packed as it is, the survey says why.
  const next = await projectState(projectDir).then(
    (state) => `hull survey, then: ${fixText(state.next)}`,
    () => 'hull survey',
  );
  io.note(labelled(paint.dim('next'), safe(next), io.width));
}

/** Everything that goes into hull.json, each value with where it came from. */
function draftTable(io: Io, { found, permissions, links, entries }: ProjectDraft): string {
  const { paint } = io;
  const row = (key: string, value: string, origin: string) => [
    paint.name(key),
    safe(value),
    paint.dim(safe(originText(origin))),
  ];
  return columnsOrStacks(
    [
      ...BEGIN_KEYS.flatMap((key) => {
        const item = found.get(key);
        return item ? [row(key, item.value, item.origin)] : [];
      }),
      ...permissions.map(({ name, reason, origin }) => row(`permissions.${name}`, reason, origin)),
      ...links.map(({ host, paths, origin }) => row('links', `${host} ${paths.join(' ')}`, origin)),
      ...entries.shortcuts.map(({ name, url }) => row('shortcuts', `${name} ${url}`, entries.origin)),
      ...(entries.share ? [row('share_target', entries.share.action, entries.origin)] : []),
    ],
    io.width,
  );
}
