// Builds dist/: the bundled program and library (scripts/types.mjs adds the types). Also compiles the JSON Schema into a validator,
// because compiling it at each start would take longer than most commands do.
import { createHash } from 'node:crypto';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gunzipSync } from 'node:zlib';
import Ajv from 'ajv/dist/2020.js';
import standaloneCode from 'ajv/dist/standalone/index.js';
import { build, transform } from 'esbuild';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const at = (...parts) => join(root, ...parts);
const { version } = JSON.parse(readFileSync(at('package.json'), 'utf8'));

function compileSchema(name, file) {
  const schema = JSON.parse(readFileSync(at(`schema/${name}.schema.json`), 'utf8'));
  const ajv = new Ajv.default({ code: { source: true, esm: true }, allErrors: true });
  const validate = ajv.compile(schema);
  const code = standaloneCode.default(ajv, validate);
  // Known keys by the place in the schema, to name the nearest one to a misspelt key.
  const known = {};
  const collect = (node, path) => {
    if (node === null || typeof node !== 'object') return;
    if (node.properties) known[path] = Object.keys(node.properties);
    for (const [key, value] of Object.entries(node)) collect(value, `${path}/${key}`);
  };
  collect(schema, '#');
  writeFileSync(at(file), `${code}\nexport const knownKeys = ${JSON.stringify(known)};\n`);
}

/**
 * Keeps the shell's code beside itself as it goes into packages: compressed as far as the format allows, which takes
 * seconds and saves an eighth. Made again only where the code is another.
 */
async function compressShells() {
  const folder = at('shell/android/dist');
  for (const name of readdirSync(folder).filter((one) => one.endsWith('.dex'))) {
    const code = readFileSync(join(folder, name));
    const packed = join(folder, `${name}.gz`);
    if (existsSync(packed) && gunzipSync(readFileSync(packed)).equals(code)) continue;
    const { gzipAsync } = await import('@gfx/zopfli');
    writeFileSync(packed, await gzipAsync(code, { numiterations: 15 }));
  }
}

/** The text of the MIT licence (SPDX "MIT"), for a package that names it and has no text. */
function MIT_TEXT({ name, license, author, contributors = [] }) {
  if (license !== 'MIT') throw new Error(`${name} (${license}) ships no licence text: add it here`);
  const nameOf = (one) => (typeof one === 'string' ? one : one?.name);
  const holders = [author, ...contributors].map(nameOf).filter(Boolean);
  return `MIT License

Copyright (c) ${holders.length > 0 ? holders.join(', ') : `the authors of ${name}`}

Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated documentation
files (the "Software"), to deal in the Software without restriction, including without limitation the rights to use, copy,
modify, merge, publish, distribute, sublicense, and/or sell copies of the Software, and to permit persons to whom the
Software is furnished to do so, subject to the following conditions:

The above copyright notice and this permission notice shall be included in all copies or substantial portions of the
Software.

THE SOFTWARE IS PROVIDED "AS IS", WITHOUT WARRANTY OF ANY KIND, EXPRESS OR IMPLIED, INCLUDING BUT NOT LIMITED TO THE
WARRANTIES OF MERCHANTABILITY, FITNESS FOR A PARTICULAR PURPOSE AND NONINFRINGEMENT. IN NO EVENT SHALL THE AUTHORS OR
COPYRIGHT HOLDERS BE LIABLE FOR ANY CLAIM, DAMAGES OR OTHER LIABILITY, WHETHER IN AN ACTION OF CONTRACT, TORT OR OTHERWISE,
ARISING FROM, OUT OF OR IN CONNECTION WITH THE SOFTWARE OR THE USE OR OTHER DEALINGS IN THE SOFTWARE.`;
}

const digestOf = (text) => createHash('sha256').update(text).digest('hex').slice(0, 16);

/** The licence texts of everything that is bundled. */
function writeNotices(inputs) {
  const dirs = new Set();
  for (const input of inputs) {
    const match = /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(input);
    if (match) dirs.add(match[1]);
  }
  const texts = [...dirs].sort().map((dir) => {
    const facts = JSON.parse(readFileSync(at(dir, 'package.json'), 'utf8'));
    const own = readdirSync(at(dir))
      .filter((file) => /^(licen[cs]e|copying|copyright)/i.test(file) && !/\.(js|ts|json)$/.test(file))
      .sort()
      .map((file) => readFileSync(at(dir, file), 'utf8').trim())
      .filter((text) => text.length > 0);
    // A few packages name their licence and ship no text of it.
    const text = own.length > 0 ? own.join('\n\n') : MIT_TEXT(facts);
    return `${facts.name} ${facts.version} (${facts.license})\n\n${text}`;
  });
  writeFileSync(at('dist/NOTICES.txt'), `${texts.join('\n\n----\n\n')}\n`);
}

compileSchema('hull', 'src/core/project/hull-schema.generated.js');
compileSchema('catalog', 'src/core/store/catalog/catalog-schema.generated.js');
compileSchema('steps', 'src/core/try/steps-schema.generated.js');
compileSchema('fleet', 'src/core/fleet/fleet-schema.generated.js');
await compressShells();
rmSync(at('dist'), { recursive: true, force: true });

