import { readFileSync } from 'node:fs';
import type { Opener, PlatformAnswer, UrlAnswer } from '../../core/domains/explain-types.js';
import type { DocumentKind } from '../../core/domains/plan.js';
import { fromSystemError } from '../../core/errors.js';
import { type AskedUrl, explainLinks } from '../../core/tasks/explain-links.js';
import type { OptionsOf } from '../define-command.js';
import { domainsOptions } from '../options/domains.js';
import { columns, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonLocation } from '../terminal/json.js';
import { locationText } from '../terminal/say-task.js';
import type { declare } from './domains-explain.js';
import { PLATFORM_TEXT } from './domains-verify.run.js';

const PLATFORMS = ['android', 'apple', 'web'] as const satisfies readonly DocumentKind[];
/** More addresses than this are shown as a table. */
const ONE_BY_ONE = 5;

const OPENER_TEXT: Readonly<Record<Opener, string>> = {
  app: 'app',
  browser: 'browser',
  'app-hands-on': 'app, which hands it to the browser',
};

/** Addresses of a list: one a line; empty lines and those that begin with # are skipped. Throws `file.missing`. */
function listed(file: string): AskedUrl[] {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8')
      .split(/\r?\n/)
      .map((line, index): AskedUrl => ({ text: line.trim(), location: { file, line: index + 1 } }))
      .filter(({ text }) => text !== '' && !text.startsWith('#'));
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/** Who opens it, also before. */
function openers({ opens, before }: PlatformAnswer): string {
  if (before === undefined) return OPENER_TEXT[opens];
  return `${OPENER_TEXT[opens]} (before ${before.version}: ${OPENER_TEXT[before.opens]})`;
}

function paintOpener(io: Io, answer: PlatformAnswer): string {
  return answer.opens === 'app' ? io.paint.good(openers(answer)) : io.paint.warn(openers(answer));
}

function showOne(io: Io, answer: UrlAnswer, explain: boolean): void {
  const { paint } = io;
  io.out(paint.bold(safe(answer.url)));
  const rows = PLATFORMS.flatMap((platform) => {
    const own = answer[platform];
    return own ? [{ platform, own }] : [];
  });
  if (!explain) {
    io.out(
      columns(
        rows.map(({ platform, own }) => [
          PLATFORM_TEXT[platform],
          paintOpener(io, own),
          paint.dim(`${safe(own.rule)}${own.location ? `  ${safe(locationText(own.location))}` : ''}`),
        ]),
      ),
    );
    return;
  }
  for (const { platform, own } of rows) {
    io.out(`  ${PLATFORM_TEXT[platform]}: ${paintOpener(io, own)}`);
    for (const { holds, text, location } of own.steps) {
      const mark = holds ? paint.good('✓') : paint.bad('✗');
      io.out(`    ${mark} ${wrap(safe(text), io.width - 8, '      ')}`);
      if (location) io.out(paint.dim(`      ${safe(locationText(location))}`));
    }
  }
}

/** A cell of the table: short, since there are many. */
function cell(answer: PlatformAnswer | undefined): string {
  if (answer === undefined) return '';
  const short: Readonly<Record<Opener, string>> = {
    app: 'app',
    browser: 'browser',
    'app-hands-on': 'app → browser',
  };
  const { opens, before } = answer;
  return before === undefined
    ? short[opens]
    : `${short[opens]} (${short[before.opens]} before ${before.version})`;
}

function showTable(io: Io, answers: readonly UrlAnswer[], explain: boolean): void {
  const { paint } = io;
  const platforms = PLATFORMS.filter((platform) => answers.some((one) => one[platform] !== undefined));
  const colour = (answer: PlatformAnswer | undefined) =>
    answer?.opens === 'app' ? paint.good(cell(answer)) : paint.warn(cell(answer));
  io.out(
    columns(
      [
        [
          paint.bold('address'),
          ...platforms.map((one) => paint.bold(PLATFORM_TEXT[one])),
          ...(explain ? [paint.bold('rule')] : []),
        ],
        ...answers.map((answer) => [
          safe(answer.url),
          ...platforms.map((one) => colour(answer[one])),
          ...(explain ? [paint.dim(safe(platforms.map((one) => answer[one]?.rule ?? '').join(' | ')))] : []),
        ]),
      ],
      [],
      '',
    ),
  );
  const counts = platforms.map((one) => {
    const opened = answers.filter((answer) => answer[one]?.opens === 'app').length;
    return `${PLATFORM_TEXT[one]} ${opened}`;
  });
  io.note(paint.dim(`${answers.length} addresses; the app opens: ${counts.join(', ')}`));
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  given: readonly string[],
): Promise<void> {
  const steps = options.steps ?? false;
  const { answers, asks } = await explainLinks({
    ...domainsOptions(io, options),
    urls: [...given, ...(options.from === undefined ? [] : listed(options.from))],
    fromSite: options.fromSite,
    live: options.live,
    steps,
    onUnreadable: (address, why) =>
      io.note(`${io.paint.dim('web app')} ${safe(address)} could not be read: ${safe(why)}`),
  });
  if (io.json) {
    emit(io, 'domains explain', { answers: answers.map((answer) => jsonAnswer(io, answer, steps)) });
    return;
  }
  if (answers.length <= ONE_BY_ONE) for (const answer of answers) showOne(io, answer, steps);
  else showTable(io, answers, steps);
  if (!asks.apple) io.note(`${io.paint.dim('Apple')} not asked about: hull.json names no apple.team.`);
  if (!asks.web)
    io.note(
      `${io.paint.dim('web app')} not asked about: web.url and a manifest, in web.folder or read with --live, are needed to know its scope.`,
    );
}

function jsonAnswer(io: Io, { url, ...own }: UrlAnswer, withSteps: boolean) {
  const platform = ({ opens, rule, location, before, steps }: PlatformAnswer) => ({
    opens,
    rule,
    location: location ? jsonLocation(io, location) : null,
    before: before ?? null,
    ...(withSteps
      ? {
          steps: steps.map((step) => ({
            holds: step.holds,
            text: step.text,
            location: step.location ? jsonLocation(io, step.location) : null,
          })),
        }
      : {}),
  });
  const answers = Object.entries(own).flatMap(([name, answer]) => (answer ? [[name, platform(answer)]] : []));
  return {
    url,
    ...(Object.fromEntries(answers) as Partial<Record<DocumentKind, ReturnType<typeof platform>>>),
  };
}
