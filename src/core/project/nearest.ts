import { distance } from 'fastest-levenshtein';

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
