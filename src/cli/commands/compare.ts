import {
  type Comparison,
  comparePackages,
  type Severity,
} from '../../core/platforms/android/inspect/compare.js';
import { inspectPackage, type PackageFacts } from '../../core/platforms/android/inspect/inspect.js';
import { bytes, columns, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';

export interface CompareOptions extends CommonOptions {
  readonly format: 'text' | 'markdown' | 'json';
}

const TITLES: Readonly<Record<Severity, string>> = {
  blocks: 'Blocks the update',
  warns: 'Users or reviewers will notice',
  notes: 'Changed',
};
/** Files of one kind that are named. */
const SHOWN = 8;

/** A change in bytes, and in percent where that says something. */
const change = (before: number, after: number): string => {
  const more = after - before;
  if (more === 0) return 'the same';
  const sign = more > 0 ? '+' : '−';
  const share = before === 0 ? '' : ((100 * Math.abs(more)) / before).toFixed(1);
  return `${sign}${bytes(Math.abs(more))}${share === '' || share === '0.0' ? '' : `, ${sign}${share} %`}`;
};

const versionOf = ({ version, build }: PackageFacts) => `${safe(version ?? '?')} (${build ?? '?'})`;

function fileLines({ files }: Comparison): string[] {
  return (['added', 'changed', 'removed'] as const).flatMap((kind) => {
    const list = files[kind];
    if (list.length === 0) return [];
    const more = list.length > SHOWN ? ` and ${list.length - SHOWN} more` : '';
    return [`${list.length} ${kind}: ${list.slice(0, SHOWN).map(safe).join(', ')}${more}`];
  });
}

function showText(io: Io, old: PackageFacts, next: PackageFacts, found: Comparison): void {
  const { paint } = io;
  const verdict = found.updates ? paint.good('can be updated to') : paint.bad('cannot be updated to');
  io.out(`${paint.bold(safe(old.id))} ${versionOf(old)} ${verdict} ${versionOf(next)}`);
  const mark = { blocks: paint.bad('✗'), warns: paint.warn('!'), notes: paint.dim('·') };
  for (const severity of ['blocks', 'warns', 'notes'] as const) {
    const own = found.differences.filter((one) => one.severity === severity);
    if (own.length === 0) continue;
    io.out(`\n${paint.bold(TITLES[severity])}`);
    for (const { saw, means } of own) {
      io.out(`  ${mark[severity]} ${wrap(safe(saw), 92, '    ')}`);
      if (means) io.out(paint.dim(`    ${wrap(safe(means), 92, '    ')}`));
    }
  }
  io.out(`\n${paint.bold('Size')}`);
  io.out(
    columns(
      found.sizes.map(({ part, before, after }) => [
        part,
        bytes(before),
        bytes(after),
        change(before, after),
      ]),
      [1, 2],
    ),
  );
  const lines = fileLines(found);
  if (lines.length > 0) io.out(`\n${paint.bold('Files')}`);
  for (const line of lines) io.out(`  ${wrap(line, 94, '    ')}`);
}

/** Text of a package as it may stand in a Markdown table or list. */
const md = (text: string) =>
  safe(text)
    .replaceAll(/[\\`*_{}[\]<>#|!~]/g, '\\$&')
    .replaceAll('\n', ' ');

function markdown(old: PackageFacts, next: PackageFacts, found: Comparison): string {
  const verdict = found.updates ? 'can be updated to' : '**cannot** be updated to';
  const lines = [
    `### ${md(next.label ?? next.id)}: ${md(versionOf(old))} ${verdict} ${md(versionOf(next))}`,
    '',
  ];
  for (const severity of ['blocks', 'warns', 'notes'] as const) {
    const own = found.differences.filter((one) => one.severity === severity);
    if (own.length === 0) continue;
    lines.push(`**${TITLES[severity]}**`, '');
    lines.push(...own.map(({ saw, means }) => `- ${md(saw)}${means ? ` ${md(means)}` : ''}`), '');
  }
  lines.push('| part | before | after | change |', '|---|--:|--:|--:|');
  for (const { part, before, after } of found.sizes) {
    lines.push(`| ${part} | ${bytes(before)} | ${bytes(after)} | ${change(before, after)} |`);
  }
  const files = fileLines(found);
  if (files.length > 0) lines.push('', ...files.map((line) => `- ${md(line)}`));
  return lines.join('\n');
}

export async function compare(
  io: Io,
  options: CompareOptions,
  oldFile: string,
  newFile: string,
): Promise<number> {
  const [old, next] = await Promise.all([inspectPackage(oldFile), inspectPackage(newFile)]);
  const found = comparePackages(old, next);
  const brief = ({ id, version, build, size, file }: PackageFacts) => ({ file, id, version, build, size });
  if (io.json || options.format === 'json') outJson(io, { old: brief(old), new: brief(next), ...found });
  else if (options.format === 'markdown') io.out(markdown(old, next, found));
  else showText(io, old, next, found);
  return found.updates ? 0 : 1;
}
