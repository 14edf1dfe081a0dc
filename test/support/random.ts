/** Chooses a whole number from 0 up to `below`. */
export type PickNumber = (below: number) => number;

/** A small generator of numbers, so that a seed gives the same everywhere (Mulberry32). */
export function generator(seed: number): PickNumber {
  let state = seed >>> 0;
  return (below) => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) % below;
  };
}

/** One of a list. */
export function choose<T>(pick: PickNumber, list: readonly T[]): T {
  return list[pick(list.length)] as T;
}
