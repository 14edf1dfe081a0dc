import type { Spread } from './facts.js';

/** The median of an even number of values is the lower middle one, so that it is one that was measured. */
export function spreadOf(values: readonly number[]): Spread | undefined {
  const sorted = [...values].sort((one, other) => one - other);
  const [least] = sorted;
  const most = sorted.at(-1);
  const median = sorted[Math.floor((sorted.length - 1) / 2)];
  return least === undefined || most === undefined || median === undefined
    ? undefined
    : { median, least, most };
}
