// Modules of the core that are not part of the library, for scripts that make or measure things of our own.
import { mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';

const root = dirname(dirname(fileURLToPath(import.meta.url)));

/**
 * @param name of the bundle in the cache
 * @param modules module below src/core → names that it exports
 */
export async function internals(name, modules) {
  const outfile = join(root, `node_modules/.cache/hull-${name}.mjs`);
  mkdirSync(dirname(outfile), { recursive: true });
  await build({
    stdin: {
      contents: Object.entries(modules)
        .map(([path, names]) => `export { ${names.join(', ')} } from './src/core/${path}.ts';`)
        .join('\n'),
      resolveDir: root,
    },
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    packages: 'external',
    // The compiled schema asks for parts of its validator as CommonJS does.
    banner: { js: "import{createRequire as __r}from'node:module';const require=__r(import.meta.url);" },
    logLevel: 'warning',
  });
  return import(pathToFileURL(outfile).href);
}
