import { type Finding, SEVERITIES, type Severity } from '../../core/finding.js';
import { type ComparedFiles, compareFiles } from '../../core/tasks/compare-files.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { reportForm, writeReport } from '../options/report.js';
import { findingText } from '../terminal/findings.js';
import { columns, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { markdownText as md } from '../terminal/markdown.js';
import { fixText } from '../terminal/say-task.js';
import type { declare } from './compare.js';

const TITLES: Readonly<Record<Severity, string>> = {
  error: 'Blocks the update',
  warning: 'Users or reviewers will notice',
  suggestion: 'Worth knowing',
};
/** Files of one kind that are named. */
const SHOWN = 8;

/** A change in bytes, and in percent where that says something. */
const change = (before: number, after: number): string => {
  const more = after - before;
  if (more === 0) return 'the same';
  const sign = more > 0 ? '+' : '−';
  const share = before === 0 ? '' : ((100 * Math.abs(more)) / before).toFixed(1);
  return `${sign}${formatBytes(Math.abs(more))}${share === '' || share === '0.0' ? '' : `, ${sign}${share} %`}`;
};

type Facts = ComparedFiles['next'];

const versionOf = ({ version, build }: Facts) => `${safe(version ?? '?')} (${safe(String(build ?? '?'))})`;

function fileLines({ files, old, next }: ComparedFiles): string[] {
  /** What a file is, where the package says so: its path need not tell. */
  const named = (path: string, facts: Facts) => {
    const file = facts.files.find((one) => one.path === path);
    return safe(file && 'resource' in file ? `${path} (${file.resource})` : path);
  };
  return (['added', 'changed', 'removed'] as const).flatMap((kind) => {
    const list = files[kind];
    if (list.length === 0) return [];
    const more = list.length > SHOWN ? ` and ${list.length - SHOWN} more` : '';
    const shown = list.slice(0, SHOWN).map((path) => named(path, kind === 'removed' ? old : next));
    return [`${list.length} ${kind}: ${shown.join(', ')}${more}`];
  });
}

const ofSeverity = (findings: readonly Finding[], severity: Severity) =>
  findings.filter((one) => one.severity === severity);

function text(io: Io, found: ComparedFiles): string {
  const { paint } = io;
  const { old, next } = found;
  const verdict = found.updates ? paint.good('can be updated to') : paint.bad('cannot be updated to');
  const lines = [`${paint.bold(safe(old.id))} ${versionOf(old)} ${verdict} ${versionOf(next)}`];
  for (const severity of SEVERITIES) {
    const own = ofSeverity(found.findings, severity);
    if (own.length === 0) continue;
    lines.push(`\n${paint.bold(TITLES[severity])}`);
    // Where it is seen is the new package itself, each time.
    lines.push(...own.map((finding) => findingText(io, { ...finding, location: {} })));
  }
  if (found.changes.length > 0) lines.push(`\n${paint.bold('Changed')}`);
  for (const { observed, impact } of found.changes) {
    lines.push(`  ${paint.dim('·')} ${wrap(safe(observed), io.width - 4, '    ')}`);
    if (impact) lines.push(paint.dim(`    ${wrap(safe(impact), io.width - 4, '    ')}`));
  }
  const rows = found.sizes.map(({ part, before, after }) => [
    part,
    formatBytes(before),
    formatBytes(after),
    change(before, after),
  ]);
  lines.push(`\n${paint.bold('Size')}`, columns(rows, [1, 2]));
  const files = fileLines(found);
  if (files.length > 0) lines.push(`\n${paint.bold('Files')}`);
  lines.push(...files.map((line) => `  ${wrap(line, io.width - 4, '    ')}`));
  return lines.join('\n');
}

function markdown(found: ComparedFiles): string {
  const { old, next } = found;
  const verdict = found.updates ? 'can be updated to' : '**cannot** be updated to';
  const lines = [
    `### ${md((next.kind === 'ipa' ? next.name : next.label) ?? next.id)}: ${md(versionOf(old))} ${verdict} ${md(versionOf(next))}`,
    '',
  ];
  for (const severity of SEVERITIES) {
    const own = ofSeverity(found.findings, severity);
    if (own.length === 0) continue;
    lines.push(`**${TITLES[severity]}**`, '');
    lines.push(
      ...own.map(({ observed, impact, fix }) => `- ${md(observed)} ${md(impact)} ${md(fixText(fix))}`),
      '',
    );
  }
  if (found.changes.length > 0) {
    lines.push('**Changed**', '');
    lines.push(
      ...found.changes.map(({ observed, impact }) => `- ${md(observed)}${impact ? ` ${md(impact)}` : ''}`),
      '',
    );
  }
  lines.push('| part | before | after | change |', '|---|--:|--:|--:|');
  for (const { part, before, after } of found.sizes) {
    lines.push(`| ${part} | ${formatBytes(before)} | ${formatBytes(after)} | ${change(before, after)} |`);
  }
  const files = fileLines(found);
  if (files.length > 0) lines.push('', ...files.map((line) => `- ${md(line)}`));
  return lines.join('\n');
}

function show(io: Io, found: ComparedFiles): void {
  const brief = ({ id, version, build, size, file }: Facts) => ({
    file: jsonPath(io, file),
    id,
    version: version ?? null,
    build: build ?? null,
    size,
  });
  const { old, next, updates, findings, changes, sizes, files } = found;
  emit(
    io,
    'compare',
    {
      old: brief(old),
      new: brief(next),
      updates,
      findings: jsonFindings(io, findings),
      changes,
      sizes,
      files,
    },
    updates,
  );
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  oldFile: string,
  newFile: string,
): Promise<number> {
  const form = reportForm(io, options);
  const found = await compareFiles(oldFile, newFile, options.project);
  const code = found.updates ? 0 : 1;
  const reportOf = (inner: Io) => {
    if (form === 'json') show(inner, found);
    else inner.out(form === 'markdown' ? markdown(found) : text(inner, found));
  };
  if (options.out === undefined) reportOf(io);
  else {
    await writeReport(io, options.out, reportOf);
    if (io.json) show(io, found);
  }
  return code;
}
