import { HullError } from '../../errors.js';
import { ZIP_LIMITS } from './types.js';

const UTF8 = new TextEncoder();

/**
 * Why a path is not allowed in an archive, or `undefined` where it is: names that readers treat as a way out of the
 * folder they unpack to, or that they cut.
 */
export function pathFault(path: string): string | undefined {
  if (path === '') return 'it is empty';
  if (path.includes('\0')) return 'it holds a NUL character';
  if (path.includes('\\')) return 'it holds a backslash';
  if (path.startsWith('/')) return 'it starts with a slash';
  if (/(?:^|\/)\.{1,2}(?:\/|$)/.test(path)) return 'it holds a "." or ".." step';
  if (!path.isWellFormed()) return 'it is not valid Unicode';
  return undefined;
}

/** Throws `zip.path` for a hostile name. */
export function checkPath(path: string): void {
  const fault = pathFault(path);
  if (fault !== undefined) {
    throw new HullError('zip.path', `This path is not allowed in a package: ${fault}.`, {
      location: { entry: path },
      fix: 'Rename the file.',
    });
  }
}

/** UTF-8 bytes of an archive path. Throws `zip.path` for a hostile name, `zip.limit` for one that is too long. */
export function encodePath(path: string): Uint8Array {
  checkPath(path);
  const bytes = UTF8.encode(path);
  if (bytes.length > ZIP_LIMITS.pathBytes) {
    throw new HullError(
      'zip.limit',
      `A path inside a package is at most ${ZIP_LIMITS.pathBytes} bytes long; this one has ${bytes.length}.`,
      {
        location: { entry: `${path.slice(0, 80)}…` },
        fix: 'Shorten the names of the folders on the way to this file.',
      },
    );
  }
  return bytes;
}
