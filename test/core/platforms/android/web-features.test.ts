import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { ANDROID_CAPABILITIES } from '../../../../src/core/platforms/android/app/permission-table.js';
import { featureTable, WEB_FEATURES } from '../../../../src/core/platforms/android/app/web-features.js';
import { CAPABILITIES } from '../../../../src/core/site/capabilities.js';

/** What engines have: one table, which the guide, the survey and the permissions agree with. */

const guide = readFileSync(join(import.meta.dirname, '../../../../docs/android.md'), 'utf8');

it('the guide to Android has the table of the code', () => {
  const [, inGuide] = guide.split(/<!-- \/?features -->\n/);
  expect(inGuide).toBe(featureTable());
});

it('says what to do instead of each feature that an engine lacks and a script can be seen to use', () => {
  const without = WEB_FEATURES.filter(
    ({ capability, engines, instead }) =>
      capability !== undefined &&
      instead === undefined &&
      Object.values(engines).some(({ works }) => works === 'no'),
  );
  expect(without).toEqual([]);
});

it('names capabilities that the survey looks for', () => {
  const known = new Set([...CAPABILITIES.map(({ name }) => name), 'speech-recognition']);
  const named = WEB_FEATURES.flatMap(({ capability }) => capability ?? []);
  expect(named.filter((name) => !known.has(name))).toEqual([]);
  expect(new Set(named).size).toBe(named.length);
});

it('agrees with what the shell asks for and refuses', () => {
  for (const { capability, engines } of WEB_FEATURES) {
    const row = capability === undefined ? undefined : ANDROID_CAPABILITIES[capability];
    if (row)
      expect([capability, engines.webview.works === 'no']).toEqual([capability, row.webview === 'never']);
  }
});
