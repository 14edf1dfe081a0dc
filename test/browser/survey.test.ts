import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { describe, expect } from 'vitest';
import { formatLocation } from '../../src/core/errors.js';
import { crawlSite } from '../../src/core/site/crawl.js';
import { scanFolder } from '../../src/core/site/folder.js';
import { readFolderSite } from '../../src/core/site/read-folder.js';
import type { Site } from '../../src/core/site/site.js';
import { browseSite } from '../../src/core/survey/browser/run.js';
import { reportHtml } from '../../src/core/survey/report-html.js';
import { type SurveyReport, surveySite } from '../../src/core/survey/survey.js';
import { EVERY_RULE } from '../core/survey/seeds/copy.js';
import { folderListener, host, tlsHost } from '../support/host.js';
import { DEMO_SITE } from '../support/hull.js';
import { reader, readerTest, thoroughReaderTest } from '../support/readers.js';
import { temporaryFolder } from '../support/temporary.js';
import { testCertificate } from '../support/tls.js';

/** The survey with a real browser: what only running the pages can show. */

async function look(site: Site, resolve?: ReadonlyMap<string, string>): Promise<SurveyReport> {
  const executable = reader('chromium');
  if (executable === undefined) throw new Error('no browser');
  const browser = await browseSite(site, { executable, ...(resolve ? { resolve, trustCrawled: true } : {}) });
  // For an app that every rule is about.
  return surveySite({ site, project: undefined, browser, target: EVERY_RULE });
}

const told = ({ findings }: SurveyReport) =>
  findings
    .filter(({ code }) => code !== 'feel.startup-image')
    .map(
      ({ code, location, observed }) =>
        `${code} ${formatLocation(location).replace(/^.*\/(?=[\w-]+\.\w+:)/, '')} | ${observed}`,
    );

async function copyOfDemo(change: (dir: string) => void): Promise<Site> {
  const dir = join(temporaryFolder(), 'site');
  cpSync(DEMO_SITE, dir, { recursive: true });
  change(dir);
  return readFolderSite(await scanFolder(dir));
}

const replace = (dir: string, name: string, from: string | RegExp, to: string) => {
  const text = readFileSync(join(dir, name), 'utf8');
  const changed = text.replace(from, () => to);
  if (changed === text) throw new Error(`${String(from)} is not in ${name}`);
  writeFileSync(join(dir, name), changed);
};

