// Writes tables into the docs, from the code itself: rules of the survey, and web features by engine. npm run rules
import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { internals } from './internals.mjs';

const { rulesTable, featureTable, appleFeatureTable } = await internals('rules', {
  'survey/rules-table': ['rulesTable'],
  'platforms/android/app/web-features': ['featureTable'],
  'platforms/apple/app/web-features': ['appleFeatureTable'],
});
const docs = join(dirname(dirname(fileURLToPath(import.meta.url))), 'docs');

/** Puts a text between two marks of a page. */
function between(name, begin, end, text) {
  const file = join(docs, name);
  const page = readFileSync(file, 'utf8');
  const [before, rest = ''] = page.split(begin);
  const after = end === undefined ? '' : end + (rest.split(end)[1] ?? '');
  writeFileSync(file, `${before}${begin}${text}${after}`);
}

between('survey.md', '<!-- rules -->\n', undefined, `\n${rulesTable()}`);
between('android.md', '<!-- features -->\n', '<!-- /features -->\n', featureTable());
between('apple.md', '<!-- features -->\n', '<!-- /features -->\n', appleFeatureTable());
