import { existsSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import {
  BEGIN_KEYS,
  type BeginAnswers,
  type BeginKey,
  checkAnswer,
  configPath,
  type Found,
  proposeProject,
  renderConfig,
} from '../../core/begin.js';
import { HullError, type Place } from '../../core/errors.js';
import { pathFrom, replaceFile, writeNewFile } from '../../core/files.js';
import { packagedPath } from '../../core/packaged.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { folderSource, hostedSource } from '../../core/site/web-source.js';
import { columns, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';

export interface BeginOptions extends CommonOptions {
  readonly id?: string;
  readonly name?: string;
  readonly shortName?: string;
  readonly appVersion?: string;
  readonly build?: string;
  readonly webUrl?: string;
  readonly start?: string;
  readonly icon?: string;
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
  ];
  const answers: BeginAnswers = {};
  for (const [key, value] of given) {
    if (value === undefined) continue;
    checkAnswer(key, value, { option: OPTION_OF[key] ?? key });
    answers[key] = value;
  }
  return answers;
}

async function ask(
  io: Io,
  missing: readonly { key: BeginKey; option: string; question: string }[],
): Promise<Map<BeginKey, Found>> {
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
  const { input } = await import('@inquirer/prompts');
  const answers = new Map<BeginKey, Found>();
  for (const { key, question, option } of missing) {
    const value = await input(
      {
        message: question,
        required: true,
        validate: (text) => faultOf(key, text.trim(), { option }) ?? true,
      },
      { output: process.stderr, signal: io.signal },
    );
    answers.set(key, { value: value.trim(), origin: 'your answer' });
  }
  return answers;
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

/** Editors complete and check `hull.json` by this copy of the schema, also without a network. */
const SCHEMA = '.hull/hull.schema.json';

async function writeSchema(projectDir: string): Promise<void> {
  const ignore = join(projectDir, '.hull/.gitignore');
  await replaceFile(join(projectDir, SCHEMA), readFileSync(packagedPath('schema/hull.schema.json')));
  if (!existsSync(ignore)) await replaceFile(ignore, new TextEncoder().encode('cache/\n'));
}

export async function begin(io: Io, options: BeginOptions, target: string): Promise<void> {
  const projectDir = resolve(options.project ?? '.');
  const file = configPath(projectDir);
  if (existsSync(file)) throw configExists(file);
  const hosted = /^https?:\/\//i.test(target);
  const answers = answersOf(options, projectDir);
  const source = hosted ? await hostedSource(addressOf(target)) : await folderSource(target);
  const proposal = await proposeProject(source, projectDir, hosted ? undefined : target, answers);
  const asked = await ask(io, proposal.missing);
  const found = new Map([...proposal.found, ...asked]);
  const values = new Map([...found].map(([key, { value }]) => [key, value]));
  const text = renderConfig(values, `./${SCHEMA}`);
  if (proposal.icon !== undefined) {
    const iconFile = resolve(projectDir, proposal.icon.path);
    await writeNewFile(iconFile, proposal.icon.bytes, 0o644, () => iconExists(iconFile));
  }
  await writeNewFile(file, new TextEncoder().encode(text), 0o644, () => configExists(file));
  await writeSchema(projectDir);

  if (io.json) {
    const rows = BEGIN_KEYS.flatMap((key) => {
      const item = found.get(key);
      return item ? [{ key, ...item }] : [];
    });
    outJson(io, { file, values: rows, notes: proposal.notes });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(CONFIG_FILE)} written in ${projectDir}`);
  io.out(
    columns(
      BEGIN_KEYS.flatMap((key) => {
        const item = found.get(key);
        return item
          ? [
              [
                paint.name(key),
                safe(item.value),
                paint.dim(item.origin === 'default' ? 'default' : `from ${safe(item.origin)}`),
              ],
            ]
          : [];
      }),
    ),
  );
  for (const note of proposal.notes) io.note(`${paint.warn('note')} ${safe(note)}`);
  io.note(`${paint.dim('next')} hull keys new`);
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
