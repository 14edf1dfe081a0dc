// The least that a survey of a folder can do: read every page, script and style sheet, those inside pages too, and parse
// them with the parsers and options that the survey uses. It looks at nothing.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse as parseScript } from 'acorn';
import parseStyle from 'css-tree/parser';
import { parse as parsePage } from 'parse5';

const [, , dir] = process.argv;
const script = (text, sourceType) =>
  parseScript(text, { ecmaVersion: 'latest', sourceType, allowReturnOutsideFunction: true });
const style = (text) =>
  parseStyle(text, {
    positions: true,
    parseValue: false,
    parseRulePrelude: false,
    parseCustomProperty: false,
  });

function inside(node) {
  for (const child of node.childNodes ?? []) {
    if (child.tagName === 'script' && child.childNodes[0]) script(child.childNodes[0].value, 'script');
    else if (child.tagName === 'style' && child.childNodes[0]) style(child.childNodes[0].value);
    else inside(child);
  }
}

for (const name of readdirSync(dir, { recursive: true, encoding: 'utf8' })) {
  const read = () => readFileSync(join(dir, name), 'utf8');
  if (name.endsWith('.html')) inside(parsePage(read(), { sourceCodeLocationInfo: true }));
  else if (name.endsWith('.js')) script(read(), 'module');
  else if (name.endsWith('.css')) style(read());
}
