// Lists what the shell's headers declare, with the page of the platform's documentation that each names and who checked it:
//   declarations.mjs            exits with 1 where declarations.tsv lacks something, or has too much
//   declarations.mjs --update   writes it; who checked a row stays
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
const table = here('declarations.tsv');
const HEAD = 'header\tdeclaration\tpage\tchecked against a header by';

/** Names that a declaration's first lines give: a class, a protocol, an enumeration, a type, a constant, a function, a macro. */
function nameOf(text) {
  const patterns = [
    /^(?:__attribute__\(\(\w+\)\) )?@interface (\w+)/,
    /^@protocol (\w+)/,
    /^typedef NS_(?:ENUM|OPTIONS)\([\w ]+, (\w+)\)/,
    /^typedef struct (\w+) \{/,
    /^typedef .*?\(\^(\w+)\)/,
    /^#define (\w+)/,
    /^#if .*\ntypedef \w+ (\w+);/,
    /^typedef .*?(\w+);/,
    /^extern .*?(\w+)(?:\(|;)/,
    /^static inline \w+ (\w+)\(/,
    /^(enum) \{/,
  ];
  for (const pattern of patterns) {
    const found = pattern.exec(text);
    if (found) return found[1] === 'enum' ? `enum { ${/\n\s*(\w+)/.exec(text)[1]}, … }` : found[1];
  }
  throw new Error(`not a declaration: ${text.slice(0, 80)}`);
}

const rows = [];
const bare = [];
for (const folder of readdirSync(here('include')).sort()) {
  const header = `${folder}/${readdirSync(here(`include/${folder}`))[0]}`;
  const text = readFileSync(here(`include/${header}`), 'utf8');
  for (const { 1: page, index, 0: line } of text.matchAll(/^\/\/\/ doc: (\S+)\n(?:\/\/ .*\n)*/gm)) {
    rows.push([header, nameOf(text.slice(index + line.length)), page]);
  }
  // The compiler's own: constant strings of the tests' runtime.
  const known = new Set(['NSSimpleCString', 'NSConstantString']);
  for (const { 0: line, 1: name, index } of text.matchAll(/^(?:@interface|@protocol) (\w+)(?!.*;$).*$/gm)) {
    if (!known.has(name) && !/\/\/\/ doc: \S+\n(?:\/\/ .*\n)*$/.test(text.slice(0, index)))
      bare.push(`${header}: ${line}`);
  }
}
const old = new Map();
try {
  for (const line of readFileSync(table, 'utf8').trim().split('\n').slice(1)) {
    const [header, name, page, checked = ''] = line.split('\t');
    old.set(`${header}\t${name}\t${page}`, checked);
  }
} catch {
  // None yet.
}
const text = `${[HEAD, ...rows.map((row) => `${row.join('\t')}\t${old.get(row.join('\t')) || 'nobody yet'}`)].join('\n')}\n`;
if (bare.length > 0) {
  console.error(`without a page: ${bare.join('; ')}`);
  process.exit(1);
}
if (process.argv.includes('--update')) writeFileSync(table, text);
else if (readFileSync(table, 'utf8') !== text) {
  console.error(
    'declarations.tsv is not what the headers declare: node shell/apple/declarations.mjs --update',
  );
  process.exit(1);
}
console.log(`${rows.length} declarations`);
