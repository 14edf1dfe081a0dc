import { readFileSync } from 'node:fs';
import { Asker, type Opener, type PlatformAnswer, type UrlAnswer } from '../../core/domains/ask.js';
import { VerifierFetcher } from '../../core/domains/fetch-documents.js';
import { askFactsOf, PlannedSource } from '../../core/domains/gather.js';
import type { DocumentKind } from '../../core/domains/plan.js';
import { sitemapAddresses } from '../../core/domains/sitemap.js';
import { formatPlace, fromSystemError, HullError, type Place } from '../../core/errors.js';
import { type DomainOptions, fetcherOptions, type Gathered, gather } from '../domains.js';
import { columns, safe, wrap } from '../format.js';
import { type Io, outJson } from '../io.js';
import { PLATFORM_TEXT } from './domains-verify.js';

export interface DomainsExplainOptions extends DomainOptions {
  readonly steps?: boolean;
  readonly from?: string;
  readonly fromSite?: boolean;
}

const PLATFORMS = ['android', 'apple', 'web'] as const satisfies readonly DocumentKind[];
/** More addresses than this are told as a table. */
const ONE_BY_ONE = 5;

const OPENER_TEXT: Readonly<Record<Opener, string>> = {
  app: 'app',
  browser: 'browser',
  'app-hands-on': 'app, which hands it to the browser',
};

/** An address that is asked about, and where it was named. */
interface Asked {
  readonly text: string;
  readonly place: Place;
}

/** Addresses of a list: one a line; empty lines and those that begin with # are skipped. */
function listed(file: string): Asked[] {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8')
      .split(/\r?\n/)
      .map((line, index): Asked => ({ text: line.trim(), place: { file, line: index + 1 } }))
      .filter(({ text }) => text !== '' && !text.startsWith('#'));
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/** The site's own pages, and what its sitemap names besides. */
function ofSite({ site, app }: Gathered): string[] {
  if (site === undefined) {
    throw new HullError('domains.bad-option', 'There is no web folder whose pages could be asked about.', {
      place: { option: '--from-site' },
      remedy:
        'Read the hosted app with --live, or set web.folder in hull.json; or give a list of addresses: hull domains explain --from <file>',
    });
  }
  const own = site.pages.map(({ url }) =>
    site.baseIsKnown ? url : url.replace(site.base.href, app.base.href),
  );
  return [...new Set([...own, ...sitemapAddresses(site)])];
}

function addresses(options: DomainsExplainOptions, given: readonly string[], gathered: Gathered): Asked[] {
  const all = [
    ...given.map((text) => ({ text, place: {} })),
    ...(options.from === undefined ? [] : listed(options.from)),
    ...(options.fromSite ? ofSite(gathered).map((text) => ({ text, place: {} })) : []),
  ];
  if (all.length > 0) return all;
  throw new HullError('domains.bad-option', 'No address is asked about.', {
    remedy: 'Name one or more, or --from <file>, or --from-site.',
  });
}

function badAddress({ text, place }: Asked): HullError {
  return new HullError('domains.bad-url', `"${text}" is not an address of the web.`, {
    place,
    remedy: 'Write it in full: https://ferry.saltmarsh.example/timetable/today',
  });
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
          paint.dim(`${safe(own.rule)}${own.place ? `  ${safe(formatPlace(own.place))}` : ''}`),
        ]),
      ),
    );
    return;
  }
  for (const { platform, own } of rows) {
    io.out(`  ${PLATFORM_TEXT[platform]}: ${paintOpener(io, own)}`);
    for (const { holds, text, place } of own.steps) {
      const mark = holds ? paint.good('✓') : paint.bad('✗');
      io.out(`    ${mark} ${wrap(safe(text), 92, '      ')}`);
      if (place) io.out(paint.dim(`      ${safe(formatPlace(place))}`));
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

export async function domainsExplain(
  io: Io,
  options: DomainsExplainOptions,
  given: readonly string[],
): Promise<void> {
  const gathered = await gather(io, options, 'if-known', options.fromSite ? 'whole site' : 'manifest');
  const urls = addresses(options, given, gathered);
  const fetcher = options.live
    ? new VerifierFetcher(
        fetcherOptions(
          options,
          gathered.plans.map(({ host }) => host),
        ),
      )
    : undefined;
  const source = fetcher ?? new PlannedSource(gathered.folderOf, gathered.plans);
  const facts = await askFactsOf(gathered, source).finally(() => fetcher?.close());
  const asker = new Asker(facts);
  const explain = options.steps ?? false;
  const oneByOne = urls.length <= ONE_BY_ONE;
  const answers = urls.map((one) => {
    const answer = asker.ask(one.text, explain && (oneByOne || io.json) ? 'steps' : 'answer');
    if (answer === undefined) throw badAddress(one);
    return answer;
  });
  if (io.json) {
    const bare = ({ steps, ...rest }: PlatformAnswer) => (explain ? { ...rest, steps } : rest);
    outJson(io, {
      answers: answers.map(({ url, ...own }) => ({
        url,
        ...Object.fromEntries(Object.entries(own).map(([key, answer]) => [key, bare(answer)])),
      })),
    });
    return;
  }
  if (oneByOne) for (const answer of answers) showOne(io, answer, explain);
  else showTable(io, answers, explain);
  if (gathered.ids.apple === undefined)
    io.note(`${io.paint.dim('Apple')} not asked about: hull.json names no apple.team.`);
  if (facts.web === undefined)
    io.note(
      `${io.paint.dim('web app')} not asked about: web.url and a manifest, in web.folder or read with --live, are needed to know its scope.`,
    );
}
