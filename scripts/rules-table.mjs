// Writes the table of rules into docs/survey.md, from the rules themselves: npm run rules
import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { internals } from './internals.mjs';

const { rulesTable } = await internals('rules', { 'survey/rules-table': ['rulesTable'] });
const file = join(dirname(dirname(fileURLToPath(import.meta.url))), 'docs/survey.md');
const text = readFileSync(file, 'utf8');
const [before] = text.split('<!-- rules -->');
writeFileSync(file, `${before}<!-- rules -->\n\n${rulesTable()}`);
