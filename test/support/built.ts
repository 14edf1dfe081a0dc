import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';

/** Builds the program where nothing is built yet, so that the tests run on a fresh clone. */
export function setup(): void {
  const root = join(import.meta.dirname, '../..');
  const needed = [
    'dist/cli/hull.cjs',
    'src/core/project/hull-schema.generated.js',
    'src/core/store/catalog/catalog-schema.generated.js',
  ];
  if (needed.every((file) => existsSync(join(root, file)))) return;
  execFileSync(process.execPath, [join(root, 'scripts/build.mjs')], { cwd: root, stdio: 'inherit' });
}
