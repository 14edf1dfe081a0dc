import type { ZipEntry } from '../../../formats/zip/types.js';
import { STORED_ALIGNMENT } from '../app/attributes.js';

/** Pages of shared libraries that are not unpacked at installation (Android 15, 16 KiB pages). */
export const LIBRARY_ALIGNMENT = 16 * 1024;

/** Where a stored file of a package has to begin, in bytes. */
export function wantedAlignment({ path, method }: Pick<ZipEntry, 'path' | 'method'>): number {
  if (method !== 'store') return 1;
  return /^lib\/[^/]+\/[^/]+\.so$/.test(path) ? LIBRARY_ALIGNMENT : STORED_ALIGNMENT;
}
