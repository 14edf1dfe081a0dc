// Writes the table of rules into docs/survey.md, from the rules themselves: npm run rules
import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { rulesTable } from '../node_modules/.cache/hull-rules.mjs';

const file = join(dirname(dirname(fileURLToPath(import.meta.url))), 'docs/survey.md');
const text = readFileSync(file, 'utf8');
const [before] = text.split('<!-- rules -->');
writeFileSync(file, `${before}<!-- rules -->\n\n${rulesTable()}`);
