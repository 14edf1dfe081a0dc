import type { Fix, Location } from './errors.js';

/** `error`: it will not work, or will be refused; `warning`: users will meet it; `suggestion`: better without it. */
export const SEVERITIES = ['error', 'warning', 'suggestion'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** What a check found, whichever check it was. */
export interface Finding {
  /** Stable and dotted: `family.name`. */
  readonly code: string;
  readonly severity: Severity;
  readonly location: Location;
  /** What is there now. */
  readonly observed: string;
  /** What users or the release will meet, in one sentence. */
  readonly impact: string;
  readonly fix: Fix;
  /** How many more locations have the same, where they are reported as one. */
  readonly more?: number;
}

const rank = (severity: Severity) => SEVERITIES.indexOf(severity);

/** Whether findings reach a threshold; `never` is reached by none. */
export function reaches(
  findings: readonly Pick<Finding, 'severity'>[],
  threshold: Severity | 'never',
): boolean {
  return threshold !== 'never' && findings.some(({ severity }) => rank(severity) <= rank(threshold));
}

export function countBySeverity(findings: readonly Pick<Finding, 'severity'>[]): Record<Severity, number> {
  const counts = { error: 0, warning: 0, suggestion: 0 };
  for (const { severity } of findings) counts[severity] += 1;
  return counts;
}

/** Findings with the most severe first; those of one severity keep their order. */
export function bySeverity<F extends Pick<Finding, 'severity'>>(findings: readonly F[]): F[] {
  return [...findings].sort((a, b) => rank(a.severity) - rank(b.severity));
}
