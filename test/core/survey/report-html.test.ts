import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { scanFolder } from '../../../src/core/site/folder.js';
import { readFolderSite } from '../../../src/core/site/read-folder.js';
import { DEVICES } from '../../../src/core/survey/browser/devices.js';
import { reportHtml } from '../../../src/core/survey/report-html.js';
import { surveySite } from '../../../src/core/survey/survey.js';
import { DEMO_SITE } from '../../support/hull.js';
import { temporaryFolder } from '../../support/temporary.js';

it('a report shows a page beside what was found on it, and the start page at the end', async () => {
  const dir = join(temporaryFolder(), 'site');
  cpSync(DEMO_SITE, dir, { recursive: true });
  const site = await readFolderSite(await scanFolder(dir));
  const report = surveySite({ site, project: undefined, browser: undefined });
  const [device] = DEVICES;
  if (!device) throw new Error('no device');
  const view = (path: string, scrollWidth: number, picture: string) => ({
    url: new URL(path, site.base).href,
    device,
    engine: 'chromium' as const,
    textLength: 100,
    scrollWidth,
    screenshot: new TextEncoder().encode(picture),
    wide: [],
    small: [],
    underCutout: [],
    underBar: [],
  });
  const answer = { answered: true, own: true };
  const page = reportHtml({
    ...report,
    findings: [
      {
        code: 'fit.overflow',
        severity: 'warning',
        location: { file: 'pier.html' },
        observed: '600 px wide',
        impact: 'It slips.',
        fix: 'max-width: 100%',
      },
    ],
    browser: {
      browser: 'a browser',
      workerControls: undefined,
      isolated: false,
      offline: answer,
      notFound: answer,
      serverError: answer,
      views: [
        view('', device.width, 'start'),
        view('pier.html', 600, 'pier'),
        view('alerts.html', 390, 'fine'),
      ],
      rendered: [],
      notOpened: 0,
      errors: [],
      requests: [],
      asked: [],
    },
  });
  const at = (text: string) => page.indexOf(Buffer.from(text).toString('base64'));
  const card = page.indexOf('<article');
  expect(at('pier')).toBeGreaterThan(card);
  expect(at('pier')).toBeLessThan(page.indexOf('</article>'));
  expect(page).toContain('alt="/pier.html on a phone, portrait, in Chromium"');
  expect(at('start')).toBeGreaterThan(page.indexOf('The start page</h2>'));
  // A page on which nothing was found is not shown.
  expect(at('fine')).toBe(-1);
});
