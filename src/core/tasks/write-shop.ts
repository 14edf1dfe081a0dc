import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { HullError } from '../errors.js';
import { readProject } from '../project/project.js';
import { replaceFile, shownPath } from '../util/files.js';
import { packagedPath } from '../util/packaged.js';

export interface WriteShopOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Folder that gets the module; by default the web folder. */
  readonly out?: string | undefined;
}

export interface WrittenShop {
  readonly files: readonly { readonly file: string; readonly state: 'written' | 'unchanged' }[];
}

/** Files of the module: script, and types for it. */
const FILES = ['shop.js', 'shop.d.ts'];

/**
 * Writes the module by which pages sell what the catalog has. One that was edited is never written over.
 *
 * @throws HullError `disk.*`, `web.no-folder`, `config.*`
 */
export async function writeShop(options: WriteShopOptions): Promise<WrittenShop> {
  const project = readProject(options.project ?? '.');
  const { folder } = project.settings.web;
  const out = options.out ?? (folder === undefined ? undefined : project.resolve(folder));
  if (out === undefined) {
    throw new HullError('web.no-folder', 'The project has no web folder that the module could be put into.', {
      location: { option: 'out' },
      fix: 'Name the folder of the web app’s sources.',
    });
  }
  const wanted = FILES.map((name) => ({
    file: shownPath(join(out, name)),
    bytes: readFileSync(packagedPath(`pages/${name}`)),
  }));
  const edited = wanted.find(({ file, bytes }) => existsSync(file) && !readFileSync(file).equals(bytes));
  if (edited) {
    throw new HullError('disk.exists', 'There is another file of this name; it was not touched.', {
      location: { file: edited.file },
      fix: 'Name another folder, and compare the two.',
    });
  }
  const files: WrittenShop['files'][number][] = [];
  for (const { file, bytes } of wanted) {
    const isThere = existsSync(file);
    if (!isThere) await replaceFile(file, bytes);
    files.push({ file, state: isThere ? 'unchanged' : 'written' });
  }
  return { files };
}
