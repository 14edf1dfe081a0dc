import type { HullError } from '../../core/errors.js';
import { countBySeverity, type Finding, SEVERITIES } from '../../core/finding.js';
import type { BrandRun } from '../../core/tasks/fleet/run.js';
import type { SharedFinding } from '../../core/tasks/fleet/survey.js';
import { html, lines as htmlLines, page } from '../../core/util/html.js';
import { reportForm, writeReport } from '../options/report.js';
import type { Outputs } from '../outputs.js';
import { findingText } from './findings.js';
import { columnsOrStacks, count, duration, labelled, safe, wrap } from './format.js';
import type { Io } from './io.js';
import { emit, jsonError, jsonFinding } from './json.js';
import { markdownText as md } from './markdown.js';
import { fixOf } from './report-error.js';
import { fixText, locationText } from './say-task.js';

/** How the word for what became of a brand is painted. */
type Tone = 'good' | 'bad' | 'warn' | 'dim';

/** A brand in a report. */
export interface BrandRow {
  readonly name: string;
  /** What became of it, in a word; nothing where there is nothing to say. */
  readonly result: string;
  readonly tone: Tone;
  /** What the columns say of it. */
  readonly cells: readonly string[];
  readonly error?: HullError | undefined;
  /** Why a change touches it. */
  readonly because?: readonly string[] | undefined;
  /** Lines below the table. */
  readonly notes?: readonly string[] | undefined;
}

/** What was found in brands, each finding once. */
export interface FoundInBrands {
  readonly shared: readonly SharedFinding[];
  /** How many brands were looked at. */
  readonly brands: number;
}

/** One table on many brands: the same on a terminal, in Markdown and in HTML. */
export interface FleetReport {
  readonly title: string;
  /** Names of the cells. */
  readonly columns: readonly string[];
  readonly rows: readonly BrandRow[];
  readonly findings?: FoundInBrands | undefined;
  /** About all of them together. */
  readonly across?: readonly Finding[];
}

/** Findings, each once, with the brands that have it where it is not about all of them together. */
function foundIn({ findings, across = [] }: FleetReport) {
  const shared = (findings?.shared ?? []).map(({ finding, brands }) => ({
    finding,
    where: `in ${brandsText(brands, findings?.brands ?? 0)}`,
  }));
  return [...across.map((finding) => ({ finding, where: '' })), ...shared];
}

/** `4 brands: 3 packed, 1 failed` */
function summary({ rows }: FleetReport): string {
  const counts = new Map<string, number>();
  for (const { result } of rows) if (result !== '') counts.set(result, (counts.get(result) ?? 0) + 1);
  const parts = [...counts].map(([result, of]) => `${of} ${result}`);
  return `${count(rows.length, 'brand')}${parts.length > 0 ? `: ${parts.join(', ')}` : ''}`;
}

/** Brands that a finding is of: all, or their names, of many the first few. */
export function brandsText(names: readonly string[], all: number): string {
  if (names.length === all && all > 1) return 'all brands';
  const shown = names.slice(0, 4).join(', ');
  return names.length > 4 ? `${shown} and ${names.length - 4} more` : shown;
}

/** Names of the columns, and the cells of each row; the result is left out where no brand has one. */
function table({ columns, rows }: FleetReport) {
  const hasResults = rows.some(({ result }) => result !== '');
  return {
    hasResults,
    heads: ['Brand', ...(hasResults ? ['Result'] : []), ...columns],
    cells: rows.map(({ name, result, cells }) => [name, ...(hasResults ? [result] : []), ...cells]),
  };
}

interface OfBrands<T> {
  /** The brands that have it. */
  readonly of: string;
  readonly value: T;
}

/** What rows have, each once, with the brands that have it. @param keyOf is the same for values that are one */
function once<T>(
  rows: readonly BrandRow[],
  valuesOf: (row: BrandRow) => readonly T[],
  keyOf: (value: T) => string,
): OfBrands<T>[] {
  const found = new Map<string, { readonly value: T; readonly names: string[] }>();
  for (const row of rows)
    for (const value of valuesOf(row)) {
      const known = found.get(keyOf(value)) ?? { value, names: [] };
      known.names.push(row.name);
      found.set(keyOf(value), known);
    }
  return [...found.values()].map(({ value, names }) => ({ of: brandsText(names, rows.length), value }));
}

/** Lines below the table. */
const notesOf = (rows: readonly BrandRow[]): OfBrands<string>[] =>
  once(
    rows,
    ({ because = [], notes = [] }) => [...because, ...notes],
    (note) => note,
  );

