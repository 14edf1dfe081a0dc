import type { IncomingMessage } from 'node:http';
import { describe, expect } from 'vitest';
import { surveyProject } from '../../src/core/tasks/survey-project.js';
import { host } from '../support/host.js';
import { reader, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** An app whose pages only scripts draw, as a browser shows them. */

const SHELL = `<!doctype html><html lang="en"><head><title>Ferry</title><link rel="manifest" href="/app.webmanifest">
<meta name="viewport" content="width=device-width, viewport-fit=cover"></head><body><div id="root"></div>
<script src="/app.js"></script></body></html>`;
const APP = `const pages = {
  '/': '<p>Boats leave every forty minutes, and come back as often.</p><a href="/piers">Piers</a> <a href="#/about">About</a>',
  '/piers': '<p>Two piers on the mainland, one on the island.</p><a href="/privacy">Privacy</a><a href="/gone.pdf">PDF</a>',
  '/privacy': '<h1>Privacy</h1><p>Nothing is kept, and nothing is sent to anyone.</p>',
  '/tickets': '<form><input autocomplete="cc-number"></form><p>Your tickets are in this wallet.</p>',
};
const route = location.hash.startsWith('#/') ? 'about' : location.pathname;
document.getElementById('root').innerHTML = '<header class="css-1">Ferry</header>' + (pages[route] || '<p>About the line.</p>');
const style = document.head.appendChild(document.createElement('style'));
style.sheet.insertRule('.css-1 { position: fixed; inset: 0 0 auto 0; height: 56px; background: #0b4f6c }');`;
const MANIFEST = JSON.stringify({
  name: 'Ferry',
  start_url: '/',
  shortcuts: [{ name: 'Tickets', url: '/tickets' }],
});

const browser = () => ({
  executable: reader('chromium') ?? '',
  environment: { PATH: process.env.PATH ?? '' },
});

describe('pages that scripts draw', () => {
  readerTest('chromium', 'are followed, and judged as they are drawn', async () => {
    const dir = temporaryFolder();
    const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
    const config = {
      app,
      web: { folder: 'site', fallback: '/index.html' },
      look: { window: { edges: 'cover' } },
    };
    writeFiles(dir, {
      'hull.json': JSON.stringify(config),
      'site/index.html': SHELL,
      'site/app.js': APP,
      'site/app.webmanifest': MANIFEST,
    });
    const blind = await surveyProject({ project: dir });
    const verdict = (report: typeof blind, id: string) =>
      report.verdicts.find(({ rule }) => rule.id === id)?.is;
    expect(verdict(blind, 'store.privacy')).toBe('not-judged');
    // Styles that scripts make were not seen.
    expect(verdict(blind, 'feel.safe-area')).toBe('not-judged');

    const report = await surveyProject({ project: dir, browser: browser() });
    expect(report.site.pages.map(({ url }) => url.slice(report.site.base.href.length - 1)).sort()).toEqual([
      '/',
      '/#/about',
      '/piers',
      '/privacy',
      '/tickets',
    ]);
    // A link to it is on a page that only scripts know.
    expect(verdict(report, 'store.privacy')).toBe('passed');
    const bar = report.findings.find(({ code }) => code === 'feel.safe-area');
    expect(bar?.observed).toContain('.css-1 { position: fixed } at the top');
    expect(bar?.location.file).toMatch(/index\.html$/);
    // A style that scripts made has no place in a file.
    expect(bar?.location.line).toBeUndefined();
    expect(verdict(report, 'feel.bar-room')).toBe('found');
    expect(verdict(blind, 'store.payment')).toBe('passed');
    expect(verdict(report, 'store.payment')).toBe('found');
  });

  readerTest(
    'chromium',
    'of a host are asked for with its header fields, and nobody else gets these',
    async () => {
      const seen = { own: new Set<string>(), other: new Set<string>() };
      /** Paths of the own host that were asked for without the field. */
      const bare: (string | undefined)[] = [];
      const field = ({ headers, url }: IncomingMessage) =>
        headers['x-area'] === undefined ? `nothing for ${url}` : `${headers['x-area']} for ${url}`;
      const other = await host((request, response) => {
        seen.other.add(field(request));
        response.end('');
      });
      const own = await host((request, response) => {
        seen.own.add(field(request));
        if (request.headers['x-area'] === undefined) bare.push(request.url);
        const path = request.url ?? '';
        const type = path.endsWith('.js')
          ? 'text/javascript'
          : path.includes('manifest')
            ? 'application/json'
            : 'text/html';
        const body = path.endsWith('.js')
          ? `${APP};new Image().src='${other}x.png'`
          : path.includes('manifest')
            ? MANIFEST
            : SHELL;
        response.writeHead(200, { 'content-type': type }).end(body);
      });
      const headers = new Map([['x-area', 'tests']]);
      const { site } = await surveyProject({ target: own, browser: browser(), headers });
      expect(site.pages.map(({ url }) => new URL(url).pathname)).toContain('/privacy');
      // The icon that a browser asks for by itself, and what is on its way as a window is closed, the driver lets go as it is.
      expect(bare.length).toBeLessThanOrEqual(2);
      for (const path of bare.filter((one) => one !== '/favicon.ico'))
        expect([...seen.own]).toContain(`tests for ${path}`);
      for (const path of ['/', '/app.js', '/app.webmanifest'])
        expect([...seen.own]).toContain(`tests for ${path}`);
      expect([...seen.other]).toEqual(['nothing for /x.png']);
    },
  );
});
