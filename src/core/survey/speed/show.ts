import type { Site } from '../../site/site.js';
import type { Metric, Spread, Visit, VisitKind } from './facts.js';

/** Speed in words, for reports of every form. */

/** `1.84 s`, `84 ms` */
export function shownTime(ms: number): string {
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(2)} s`;
}

/** An address as short as it can be said: a path on the site's own host. */
export const shownAddress = ({ base }: Pick<Site, 'base'>, url: string): string =>
  url.startsWith(`${base.origin}/`) ? url.slice(base.origin.length) : url;

/** From one value to another; a unit that both have is said once: `436 to 596 ms`. */
export function shownRange(least: number, most: number, show: (value: number) => string): string {
  const [from, to] = [show(least), show(most)];
  const unit = / \S+$/.exec(to)?.[0] ?? '';
  return `${unit !== '' && from.endsWith(unit) ? from.slice(0, -unit.length) : from} to ${to}`;
}

/** A median with its spread: `1.84 s (1.70 to 2.05 s)`. */
export function shownSpread(
  { median, least, most }: Spread,
  show: (value: number) => string = shownTime,
): string {
  return least === most ? show(median) : `${show(median)} (${shownRange(least, most, show)})`;
}

export const VISITS: Readonly<Record<VisitKind, string>> = {
  package: 'from the package',
  'package-again': 'from the package, again',
  first: 'first visit',
  again: 'next visit',
};

export const METRIC_NAMES: Readonly<Record<Metric, string>> = {
  firstByte: 'first byte',
  firstPaint: 'first paint',
  largestPaint: 'largest paint',
  shift: 'layout shift',
  blocked: 'blocked',
  interaction: 'first control',
};

/** A value of a metric: a time, or a shift without a unit. */
export const shownMetric = (metric: Metric, value: number): string =>
  metric === 'shift' ? String(Math.round(value * 1000) / 1000) : shownTime(value);

/** What a visit loaded over the network. */
export const loadedBytes = ({ bytes }: Visit): number =>
  Object.values(bytes).reduce((sum, one) => sum + one, 0);
