import { readdirSync, readFileSync, symlinkSync } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { asAppWindow } from '../../src/core/browser/webkit/app-window.js';
import { findWebKit } from '../../src/core/browser/webkit/find.js';
import { readProject } from '../../src/core/project/project.js';
import type { TryEvent } from '../../src/core/try/events.js';
import { openProjectApp } from '../../src/core/try/project-app.js';
import { WebKitTrySession } from '../../src/core/try/webkit-session.js';
import { hull } from '../support/hull.js';
import { readerTest, thoroughReaderTest } from '../support/readers.js';
import { ICON, ID } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The engine of Apple's devices, driven by its own driver. */

/** A page that works in Chromium, and stops in WebKit: what it asks for is not there. */
const LOSES_TEXT = `<!doctype html><html lang="en"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Pier</title><main id="main">Loading</main>
<script>navigator.connection.addEventListener('change', () => {});
document.getElementById('main').textContent = 'Boats leave every half hour, from pier one and pier two. '.repeat(4);</script>`;

/** A page that is wider than the screen in WebKit alone. */
const WIDE = `<!doctype html><html lang="en"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Tickets</title><style>body { margin: 0 } .w { width: 100px }
@supports (-webkit-hyphens: none) { .w { width: 700px } }</style><div class="w">Tickets</div>`;

const START = `<!doctype html><html lang="en"><head><meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">
<title>Ferry</title><style>body { background: rgb(200, 0, 0) } @media (prefers-color-scheme: dark) { body { background: rgb(0, 0, 200) } }
nav { position: fixed; top: 0; left: 0; right: 0 } .safe { padding-top: env(safe-area-inset-top, 0px) }</style></head>
<body><nav><a href="pier.html">Pier</a> <a href="tickets.html">Tickets</a></nav>
<script>navigator.geolocation.getCurrentPosition(() => {}, () => {});</script></body></html>`;

/** A search path with everything but browsers of Chromium's kind. */
function withoutChromium(): { PATH: string; HULL_BROWSER: string } {
  const bin = temporaryFolder();
  for (const name of readdirSync('/usr/bin')) {
    if (!/chrom|edge/.test(name)) symlinkSync(join('/usr/bin', name), join(bin, name));
  }
  return { PATH: bin, HULL_BROWSER: '' };
}

let dir: string;
const drive = (...words: string[]) => hull(words, { cwd: dir });

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': START,
    'site/pier.html': LOSES_TEXT,
    'site/tickets.html': WIDE,
    'site/icon.svg': ICON,
  });
  await drive('begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes');
});

const closing: (() => void)[] = [];
afterAll(() => {
  for (const close of closing) close();
});

