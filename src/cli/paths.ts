import { relative } from 'node:path';

/** A path as someone in this folder would write it. */
export function shortPath(file: string): string {
  const path = relative(process.cwd(), file);
  return path.startsWith('..') ? file : path;
}