/** Why brands failed: a missing file fails a hundred of them. */
const failuresOf = (rows: readonly BrandRow[]): OfBrands<HullError>[] =>
  once(
    rows,
    ({ error }) => (error === undefined ? [] : [error]),
    (error) => JSON.stringify([error.code, error.message, error.location, fixOf(error)]),
  );

function errorText(io: Io, of: string, error: HullError): string {
  const { paint } = io;
  const where = error.location === undefined ? '' : safe(locationText(error.location));
  const fix = fixOf(error)?.split('\n').map(safe).join('\n');
  return [
    `${paint.bad('✗')} ${paint.bold(safe(of))}  ${paint.dim(error.code)}`,
    `    ${wrap(safe(error.message), io.width - 4, '    ')}`,
    ...(where === '' ? [] : [`    ${paint.dim(where)}`]),
    ...(fix === undefined ? [] : [labelled(paint.dim('fix'), fix, io.width, '    ')]),
  ].join('\n');
}

function asText(io: Io, report: FleetReport): string {
  const { paint } = io;
  const { rows } = report;
  const { hasResults } = table(report);
  const cells = rows.map(({ name, result, tone, cells: own }) => [
    paint.name(safe(name)),
    ...(hasResults ? [paint[tone](result)] : []),
    ...own.map(safe),
  ]);
  const parts = rows.length === 0 ? [] : [columnsOrStacks(cells, io.width, '')];
  const below = notesOf(rows).map(({ of, value }) =>
    labelled(`  ${paint.bold(safe(of))}:`, safe(value), io.width),
  );
  if (below.length > 0) parts.push(below.join('\n'));
  const failures = failuresOf(rows);
  if (failures.length > 0) parts.push(failures.map(({ of, value }) => errorText(io, of, value)).join('\n'));
  for (const { finding, where } of foundIn(report))
    parts.push(`${findingText(io, finding)}${where === '' ? '' : `\n    ${paint.dim(where)}`}`);
  return [...parts, `${summary(report)}.`].join('\n\n');
}

function asMarkdown(report: FleetReport): string {
  const { title, rows } = report;
  const { heads, cells } = table(report);
  const lines = [`### ${title}`, '', `${summary(report)}.`, ''];
  if (rows.length > 0) lines.push(`| ${heads.join(' | ')} |`, `|${heads.map(() => '---').join('|')}|`);
  for (const row of cells) lines.push(`| ${row.map(md).join(' | ')} |`);
  const notes = [
    ...notesOf(rows).map(({ of, value }) => `- **${md(of)}**: ${md(value)}`),
    ...failuresOf(rows).map(({ of, value: error }) => {
      const where = error.location ? ` (${md(locationText(error.location))})` : '';
      const fix = md((fixOf(error) ?? '').replaceAll('\n', ' '));
      return `- **${md(of)}**: ${md(error.message)}${where} ${fix}`.trimEnd();
    }),
  ];
  if (notes.length > 0) lines.push('', ...notes);
  const found = foundIn(report);
  for (const severity of SEVERITIES) {
    const own = found.filter(({ finding }) => finding.severity === severity);
    if (own.length === 0) continue;
    lines.push('', `**${count(own.length, severity)}**`, '');
    for (const { finding, where } of own)
      lines.push(
        `- ${md(finding.observed)}${where === '' ? '' : ` (${md(where)})`}. ${md(finding.impact)} ${md(fixText(finding.fix))}`,
      );
  }
  return lines.join('\n');
}

function asHtml(report: FleetReport): string {
  const { title, rows } = report;
  const shared = foundIn(report);
  const { heads, hasResults } = table(report);
  const row = ({ name, result, tone, cells }: BrandRow) =>
    html`<tr><th scope="row">${name}</th>${hasResults ? html`<td class="${tone}">${result}</td>` : ''}${cells.map((cell) => html`<td>${cell}</td>`)}</tr>`;
  const notes = [
    ...notesOf(rows).map(({ of, value }) => html`<li><b>${of}</b>: ${value}</li>`),
    ...failuresOf(rows).map(({ of, value: error }) => {
      const where = error.location ? html`<code>${locationText(error.location)}</code>` : '';
      return html`<li><b>${of}</b>: ${error.message} ${where}<br>${fixOf(error)}</li>`;
    }),
  ];
  return page(
    title,
    ['fleet'],
    html`<h1>${title}</h1>
<p>${summary(report)}.</p>
<div class="wide"><table><thead><tr>${heads.map((one) => html`<th scope="col">${one}</th>`)}</tr></thead>
<tbody>${htmlLines(rows.map(row))}</tbody></table></div>
${notes.length === 0 ? '' : html`<h2>Notes</h2><ul>${notes}</ul>`}
${
  shared.length === 0
    ? ''
    : html`<h2>Findings</h2>${shared.map(
        ({ finding: { severity, observed, impact, fix, location }, where }) =>
          html`<section class="finding"><h3><span class="${severity}">${severity}</span> ${observed}</h3><p class="soft">${where === '' ? '' : `${where} · `}<code>${locationText(location)}</code></p><p>${impact}</p><p><span class="soft">fix</span> ${fixText(fix)}</p></section>`,
      )}`
}`,
  );
}

