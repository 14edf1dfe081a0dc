// Writes docs/api.md, the reference of the library, from the doc comments in the sources. With --check, says if it is old.
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

// The project's own compiler has no interface for scripts; the one that makes the schemas has.
const { default: ts } = await import(
  createRequire(import.meta.resolve('ts-json-schema-generator')).resolve('typescript')
);

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const index = join(root, 'src/core/index.ts');
const out = join(root, 'docs/api.md');

const parse = (file) => ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true);

/** The declaration of a name in a module. */
function find(source, name) {
  return source.statements.find((one) =>
    ts.isVariableStatement(one)
      ? one.declarationList.declarations.some((item) => item.name.getText() === name)
      : one.name?.text === name,
  );
}

/** A doc comment as Markdown: prose first, then what its tags say. */
function comment(node) {
  const docs = ts.getJSDocCommentsAndTags(node).filter(ts.isJSDoc);
  const link = (text) => text.replaceAll(/\{@link (\w+)\}/g, '`$1`').replaceAll(/\s*\n\s*/g, ' ');
  const prose = docs.map((doc) => link(ts.getTextOfJSDocComment(doc.comment) ?? '')).join(' ');
  const tags = docs
    .flatMap((doc) => doc.tags ?? [])
    .map((tag) => {
      const text = link(ts.getTextOfJSDocComment(tag.comment) ?? '');
      const name = tag.tagName.text;
      if (name === 'param') return `- \`${tag.name.getText()}\`: ${text}`;
      return `- ${name === 'throws' ? 'throws' : name}: ${text}`;
    });
  return { prose, tags };
}

/** A declaration without its body and its comments. */
function signature(node, source) {
  const print = (text) =>
    text
      .replaceAll(/\/\*\*[\s\S]*?\*\//g, '')
      .replaceAll(/\breadonly (?=\w+\??:)/g, '')
      .replaceAll(/ \| undefined(?=;)/g, '')
      .split('\n')
      .filter((line) => line.trim() !== '')
      .join('\n');
  if (ts.isFunctionDeclaration(node))
    return print(source.text.slice(node.getStart(), node.body.getStart()).trim());
  if (ts.isClassDeclaration(node)) return `class ${node.name.text}`;
  if (ts.isVariableStatement(node)) return print(node.getText().split('\n')[0]).replace(/\s*[{[]$/, ' …');
  return print(node.getText());
}

/** Members of an options or report type that say something of themselves. */
function members(node) {
  if (!ts.isInterfaceDeclaration(node)) return [];
  return node.members.flatMap((member) => {
    const { prose } = comment(member);
    return prose === '' ? [] : [`- \`${member.name.getText()}\`: ${prose}`];
  });
}

const groups = [];
for (const statement of parse(index).statements) {
  if (!ts.isExportDeclaration(statement)) continue;
  const file = resolve(dirname(index), statement.moduleSpecifier.text.replace(/\.js$/, '.ts'));
  const source = parse(file);
  for (const { name } of statement.exportClause.elements) {
    const node = find(source, name.text);
    if (node) groups.push({ name: name.text, node, source });
  }
}

const isTask = ({ node, source }) => ts.isFunctionDeclaration(node) && source.fileName.includes('/tasks/');
function section({ name, node, source }) {
  const { prose, tags } = comment(node);
  const lines = [
    `### ${name}`,
    '',
    ...(prose ? [prose, ''] : []),
    '```ts',
    signature(node, source),
    '```',
    '',
  ];
  const more = [...tags, ...members(node)];
  return more.length > 0 ? [...lines, ...more, ''] : lines;
}
const byName = (a, b) => (a.name.toLowerCase() < b.name.toLowerCase() ? -1 : 1);
const tasks = groups.filter(isTask).sort(byName);
const others = groups.filter((one) => !isTask(one)).sort(byName);
const text = [
  '# The library',
  '',
  "Made from the comments in the sources by `npm run api`. `import { packProject } from 'jolly-hull'`; an example is in the",
  '[guide](guide.md#in-a-build-script). Everything that fails throws a `HullError`; [errors.md](errors.md) lists the codes.',
  '',
  '## Tasks',
  '',
  ...tasks.flatMap(section),
  '## Types and the rest',
  '',
  ...others.flatMap(section),
].join('\n');

if (!process.argv.includes('--check')) writeFileSync(out, text);
else if (readFileSync(out, 'utf8') !== text) {
  console.error('docs/api.md is out of date. Make it again: npm run api');
  process.exit(1);
}
