import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { APPLE_CAPABILITIES } from '../../../../src/core/platforms/apple/app/permission-table.js';
import {
  APPLE_WEB_FEATURES,
  appleFeatureTable,
} from '../../../../src/core/platforms/apple/app/web-features.js';
import { CAPABILITIES } from '../../../../src/core/site/capabilities.js';

/** What the web view of Apple's systems has: one table, which the guide, the survey and the permissions agree with. */

it('the guide to Apple’s systems has the table of the code', () => {
  const [, inGuide] = readFileSync('docs/apple.md', 'utf8').split(/<!-- \/?features -->\n/);
  expect(inGuide).toBe(appleFeatureTable());
});

it('says what to do instead of each feature that is missing or partial, and that a script can be seen to use', () => {
  const without = APPLE_WEB_FEATURES.filter(
    ({ capability, support, since, instead }) =>
      capability !== undefined &&
      instead === undefined &&
      (since !== undefined || Object.values(support).some(({ works }) => works !== 'yes')),
  );
  expect(without).toEqual([]);
});

it('names capabilities that the survey looks for, each once', () => {
  const known = new Set([...CAPABILITIES.map(({ name }) => name), 'speech-recognition']);
  const named = APPLE_WEB_FEATURES.flatMap(({ capability }) => capability ?? []);
  expect(named.filter((name) => !known.has(name))).toEqual([]);
  expect(new Set(named).size).toBe(named.length);
});

it('agrees with what the app can be allowed', () => {
  for (const { capability, support } of APPLE_WEB_FEATURES) {
    const row = capability === undefined ? undefined : APPLE_CAPABILITIES[capability];
    if (row && capability !== 'push')
      expect([capability, support.hosted.works === 'no']).toEqual([capability, row.asks === 'never']);
  }
});
