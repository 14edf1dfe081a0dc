import { setTimeout as wait } from 'node:timers/promises';

/** ms between two looks: at first, and at most. */
const FIRST_LOOK = 250;
const LONGEST_LOOK = 30_000;
const GROWTH = 1.5;

/**
 * Looks until something is there, more rarely the longer it takes.
 *
 * @param patience ms after which nobody looks any more
 * @returns what was found; `undefined` when patience ends
 */
export async function poll<T>(
  patience: number,
  signal: AbortSignal | undefined,
  look: () => Promise<T | undefined>,
): Promise<T | undefined> {
  const end = Date.now() + patience;
  for (let delay = FIRST_LOOK; ; delay = Math.min(delay * GROWTH, LONGEST_LOOK)) {
    const found = await look();
    if (found !== undefined) return found;
    if (Date.now() + delay > end) return undefined;
    await wait(delay, undefined, signal ? { signal } : {});
  }
}
