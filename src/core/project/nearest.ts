/** Levenshtein distance, in single-character edits. */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i += 1) {
    const next = [i];
    for (let j = 1; j <= b.length; j += 1) {
      const substitute = (row[j - 1] as number) + (a[i - 1] === b[j - 1] ? 0 : 1);
      next.push(Math.min(substitute, (row[j] as number) + 1, (next[j - 1] as number) + 1));
    }
    row = next;
  }
  return row[b.length] as number;
}

/** The candidate that a mistyped word most likely meant, or `undefined` where none is near. */
export function nearest(word: string, candidates: readonly string[]): string | undefined {
  const plain = (text: string) => text.toLowerCase().replaceAll(/[-_\s]/g, '');
  const ranked = candidates
    .map((candidate) => ({ candidate, edits: distance(plain(word), plain(candidate)) }))
    .sort((a, b) => a.edits - b.edits);
  const [best] = ranked;
  return best !== undefined && best.edits <= Math.max(2, Math.floor(word.length / 3))
    ? best.candidate
    : undefined;
}
