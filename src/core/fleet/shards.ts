/**
 * One of several parts of some items, even by their cost, and the same on every machine: the heaviest go first, each into the lightest
 * part; equals are ordered by name.
 *
 * @param part from 1
 */
export function shardOf<T>(
  items: readonly T[],
  part: number,
  of: number,
  cost: (item: T) => number,
  name: (item: T) => string,
): T[] {
  const loads = Array.from({ length: of }, () => 0);
  const chosen = new Set<T>();
  const byName = (one: string, other: string) => (one < other ? -1 : one > other ? 1 : 0);
  const ordered = [...items].sort((one, other) => cost(other) - cost(one) || byName(name(one), name(other)));
  for (const item of ordered) {
    const lightest = loads.indexOf(Math.min(...loads));
    loads[lightest] = (loads[lightest] ?? 0) + cost(item);
    if (lightest === part - 1) chosen.add(item);
  }
  return items.filter((item) => chosen.has(item));
}