describe('with a real browser', () => {
  readerTest('chromium', 'the demo site surveys clean, on every device and in every failure', async () => {
    const report = await look(await readFolderSite(await scanFolder(DEMO_SITE)));
    expect(told(report)).toEqual([]);
    const { browser } = report;
    expect(browser?.workerControls).toBe(true);
    expect(browser?.offline).toMatchObject({ answered: true, own: true });
    expect(browser?.notFound).toMatchObject({ own: true, title: 'Not here · Saltmarsh Ferry' });
    expect(browser?.serverError).toMatchObject({ own: true });
    expect(browser?.views.filter(({ screenshot }) => screenshot)).toHaveLength(4);
    expect(
      report.verdicts
        .filter(({ is, rule }) => is === 'not-judged' && !rule.id.startsWith('speed.'))
        .map(({ rule }) => rule.needs),
    ).toEqual(Array.from({ length: 5 }, () => ['project']));
  });

  readerTest(
    'chromium',
    'what is wider than the screen, too small, and asked for while loading',
    async () => {
      const site = await copyOfDemo((dir) => {
        replace(
          dir,
          'pier.html',
          '</main>',
          '<div class="card" style="width:520px">Wide</div><button style="min-height:0;height:18px;width:18px;padding:0">×</button></main>',
        );
        replace(
          dir,
          'js/pier.js',
          'show(kept(',
          'navigator.geolocation.getCurrentPosition(() => {}, () => {});\nshow(kept(',
        );
      });
      const report = await look(site);
      const found = told(report);
      expect(found).toHaveLength(2);
      expect(found[0]).toMatch(
        /^fit\.overflow pier\.html:1:1 \| \d+ px wide on phone, portrait \(390 px\): main div\.card reaches to/,
      );
      expect(found[1]).toBe('fit.tap-target pier.html:1:1 | main button “×” is 18 × 18 px');
      expect(report.browser?.asked).toEqual([
        { page: 'https://ferry.saltmarsh.example/pier.html', name: 'geolocation' },
      ]);
    },
  );

  readerTest('chromium', 'a worker that keeps nothing', async () => {
    const site = await copyOfDemo((dir) => {
      replace(dir, 'sw.js', /\.catch\(async[\s\S]*?\n {6}\}\)/, '.catch(() => Response.error())');
    });
    expect(told(await look(site))).toEqual([
      'offline.start-page app.js:33:3 | / without a network: net::ERR_FAILED',
    ]);
  });

  thoroughReaderTest('chromium', 'a worker that passes the server’s errors on', async () => {
    const site = await copyOfDemo((dir) =>
      replace(dir, 'sw.js', 'response.status >= 500', 'response.status >= 900'),
    );
    expect(told(await look(site))).toEqual([
      'offline.server-error app.js:33:3 | the server answers 503, and users see status 503',
    ]);
  });

  readerTest('chromium', 'a worker that cannot be installed', async () => {
    const site = await copyOfDemo((dir) =>
      replace(dir, 'sw.js', "'/alerts.html',", "'/alerts.html', '/nowhere.html',"),
    );
    expect(told(await look(site)).map((text) => text.split(' ')[0])).toEqual(['offline.control']);
  });

  readerTest('chromium', 'errors, other hosts, and hosts without TLS', async () => {
    const other = await host((_request, response) =>
      response
        .writeHead(200, { 'content-type': 'text/javascript', 'access-control-allow-origin': '*' })
        .end('1'),
    );
    const port = new URL(other).port;
    const site = await copyOfDemo((dir) => {
      replace(
        dir,
        'js/alerts.js',
        'const defaults',
        `const names = ['http://localhost:${port}/late.json'];\nfetch(names[0]).catch(() => 0);\nsetTimeout(() => { throw new Error('The tide is out'); });\nconst defaults`,
      );
    });
    const found = told(await look(site));
    expect(found).toEqual([
      'run.error alerts.html:1:1 | Uncaught Error: The tide is out',
      `run.foreign alerts.html:1:1 | 1 request to localhost:${port} (fetch)`,
    ]);
  });

  readerTest('chromium', 'bars that the cutout covers, told at their rule', async () => {
    const dir = temporaryFolder();
    writeFileSync(
      join(dir, 'index.html'),
      `<!doctype html><meta name="viewport" content="width=device-width, viewport-fit=cover"><title>Bars</title>
<body style="margin:0"><script>
document.body.innerHTML = '<div id="bar">Under the notch</div><main>First line</main>';
document.querySelector('#bar').style.cssText = 'position:fixed;top:0;left:0;right:0;height:60px;background:#eee';
</script>`,
    );
    const report = await look(await readFolderSite(await scanFolder(dir)));
    const found = told(report);
    expect(found.find((text) => text.startsWith('feel.safe-area'))).toMatch(
      /#bar “Under the notch” on phone, portrait/,
    );
    expect(found.find((text) => text.startsWith('feel.bar-room'))).toMatch(
      /main “First line” lies under #bar/,
    );
  });

  readerTest('chromium', 'a host over TLS, with the network cut and the server failing', async () => {
    const name = 'ferry.saltmarsh.example';
    const certificate = await testCertificate(name);
    const association: Record<string, RequestListener> = {};
    for (const path of ['/.well-known/assetlinks.json', '/.well-known/apple-app-site-association']) {
      association[path] = (_request, response) =>
        response.writeHead(200, { 'content-type': 'application/json' }).end('[]');
    }
    const resolve = new Map([
      [`${name}:443`, `127.0.0.1:${await tlsHost(certificate, folderListener(DEMO_SITE, association))}`],
    ]);
    const site = await crawlSite(new URL(`https://${name}/`), {
      resolve,
      ca: readFileSync(certificate.ca, 'utf8'),
    });
    const report = await look(site, resolve);
    expect(told(report)).toEqual([]);
    expect(report.browser).toMatchObject({
      workerControls: true,
      offline: { own: true },
      serverError: { own: true },
    });
  });

  readerTest('chromium', 'the page of the report needs nothing but itself', async () => {
    const site = await copyOfDemo((dir) =>
      replace(dir, 'pier.html', '<title>', '<title><script>window.broken = 1</script>'),
    );
    const report = surveySite({ site, project: undefined, browser: undefined });
    const hostile = {
      ...report,
      findings: report.findings.map((item) => ({
        ...item,
        observed: '<img src=x onerror="window.broken=1">',
      })),
    };
    const browser = await chromium.launch({
      executablePath: reader('chromium') as string,
      args: ['--no-sandbox', '--disable-gpu'],
    });
    try {
      const page = await browser.newPage({ viewport: { width: 390, height: 800 } });
      const asked: string[] = [];
      page.on('request', (request) => asked.push(request.url()));
      const faults: string[] = [];
      page.on('console', (message) => faults.push(message.text()));
      await page.setContent(reportHtml(hostile));
      expect(await page.evaluate('window.broken')).toBeUndefined();
      expect(await page.evaluate('document.documentElement.scrollWidth <= innerWidth')).toBe(true);
      expect(asked.filter((url) => !url.startsWith('data:'))).toEqual([]);
      expect(faults).toEqual([]);
    } finally {
      await browser.close();
    }
  });
});
