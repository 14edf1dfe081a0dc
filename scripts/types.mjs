// Rolls the types of the library and of the plugin up into one file each, dist/index.d.ts and dist/vite.d.ts, which refer to no package.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { generateDtsBundle } from 'dts-bundle-generator';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const at = (...parts) => join(root, ...parts);
const work = mkdtempSync(join(tmpdir(), 'hull-types-'));
try {
  // Types of single modules first: only these know the settings of our own sources.
  execFileSync(
    process.execPath,
    [at('node_modules/typescript/bin/tsc'), '-p', at('tsconfig.build.json'), '--outDir', join(work, 'types')],
    { cwd: root, stdio: 'inherit' },
  );
  // The driver of browsers is in no public type, but its own types would be followed.
  writeFileSync(
    join(work, 'driver.d.ts'),
    ['Browser', 'BrowserContext', 'ConsoleMessage', 'Page', 'Request']
      .map((name) => `export interface ${name} { readonly is: '${name}' }`)
      .join('\n'),
  );
  writeFileSync(
    join(work, 'tsconfig.json'),
    JSON.stringify({
      extends: at('tsconfig.json'),
      compilerOptions: {
        paths: { 'playwright-core': [join(work, 'driver.d.ts')] },
        typeRoots: [at('node_modules/@types')],
      },
    }),
  );
  const [text] = generateDtsBundle(
    [
      {
        filePath: join(work, 'types/core/index.d.ts'),
        // Consumers have no types of this standard installed.
        libraries: { inlinedLibraries: ['sarif', '@types/sarif'] },
        output: { noBanner: true, exportReferencedTypes: false, sortNodes: true },
      },
    ],
    { preferredConfigPath: join(work, 'tsconfig.json') },
  );
  // The plugin's own are one module, which refers to those of the library.
  const plugin = readFileSync(join(work, 'types/vite/plugin.d.ts'), 'utf8')
    .replaceAll(/'\.\.\/core\/index\.js'/g, "'jolly-hull'")
    .replaceAll(/^\/\/# sourceMappingURL=.*$/gm, '');
  const texts = [text, plugin];
  const outside = texts.flatMap((one) => one.match(/^import .* from '(?!node:|jolly-hull').*';$/gm) ?? []);
  if (outside.length > 0) throw new Error(`the public types refer to packages: ${outside.join(' ')}`);
  const { version } = JSON.parse(readFileSync(at('package.json'), 'utf8'));
  for (const [index, name] of ['index', 'vite'].entries())
    writeFileSync(at(`dist/${name}.d.ts`), `/* jolly-hull ${version} */\n${texts[index]}`);
} finally {
  rmSync(work, { recursive: true, force: true });
}
