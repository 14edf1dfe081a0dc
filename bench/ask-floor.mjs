// The least that asking about addresses can be: read a list, take each apart, and try one regular expression that holds
// every rule; write down what it says. node bench/ask-floor.mjs <urls.txt> <rules>
import { readFileSync, writeSync } from 'node:fs';
import { pathRules } from './ask-inputs.mjs';

const [file, rules] = process.argv.slice(2);
const parts = pathRules(Number(rules)).map((rule) =>
  rule
    .split('*')
    .map((part) => part.replaceAll(/[\\^$.+?()[\]{}|/]/g, '\\$&'))
    .join('.*'),
);
const expression = new RegExp(`^(?:${parts.join('|')})$`);
const answers = readFileSync(file, 'utf8')
  .trim()
  .split('\n')
  .map((line) => {
    const url = new URL(line);
    return { url: url.href, opens: expression.test(url.pathname) ? 'app' : 'browser' };
  });
writeSync(1, JSON.stringify({ answers }, undefined, 2));
