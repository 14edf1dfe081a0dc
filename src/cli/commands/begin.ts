import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import {
  BEGIN_KEYS,
  type BeginAnswers,
  type BeginKey,
  checkAnswer,
  configPath,
  type Found,
  type Proposal,
  proposeProject,
  renderConfig,
} from '../../core/begin/begin.js';
import { HullError, type Place } from '../../core/errors.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { listWebFolder } from '../../core/site/folder.js';
import { readFolderSite } from '../../core/site/read-folder.js';
import type { Site } from '../../core/site/site.js';
import { FOLDER_ROOT } from '../../core/site/web-source.js';
import { pathFrom, writeNewFile } from '../../core/util/files.js';
import { columns, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { countProgress } from '../progress.js';
import { SCHEMA_COPY, writeSchemaCopy } from '../schema-copy.js';
import { readHost, type SiteOptions } from '../site-options.js';

export interface BeginOptions extends CommonOptions, SiteOptions {
  readonly id?: string;
  readonly name?: string;
  readonly shortName?: string;
  readonly appVersion?: string;
  readonly build?: string;
  readonly webUrl?: string;
  readonly start?: string;
  readonly icon?: string;
  readonly engine?: string;
}

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
  questions: readonly { readonly key: BeginKey; readonly question: string; readonly shown?: string }[],
): Promise<Map<BeginKey, Found>> {
  const { input } = await import('@inquirer/prompts');
  const answers = new Map<BeginKey, Found>();
  for (const { key, question, shown } of questions) {
    const value = await input(
      {
        message: question,
        required: true,
        ...(shown === undefined ? {} : { default: shown }),
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
    const options = missing.map((item) => item.option).join(', ');
    throw new HullError(
      'cli.missing-answer',
      `Not found, and not given: ${missing.map((item) => item.question).join('; ')}.`,
      {
        place: { option: options },
        remedy: `Give ${missing.map((item) => `${item.option} <value>`).join(' and ')}.`,
      },
    );
  }
  return askFor(io, missing);
}

type Draft = Pick<Proposal, 'permissions' | 'links' | 'entries'> & {
  readonly found: ReadonlyMap<BeginKey, Found>;
};

/** Values that a question may change; the folder and the icon are files, given as options. */
const CHANGEABLE = BEGIN_KEYS.filter((key) => key !== 'web.folder' && key !== 'look.icon');

/** Shows what was found and lets the user change it, as often as wanted. */
async function confirm(io: Io, given: Draft): Promise<Draft> {
  if (!io.interactive) return given;
  const { select, checkbox } = await import('@inquirer/prompts');
  const context = { output: process.stderr, signal: io.signal };
  let draft = given;
  for (;;) {
    io.note(draftTable(io, draft));
    const choice = await select(
      {
        message: 'Write hull.json with these?',
        choices: [
          { name: 'yes', value: 'yes' },
          { name: 'change some values', value: 'values' },
          ...(given.permissions.length > 0
            ? [{ name: 'edit reasons, or leave permissions out', value: 'permissions' }]
            : []),
        ],
      },
      context,
    );
    if (choice === 'yes') return draft;
    if (choice === 'values') {
      const keys = await checkbox(
        { message: 'Which?', choices: CHANGEABLE.map((key) => ({ name: key, value: key })), pageSize: 14 },
        context,
      );
      const answers = await askFor(
        io,
        keys.map((key) => {
          const shown = draft.found.get(key)?.value;
          return { key, question: key, ...(shown === undefined ? {} : { shown }) };
        }),
      );
      draft = { ...draft, found: new Map([...draft.found, ...answers]) };
    } else draft = { ...draft, permissions: await askPermissions(io, given.permissions) };
  }
}

async function askPermissions(io: Io, proposed: Proposal['permissions']): Promise<Proposal['permissions']> {
  const { input } = await import('@inquirer/prompts');
  const kept: { name: string; reason: string; origin: string }[] = [];
  for (const { name, reason, origin } of proposed) {
    const text = await input(
      { message: `Reason that users read for ${name} (a single - leaves it out)`, default: reason },
      { output: process.stderr, signal: io.signal },
    );
    if (text.trim() !== '-') kept.push({ name, reason: text.trim(), origin });
  }
  return kept;
}

function faultOf(key: BeginKey, value: string, place: Place): string | undefined {
  try {
    checkAnswer(key, value, place);
    return undefined;
  } catch (error) {
    if (error instanceof HullError) return error.message;
    throw error;
  }
}

function configExists(file: string): HullError {
  return new HullError('begin.config-exists', `There is a ${CONFIG_FILE} here already; it was not touched.`, {
    place: { file },
    remedy: 'Edit it, or begin in another folder with --project <dir>.',
  });
}

export async function begin(io: Io, options: BeginOptions, target: string): Promise<void> {
  const projectDir = resolve(options.project ?? '.');
  const file = configPath(projectDir);
  if (existsSync(file)) throw configExists(file);
  const hosted = /^https?:\/\//i.test(target);
  const answers = answersOf(options, projectDir);
  const site = hosted ? await readHost(io, addressOf(target), options) : await readFolder(io, target);
  const proposal = proposeProject(site, projectDir, hosted ? undefined : target, answers);
  const asked = await askMissing(io, proposal.missing);
  const { permissions, links, entries } = proposal;
  const draft = await confirm(io, {
    permissions,
    links,
    entries,
    found: new Map([...proposal.found, ...asked]),
  });
  const values = new Map([...draft.found].map(([key, { value }]) => [key, value]));
  const text = renderConfig(values, `./${SCHEMA_COPY}`, draft);
  if (proposal.icon !== undefined) {
    const iconFile = resolve(projectDir, proposal.icon.path);
    await writeNewFile(iconFile, proposal.icon.bytes, 0o644, () => iconExists(iconFile));
  }
  await writeNewFile(file, new TextEncoder().encode(text), 0o644, () => configExists(file));
  await writeSchemaCopy(projectDir);

  if (io.json) {
    const rows = BEGIN_KEYS.flatMap((key) => {
      const item = draft.found.get(key);
      return item ? [{ key, ...item }] : [];
    });
    outJson(io, {
      file,
      values: rows,
      permissions: draft.permissions,
      links: draft.links,
      shortcuts: draft.entries.shortcuts,
      share_target: draft.entries.share,
      notes: proposal.notes,
    });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(CONFIG_FILE)} written in ${projectDir}`);
  io.out(draftTable(io, draft));
  for (const note of proposal.notes) io.note(`${paint.warn('note')} ${safe(note)}`);
  if (draft.permissions.length > 0) {
    io.note(`${paint.warn('note')} The reasons are for users to read: say in your own words what they get.`);
  }
  io.note(`${paint.dim('next')} hull survey, then hull keys new`);
}

/** Everything that goes into hull.json, each value with where it came from. */
function draftTable(io: Io, { found, permissions, links, entries }: Draft): string {
  const { paint } = io;
  const row = (key: string, value: string, origin: string) => [
    paint.name(key),
    safe(value),
    paint.dim(
      origin === 'default'
        ? 'default'
        : /^(your|the (pages|browser)|hosted)/.test(origin)
          ? safe(origin)
          : `from ${safe(origin)}`,
    ),
  ];
  return columns([
    ...BEGIN_KEYS.flatMap((key) => {
      const item = found.get(key);
      return item ? [row(key, item.value, item.origin)] : [];
    }),
    ...permissions.map(({ name, reason, origin }) => row(`permissions.${name}`, reason, origin)),
    ...links.map(({ host, paths, origin }) => row('links', `${host} ${paths.join(' ')}`, origin)),
    ...entries.shortcuts.map(({ name, url }) => row('shortcuts', `${name} ${url}`, entries.origin)),
    ...(entries.share ? [row('share_target', entries.share.action, entries.origin)] : []),
  ]);
}

async function readFolder(io: Io, dir: string): Promise<Site> {
  const folder = await listWebFolder(dir);
  const progress = await countProgress(io, folder.files.length, 'reading', 'files');
  try {
    return await readFolderSite(folder, { base: FOLDER_ROOT, onProgress: progress.update });
  } finally {
    progress.end();
  }
}

function iconExists(file: string): HullError {
  return new HullError(
    'begin.config-exists',
    'A picture stands where the hosted icon would be saved; it was not touched.',
    {
      place: { file },
      remedy: 'Give it with --icon, or move it away.',
    },
  );
}

function addressOf(text: string): URL {
  if (!URL.canParse(text)) {
    throw new HullError('cli.usage', `"${text}" is not a web address.`, {
      remedy: 'Write it in full, as in https://ferry.saltmarsh.example/',
    });
  }
  return new URL(text);
}
