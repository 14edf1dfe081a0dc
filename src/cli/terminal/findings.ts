import type { Finding, Severity } from '../../core/finding.js';
import { labelled, safe, wrap } from './format.js';
import type { Io } from './io.js';
import { fixText, locationText } from './say-task.js';

export function colorOf(io: Io, severity: Severity): (text: string) => string {
  const { paint } = io;
  return severity === 'error' ? paint.bad : severity === 'warning' ? paint.warn : paint.name;
}

const MARKS: Readonly<Record<Severity, string>> = { error: '✗', warning: '!', suggestion: '·' };

/** A finding as it is shown in every command: what is there, where, what it leads to, how to fix it. */
export function findingText(io: Io, finding: Finding, indent = '  '): string {
  const { paint } = io;
  const { severity, location, observed, impact, fix, more } = finding;
  const inner = `${indent}  `;
  const width = io.width - inner.length;
  const where = safe(locationText(location));
  const others = more ? paint.dim(`  and ${more} more`) : '';
  return [
    `${indent}${colorOf(io, severity)(MARKS[severity])} ${paint.bold(wrap(safe(observed), width, inner))}`,
    ...(where === '' ? [] : [`${inner}${paint.dim(where)}${others}`]),
    `${inner}${wrap(safe(impact), width, inner)}`,
    labelled(paint.dim('fix'), fixText(fix).split('\n').map(safe).join('\n'), io.width, inner),
  ].join('\n');
}

export function showFindings(io: Io, findings: readonly Finding[], indent = '  '): void {
  for (const finding of findings) io.out(findingText(io, finding, indent));
}
