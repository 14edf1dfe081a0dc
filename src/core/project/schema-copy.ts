import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { replaceFile } from '../util/files.js';
import { packagedPath } from '../util/packaged.js';

/** Editors complete and check `hull.json` by this copy of the schema, also without a network. */
export const SCHEMA_COPY = '.hull/hull.schema.json';
/** The same for the catalog of what the app sells. */
export const CATALOG_SCHEMA_COPY = '.hull/catalog.schema.json';

/** What is made in `.hull` and belongs in no version control. */
const IGNORED = 'cache/\n';

/** Whether a project's copy is the schema that this Jolly Hull goes by. */
export function isSchemaCurrent(projectDir: string): boolean {
  const copy = join(projectDir, SCHEMA_COPY);
  return existsSync(copy) && readFileSync(copy).equals(readFileSync(packagedPath('schema/hull.schema.json')));
}

export async function writeSchemaCopy(projectDir: string): Promise<void> {
  const catalog = readFileSync(packagedPath('schema/catalog.schema.json'));
  await replaceFile(join(projectDir, CATALOG_SCHEMA_COPY), catalog);
  const ignore = join(projectDir, '.hull/.gitignore');
  await replaceFile(join(projectDir, SCHEMA_COPY), readFileSync(packagedPath('schema/hull.schema.json')));
  if (!existsSync(ignore)) await replaceFile(ignore, new TextEncoder().encode(IGNORED));
}
