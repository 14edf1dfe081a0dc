import type { App } from '../app/app.js';
import { HullError } from '../errors.js';
import { isInside } from '../util/files.js';

/** Throws `web.holds-project` where a package would be written into the folder that is packed. */
export function checkOutDir(outDir: string, folder: App['folder']): void {
  if (folder === undefined || !isInside(outDir, folder.dir)) return;
  throw new HullError(
    'web.holds-project',
    'The package would be written into the web folder, and packed the next time.',
    { location: { file: outDir }, fix: 'Name a folder outside of it.' },
  );
}
