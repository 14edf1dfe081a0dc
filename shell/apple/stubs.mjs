// Writes the linker's text stubs (.tbd, version 4) out of libraries.json, and the options for what is looked up in all
// loaded libraries: stubs.mjs <folder> <file with the undefined symbols of the objects, one a line>
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';

const [folder, undefinedFile] = process.argv.slice(2);
const { libraries, anywhere } = JSON.parse(readFileSync(new URL('libraries.json', import.meta.url), 'utf8'));
const targets = '[ arm64-ios, arm64-ios-simulator, x86_64-ios-simulator ]';

mkdirSync(folder, { recursive: true });
const known = new Set();
const names = [];
for (const [path, symbols] of Object.entries(libraries)) {
  const name = `${basename(path).replace(/\..*/, '')}.tbd`;
  const exports =
    symbols.length === 0 ? '' : `exports:\n  - targets: ${targets}\n    symbols: [ ${symbols.join(', ')} ]\n`;
  writeFileSync(
    join(folder, name),
    `--- !tapi-tbd\ntbd-version: 4\ntargets: ${targets}\ninstall-name: '${path}'\ncurrent-version: 1\ncompatibility-version: 1\n${exports}...\n`,
  );
  names.push(join(folder, name));
  for (const symbol of symbols) known.add(symbol);
}

const wanted = readFileSync(undefinedFile, 'utf8').split('\n').filter(Boolean);
const looked = wanted.filter(
  (symbol) => /^_OBJC_(?:META)?CLASS_\$_/.test(symbol) || anywhere.includes(symbol),
);
const missing = wanted.filter((symbol) => !known.has(symbol) && !looked.includes(symbol));
if (missing.length > 0) {
  console.error(
    `Neither bound nor looked up: ${missing.join(', ')}\nAdd them to libraries.json, where they belong.`,
  );
  process.exit(1);
}
writeFileSync(
  join(folder, 'link.options'),
  [...looked.flatMap((symbol) => ['-U', symbol]), ...names, ''].join('\n'),
);