const shared = {
  absWorkingDir: root,
  bundle: true,
  splitting: true,
  chunkNames: 'chunks/[name]-[hash]',
  platform: 'node',
  format: 'esm',
  target: 'node20',
  external: ['sharp', 'playwright-core'],
  mainFields: ['module', 'main'],
  define: { HULL_VERSION: JSON.stringify(version) },
  // Less to read and parse at each start; the maps beside the files decode the stack of a reported fault.
  minify: true,
  sourcemap: 'external',
  legalComments: 'none',
  metafile: true,
  logLevel: 'warning',
};
const library = {
  ...shared,
  entryPoints: { index: 'src/core/index.ts', vite: 'src/vite/plugin.ts' },
  outdir: 'dist/core',
  // Some bundled packages are CommonJS and ask for Node's own modules.
  banner: {
    js: "import{createRequire as __hullRequire}from'node:module';const require=__hullRequire(import.meta.url);",
  },
};
/** Texts of packages that are put in another way into the program; a package that no longer has one ends the build. */
const SEGMENTER = [
  'const segmenter = new Intl.Segmenter();\n',
  'let made;\nconst segmenter = { segment: (text) => (made ??= new Intl.Segmenter()).segment(text) };\n',
];
const PATCHES = [
  // The parser of arguments asks for a module that only programs in several files need, and that is slow to load.
  [
    'commander/lib/command.js',
    "const childProcess = require('node:child_process');\n",
    'const childProcess = undefined;\n',
  ],
  // What measures text makes the rules of grapheme clusters and of emoji at its head: 30 and 40 ms at each start, and
  // plain text needs neither.
  ['string-width/index.js', ...SEGMENTER],
  ['wrap-ansi/index.js', ...SEGMENTER],
  [
    'string-width/index.js',
    'const rgiEmojiRegex = /^\\p{RGI_Emoji}$/v;\n',
    "let emoji;\nconst rgiEmojiRegex = { test: (text) => (emoji ??= new RegExp('^\\\\p{RGI_Emoji}$', 'v')).test(text) };\n",
  ],
];
const patches = {
  name: 'patches',
  setup({ onLoad }) {
    onLoad({ filter: /[\\/](command|index)\.js$/ }, ({ path }) => {
      const own = PATCHES.filter(([file]) => at('node_modules', file) === path);
      if (own.length === 0) return undefined;
      const contents = own.reduce(
        (source, [, from, to]) => {
          if (!source.includes(from)) throw new Error(`${path} no longer has ${from}`);
          return source.replace(from, () => to);
        },
        readFileSync(path, 'utf8'),
      );
      return { contents };
    });
  },
};
const program = {
  ...shared,
  plugins: [patches],
  entryPoints: ['src/cli/main.ts'],
  outdir: 'dist/cli',
  sourcemap: false,
  write: false,
};
/** What runs in threads of its own, for both. */
const worker = {
  ...shared,
  splitting: false,
  entryPoints: ['src/core/packaging/digest-worker.ts', 'src/core/packaging/compress-worker.ts'],
  outdir: 'dist',
  format: 'cjs',
  outExtension: { '.js': '.cjs' },
};

/**
 * Joins the program's files into one CommonJS module, each of them a function: a command loads those that it needs. Node.js finds and
 * reads one file in less time than a hundred, and the compiled code of what a command used is one file too
 * (src/cli/code-cache.ts).
 */
async function joinProgram(files) {
  const chunks = await Promise.all(
    files.map(async ({ path, text }) => {
      const { code } = await transform(text, {
        format: 'cjs',
        platform: 'node',
        target: 'node20',
        minify: true,
        define: { 'import.meta.url': '__hullUrl' },
        supported: { 'dynamic-import': false },
      });
      const url = "const __hullUrl=require('node:url').pathToFileURL(__filename).href;";
      const name = basename(path);
      return `${JSON.stringify(name)}(exports,require,module,__filename){${code.includes('__hullUrl') ? url : ''}${code}},\n`;
    }),
  );
  return `"use strict";const{join}=require('node:path');const made=Object.create(null);
const load=(id)=>{
const name=id.slice(id.lastIndexOf('/')+1);
const chunk=chunks[name];
if(chunk===undefined)return require(id);
if(made[name]===undefined){const module=made[name]={exports:{}};chunk.call(module.exports,module.exports,load,module,join(__dirname,'chunks',name));}
return made[name].exports;
};
const chunks={__proto__:null,
${chunks.join('')}};
module.exports=load('main.js');
`;
}

// Built apart: what two programs share would be cut into more and smaller files, and each costs time at a start.
const built = await Promise.all([build(program), build(library), build(worker)]);
// Plain ASCII is read in a tenth of the time. What is left of other characters is in templates and regular expressions, which have the same
// escapes as strings.
const joined = await joinProgram(built[0].outputFiles);
if (/\\[^\0-\x7f]/.test(joined)) throw new Error('a backslash is before a character that is to be escaped');
const source = joined.replace(
  /[^\0-\x7f]/g,
  (letter) => `\\u${letter.charCodeAt(0).toString(16).padStart(4, '0')}`,
);
mkdirSync(at('dist/cli'), { recursive: true });
writeFileSync(at('dist/cli/program.cjs'), source);
const start = await build({
  ...shared,
  splitting: false,
  entryPoints: ['src/cli/hull.ts'],
  outdir: 'dist/cli',
  format: 'cjs',
  outExtension: { '.js': '.cjs' },
  sourcemap: false,
  define: { ...shared.define, HULL_PROGRAM: JSON.stringify(digestOf(source)) },
});
chmodSync(at('dist/cli/hull.cjs'), 0o755);
// The stand-in store's database, where Node.js has none of its own.
copyFileSync(at('node_modules/sql.js/dist/sql-wasm.wasm'), at('dist/sql-wasm.wasm'));
writeNotices([...built, start].flatMap((result) => Object.keys(result.metafile.inputs)));
