import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { isVerified, noteVerified } from '../../../src/core/tasks/verified-packages.js';
import { temporaryFolder } from '../../support/temporary.js';

it('packages that were verified are known by their bytes, to this version alone', async () => {
  const dir = temporaryFolder();
  expect(isVerified(dir, 'aa')).toBe(false);
  for (const sha256 of ['aa', 'bb', 'aa']) await noteVerified(dir, [sha256]);
  expect([isVerified(dir, 'aa'), isVerified(dir, 'bb'), isVerified(dir, 'cc')]).toEqual([true, true, false]);
  const file = join(dir, '.hull/cache/verified.json');
  const { version, sha256 } = JSON.parse(readFileSync(file, 'utf8'));
  expect(sha256).toEqual(['aa', 'bb']);
  writeFileSync(file, JSON.stringify({ version: `${version}-other`, sha256 }));
  expect(isVerified(dir, 'aa')).toBe(false);
  writeFileSync(file, '{"version":');
  expect(isVerified(dir, 'aa')).toBe(false);
  // A fleet notes all of its packages at once.
  const brands = Array.from({ length: 990 }, (_, index) => `n${index}`);
  await noteVerified(dir, ['cc', 'dd']);
  for (const list of [brands, ['n3', ...Array.from({ length: 9 }, (_, index) => `m${index}`)]])
    await noteVerified(dir, list);
  expect(JSON.parse(readFileSync(file, 'utf8')).sha256).toHaveLength(1000);
  expect([isVerified(dir, 'n3'), isVerified(dir, 'cc'), isVerified(dir, 'dd')]).toEqual([true, true, false]);
});

it('a project that cannot be written to is no fault', async () => {
  const dir = temporaryFolder();
  writeFileSync(join(dir, '.hull'), '');
  await noteVerified(dir, ['aa']);
  expect(existsSync(join(dir, '.hull/cache'))).toBe(false);
  expect(isVerified(dir, 'aa')).toBe(false);
});
