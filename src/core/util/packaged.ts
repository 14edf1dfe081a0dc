import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { HullError } from '../errors.js';

/** How far above a module the package's own folder may be (from `dist/chunks` or `src/core/util`). */
const MAX_UP = 5;

/** Path of a file or folder that ships with this package, where it is there. */
export function findPackaged(path: string): string | undefined {
  for (let up = 1; up <= MAX_UP; up += 1) {
    const file = fileURLToPath(new URL(`${'../'.repeat(up)}${path}`, import.meta.url));
    if (existsSync(file)) return file;
  }
  return undefined;
}

/** Path of a file or folder that ships with this package. Throws `install.incomplete`. */
export function packagedPath(path: string): string {
  const file = findPackaged(path);
  if (file !== undefined) return file;
  throw new HullError('install.incomplete', 'A part of Jolly Hull is missing from this installation.', {
    location: { file: path },
    fix: 'Install the package again.',
  });
}