/** What became of a brand that nothing was made for. */
export function undone<T>(run: Exclude<BrandRun<T>, { is: 'done' }>): BrandRow {
  return {
    name: run.name,
    result: run.is,
    tone: run.is === 'failed' ? 'bad' : 'dim',
    cells: [],
    error: run.is === 'failed' ? run.error : undefined,
    because: run.because,
  };
}

/** Rows of a report, by what became of each brand. */
export const rowsOf = <T>(
  runs: readonly BrandRun<T>[],
  columns: number,
  rowOf: (result: T, run: BrandRun<T>) => Omit<BrandRow, 'name' | 'because'>,
): BrandRow[] =>
  runs.map((run) => {
    const row =
      run.is === 'done' ? { name: run.name, because: run.because, ...rowOf(run.result, run) } : undone(run);
    const cells = Array.from({ length: columns }, (_, index) => row.cells[index] ?? '');
    return { ...row, cells };
  });

/** The error of a brand as documents have it. */
export const jsonBrandError = (io: Io, error: HullError) => {
  const { code, message, location } = error;
  return jsonError(io, { code, message, location, fix: fixOf(error) });
};

/** What documents say of every brand. */
export const jsonRun = <T>(io: Io, run: BrandRun<T>) => ({
  name: run.name,
  because: run.because ?? null,
  milliseconds: run.milliseconds,
  error: run.is === 'failed' ? jsonBrandError(io, run.error) : null,
});

/** Findings of several brands as documents have them: each once. */
export const jsonShared = (io: Io, shared: readonly SharedFinding[]) =>
  shared.map(({ finding, brands }) => ({ ...jsonFinding(io, finding), brands }));

/** `2 errors, 1 warning`; `nothing` where there is none. */
export function countsText(findings: readonly Finding[]): string {
  const counts = countBySeverity(findings);
  const parts = SEVERITIES.flatMap((one) => (counts[one] > 0 ? [count(counts[one], one)] : []));
  return parts.join(', ') || 'nothing';
}

export interface ReportOptions {
  readonly format?: 'text' | 'json' | 'markdown' | 'html' | undefined;
  readonly report?: string | undefined;
}

/** The form of a report by the ending of its file. */
const BY_ENDING: Readonly<Record<string, ReportOptions['format']>> = {
  md: 'markdown',
  html: 'html',
  json: 'json',
};

/**
 * Prints a report in the form that was asked for, or writes it into a file.
 *
 * @param made the report, and its document
 * @returns the exit code
 */
export async function showFleet<C extends keyof Outputs>(
  io: Io,
  { format, report: file }: ReportOptions,
  command: C,
  made: {
    readonly report: FleetReport;
    readonly document: () => Outputs[C];
    readonly ok: boolean;
  },
): Promise<number> {
  const ending = BY_ENDING[file?.split('.').at(-1) ?? ''];
  const form = reportForm(io, { format: format ?? ending, out: file });
  const print = (inner: Io, as: typeof form) => {
    if (as === 'json') emit(inner, command, made.document(), made.ok);
    else if (as === 'markdown') inner.out(asMarkdown(made.report));
    else if (as === 'html') inner.out(asHtml(made.report).trimEnd());
    else inner.out(asText(inner, made.report));
  };
  if (file === undefined) print(io, form);
  else {
    await writeReport(io, file, (inner) => print(inner, form));
    // The table is what people look for; the file is for somewhere else.
    print(io, io.json ? 'json' : 'text');
  }
  return made.ok ? 0 : 1;
}

/** Says as each brand ends. @param wordOf what became of it */
export const noteBrand =
  <T>(io: Io, wordOf: (result: T) => string) =>
  (run: BrandRun<T>): void => {
    const word = run.is === 'done' ? wordOf(run.result) : run.is;
    io.note(`${io.paint.dim(word)} ${safe(run.name)}  ${io.paint.dim(duration(run.milliseconds))}`);
  };
