// Makes what is derived from schemas and types, so that neither is written twice: the types of hull.json from its schema,
// and the JSON Schemas of the documents that --json prints from src/cli/outputs.ts. With --check, says what is out of date.
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { compileFromFile } from 'json-schema-to-typescript';
import { createGenerator } from 'ts-json-schema-generator';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const folder = join(root, 'schema/output');
const isCheck = process.argv.includes('--check');

/** Names of definitions that a schema refers to, and those that these refer to. */
function references(node, definitions, found = new Set()) {
  if (node === null || typeof node !== 'object') return found;
  const name = typeof node.$ref === 'string' ? decodeURIComponent(node.$ref.split('/').at(-1)) : undefined;
  if (name !== undefined && !found.has(name)) {
    found.add(name);
    references(definitions[name], definitions, found);
  }
  for (const value of Object.values(node)) references(value, definitions, found);
  return found;
}

const { definitions } = createGenerator({
  path: join(root, 'src/cli/outputs.ts'),
  tsconfig: join(root, 'tsconfig.json'),
  type: 'Documents',
  skipTypeCheck: true,
  additionalProperties: false,
  topRef: true,
}).createSchema('Documents');

const made = new Map();
for (const [command, schema] of Object.entries(definitions.Documents.properties)) {
  const used = [...references(schema, definitions)].sort();
  const document = {
    $schema: 'http://json-schema.org/draft-07/schema#',
    title: `hull ${command} --json`,
    ...schema,
    definitions: Object.fromEntries(used.map((name) => [name, definitions[name]])),
  };
  made.set(`${command.replaceAll(' ', '-')}.schema.json`, `${JSON.stringify(document, undefined, 2)}\n`);
}

const types = await compileFromFile(join(root, 'schema/hull.schema.json'), {
  additionalProperties: false,
  bannerComment: '/* Made from schema/hull.schema.json by npm run schemas. */',
  ignoreMinAndMaxItems: true,
  strictIndexSignatures: false,
  style: { singleQuote: true, printWidth: 110 },
});

/** What is made, by its path. */
const files = new Map([
  ...[...made].map(([name, text]) => [`schema/output/${name}`, text]),
  ['src/core/project/hull-config.generated.ts', types],
]);

const read = (path) => {
  try {
    return readFileSync(join(root, path), 'utf8');
  } catch {
    return undefined;
  }
};

if (isCheck) {
  const stale = [...files].filter(([path, text]) => read(path) !== text).map(([path]) => path);
  const extra = readdirSync(folder).filter((name) => !made.has(name));
  if (stale.length + extra.length > 0) {
    console.error(`Out of date: ${[...stale, ...extra].join(', ')}`);
    console.error('Make them again: npm run schemas');
    process.exit(1);
  }
} else {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  for (const [path, text] of files) writeFileSync(join(root, path), text);
  console.log(`${files.size} files`);
}
