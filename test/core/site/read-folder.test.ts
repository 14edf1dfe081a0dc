import { join } from 'node:path';
import { expect, it } from 'vitest';
import { scanFolder } from '../../../src/core/site/folder.js';
import { readFolderSite } from '../../../src/core/site/read-folder.js';
import { surveySite } from '../../../src/core/survey/survey.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';
import { EVERY_RULE } from '../survey/seeds/copy.js';

it('pages whose elements have styles of their own share a look all the same, and each is judged', async () => {
  const dir = join(temporaryFolder(), 'site');
  const page = (style: string) =>
    `<!doctype html><title>x</title><link rel="stylesheet" href="/a.css"><div style="${style}">x</div>`;
  const pages = Object.fromEntries(
    Array.from({ length: 40 }, (_, i) => [`${i === 0 ? 'index' : i}.html`, page(`width: ${i}px`)]),
  );
  writeFiles(dir, {
    ...pages,
    'a.css': 'p { margin: 0 }',
    'tall.html': page('height: 100vh'),
    'bar.html': page('position: fixed; top: 0; left: 0; right: 0'),
  });
  const site = await readFolderSite(await scanFolder(dir));
  expect(site.styleGroups.map(({ pages: count }) => count).sort((a, b) => b - a)).toEqual([41, 1]);
  const { findings } = surveySite({ site, project: undefined, browser: undefined, target: EVERY_RULE });
  const told = findings.map(({ code, location }) => `${code} ${location.file?.slice(dir.length + 1)}`);
  expect(told).toContain('feel.height tall.html');
  expect(told).toContain('feel.safe-area bar.html');
});
