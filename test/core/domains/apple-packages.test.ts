import { expect, it } from 'vitest';
import { applePackagesIn } from '../../../src/core/domains/gather.js';
import { ID, TEAM } from '../../support/apple.js';
import { packTestIpa } from '../../support/ipa.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

it('an .ipa says itself which app it was signed as, and which hosts it claims', async () => {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
      links: [{ host: 'ferry.saltmarsh.example', credentials: true }],
    }),
    'site/index.html': '<!doctype html><title>Ferry</title>',
  });
  const { file } = await packTestIpa(dir);
  expect(await applePackagesIn(`${dir}/out`, ID)).toEqual([
    {
      file,
      appId: `${TEAM}.${ID}`,
      domains: ['applinks:ferry.saltmarsh.example', 'webcredentials:ferry.saltmarsh.example'],
    },
  ]);
  expect(await applePackagesIn(`${dir}/out`, 'example.saltmarsh.other')).toEqual([]);
  expect(await applePackagesIn(`${dir}/nowhere`, ID)).toEqual([]);
});