describe('WebKit', () => {
  readerTest('WebKitWebDriver', 'finds what goes wrong there alone, beside what Chromium shows', async () => {
    const ran = await drive('survey', '--browser', 'webkit', '--no-speed', '--json', '--fail-on', 'never');
    expect(ran.code, ran.err).toBe(0);
    const said = JSON.parse(ran.out);
    expect(said.webkit).toMatch(/^WebKit \d/);
    expect(said.browser).toMatch(/^chromium \d/);
    const found = (code: string) =>
      said.findings.filter((one: { code: string }) => one.code === code) as {
        observed: string;
        impact: string;
        location: { file: string };
      }[];
    expect(found('run.error').filter(({ observed }) => !observed.includes('favicon'))).toEqual([
      expect.objectContaining({
        observed: expect.stringContaining('TypeError'),
        impact: expect.stringContaining('Apple’s devices'),
      }),
    ]);
    expect(found('run.differs')).toEqual([
      expect.objectContaining({
        observed: expect.stringMatching(/7 letters in WebKit, and 2\d\d in Chromium/),
      }),
    ]);
    expect(found('fit.overflow')).toEqual([
      expect.objectContaining({
        observed: expect.stringMatching(/700 px wide .*, in the engine of Apple’s devices/),
      }),
    ]);
    // Both engines saw the links under the cutout: it is told once.
    const engines = new Set(said.views.map(({ engine }: { engine: string }) => engine));
    expect(engines).toEqual(new Set(['chromium', 'webkit']));
    const sizes = said.views.filter(({ engine }: { engine: string }) => engine === 'webkit');
    expect(sizes.length).toBeGreaterThanOrEqual(6);
  });

  readerTest('WebKitWebDriver', 'judges what it can where there is no Chromium, and no more', async () => {
    const ran = await hull(['survey', '--browser', 'webkit', '--no-speed', '--json', '--fail-on', 'never'], {
      cwd: dir,
      env: withoutChromium(),
    });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.err).toContain('Nothing is compared with WebKit');
    const said = JSON.parse(ran.out);
    expect(said.webkit).toMatch(/^WebKit \d/);
    expect(said.browser).toBe(null);
    const verdicts = new Map(
      said.rules.map(({ code, verdict }: { code: string; verdict: string }) => [code, verdict]),
    );
    expect(verdicts.get('run.differs')).toBe('not-judged');
    expect(verdicts.get('fit.overflow')).toBe('found');
    expect(verdicts.get('run.error')).toBe('found');
    expect(said.findings.map(({ impact }: { impact: string }) => impact).join()).not.toContain('Chromium');
    expect(said.capabilities).toContainEqual(expect.objectContaining({ name: 'geolocation' }));
  });

  thoroughReaderTest('WebKitWebDriver', 'shows Apple’s screens, light and dark', async () => {
    const ran = await drive('preview', '--engine', 'webkit', '--json', '--out', 'page.html');
    expect(ran.code, ran.err).toBe(0);
    const said = JSON.parse(ran.out);
    expect(said.browser).toMatch(/^chromium .*, Apple’s screens by WebKit \d/);
    expect(said.screens.every(({ page }: { page: boolean }) => page)).toBe(true);
    expect(said.screens.filter(({ shows }: { shows: string }) => shows === 'apple-app')).toHaveLength(8);
    const page = readFileSync(join(dir, 'page.html'), 'utf8');
    const colors = new Set<string>();
    for (const [, data = ''] of page.matchAll(/The start page, apple phone, portrait.*?base64,([^"]+)"/gs)) {
      const { dominant } = await sharp(Buffer.from(data, 'base64')).stats();
      colors.add(dominant.r > dominant.b ? 'light' : 'dark');
    }
    expect(colors).toEqual(new Set(['light', 'dark']));
  });

  readerTest('WebKitWebDriver', 'says of a hosted page what its driver does not tell', async () => {
    const server = createServer((_request, response) => {
      response.setHeader('content-type', 'text/html');
      response.end(START);
    });
    await new Promise<void>((resolve) => {
      server.listen(0, '127.0.0.1', resolve);
    });
    closing.push(() => server.close());
    const url = `http://127.0.0.1:${(server.address() as { port: number }).port}/`;
    const ran = await hull(['survey', url, '--browser', 'webkit', '--json', '--fail-on', 'never'], {
      cwd: dir,
      env: withoutChromium(),
    });
    const said = JSON.parse(ran.out);
    expect(said.views.some(({ engine }: { engine: string }) => engine === 'webkit')).toBe(true);
    const errors = said.rules.find(({ code }: { code: string }) => code === 'run.error');
    expect(errors).toMatchObject({ verdict: 'not-judged' });
    const led = await drive('survey', url, '--browser', 'webkit', '--resolve', 'a.example=127.0.0.1:443');
    expect(led.code).toBe(2);
    expect(led.err).toContain('WebKit’s driver cannot be led to other addresses');
  });
});

describe('pages on their way to an engine that has no app’s window', () => {
  const change = asAppWindow({
    mode: () => 'standalone',
    insets: () => ({ top: 47, right: 0, bottom: 34, left: 0 }),
    script: () => 'note()',
  });

  it('find the insets of the screen, with and without a fallback', () => {
    expect(
      change(
        'text/css',
        'a{padding:env(safe-area-inset-top) env( safe-area-inset-bottom , calc(1px + 2px))}',
      ),
    ).toBe('a{padding:47px 34px}');
    expect(change('text/css', 'a{top:env(titlebar-area-y)}')).toBe('a{top:env(titlebar-area-y)}');
  });

  it('keep what comes before the head, and get the script first in it', () => {
    const changed = (html: string) => change('text/html', html).replace(/<script>.*?<\/script>/s, '[]');
    expect(changed('<!doctype html>\n<html lang=en><head data-a="1"><title>x</title>')).toBe(
      '<!doctype html>\n<html lang=en><head data-a="1">[]<title>x</title>',
    );
    expect(changed('<!DOCTYPE html><title>x</title><header>y</header>')).toBe(
      '<!DOCTYPE html>[]<title>x</title><header>y</header>',
    );
    expect(changed('<p>x')).toBe('[]<p>x');
  });
});

describe('hull try in WebKit', () => {
  readerTest(
    'WebKitWebDriver',
    'opens pages, is touched, goes back and turns, and says what it cannot do',
    async () => {
      const own = temporaryFolder();
      writeFiles(own, {
        'site/index.html': `<!doctype html><html lang="en"><meta name="viewport" content="width=device-width"><title>Start</title>
<body style="margin:0"><a href="/pier.html" style="display:block;height:300px;background:rgb(0,120,0)">Pier</a><input id="field" style="display:block;width:100%;height:80px"><script>console.error('said once')</script>`,
        'site/pier.html': '<!doctype html><title>Pier</title><body style="background:rgb(0,0,200)">Pier',
        'site/icon.svg': ICON,
        'hull.json': JSON.stringify({
          app: { id: ID, name: 'Ferry', version: '1.0.0', build: 1 },
          web: { folder: 'site' },
          look: { icon: 'site/icon.svg' },
        }),
      });
      const events: TryEvent[] = [];
      const session = await WebKitTrySession.start(await openProjectApp(readProject(own)), {
        webkit: {
          programs: findWebKit(undefined, process.env.PATH ?? '', 'engine'),
          environment: { PATH: process.env.PATH ?? '', HOME: process.env.HOME ?? '' },
        },
        onEvent: (event) => events.push(event),
      });
      try {
        await session.launchApp();
        const { page } = session.plan();
        const size = async () => {
          const { width, height } = await sharp(await session.picture()).metadata();
          return [width / 2, height / 2];
        };
        expect(await size()).toEqual([page.width, page.height]);
        expect(events.filter(({ is }) => is === 'frame').length).toBeGreaterThan(0);
        expect(events).toContainEqual({ is: 'console', level: 'error', text: 'said once' });
        await session.touch('start', 100, 100);
        await session.touch('end', 102, 101);
        await expect.poll(() => session.state().url, { timeout: 10_000 }).toMatch(/pier\.html$/);
        const { dominant } = await sharp(await session.picture()).stats();
        expect(dominant.b).toBeGreaterThan(150);
        await session.back();
        expect(session.state().url).not.toMatch(/pier/);
        await session.setScreen('phone', 'landscape');
        expect((await size())[0]).toBe(session.plan().page.width);
        await session.back();
        expect(session.state().shows).toBe('home');
        expect(() => session.setNetwork()).toThrow(/cannot slow or cut the network/);
        expect(events.some((event) => event.is === 'request' && event.request.from === 'package')).toBe(true);
      } finally {
        await session.close();
      }
      const steps = join(own, 'steps.json');
      writeFiles(own, { 'steps.json': '{ "steps": [{ "start": true }] }' });
      const refused = await hull(['try', '--engine', 'webkit', '--steps', steps], { cwd: own });
      expect([refused.code, refused.err]).toEqual([2, expect.stringContaining('Steps are done in Chromium')]);
    },
  );
});
