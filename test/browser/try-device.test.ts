import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { readProject } from '../../src/core/project/project.js';
import type { TryEvent } from '../../src/core/try/events.js';
import { openProjectApp } from '../../src/core/try/project-app.js';
import { type SessionOptions, TrySession } from '../../src/core/try/session.js';
import { hull } from '../support/hull.js';
import { reader } from '../support/readers.js';
import { ID, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** What a device does to an app that runs from its package: settings, shares, windows, memory, updates. */

const SITE = {
  'site/index.html': `<!doctype html><html lang="en"><meta name="viewport" content="width=device-width, viewport-fit=cover"><title>Start</title>
<style>body { padding-top: env(safe-area-inset-top); font: 16px sans-serif } html { -webkit-text-size-adjust: 100% }</style>
<h1 id="title">Start</h1><p id="said"></p><span id="word">Saltmarsh</span>
<button onclick="window.open('https://sign-in.example/', '', 'width=300,height=300')">Sign in</button>
<button onclick="window.open('/pier.html', '', 'width=300,height=300')">Small window</button>
<a href="/pier.html" target="_blank">New tab inside</a> <a href="https://elsewhere.example/" target="_blank">New tab outside</a>
<button onclick="const one = window.open('', '_blank'); one.location = 'https://elsewhere.example/blank'">Blank first</button>
<a href="/missing.html">Missing</a>
<script>localStorage.setItem('route', 'north'); sessionStorage.setItem('draft', '1'); document.cookie = 'pier=heron; max-age=9999';
document.getElementById('said').textContent = navigator.language + ' ' + location.search;</script>`,
  'site/pier.html':
    '<!doctype html><title>Pier</title><h1>Pier</h1><button onclick="window.close()">Close it</button>',
  'site/share.html':
    '<!doctype html><title>Shared</title><h1>Shared</h1><p id="got"></p><script>got.textContent = location.search</script>',
  'site/icon.svg':
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>',
};
const CONFIG = {
  app: { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/', errors: { not_found: 'shell' } },
  look: { icon: 'site/icon.svg', theme_color: '#0b4f6c', window: { edges: 'cover' } },
  shortcuts: [{ name: 'Nearest pier', url: '/pier.html' }],
  share_target: { action: '/share.html', params: { title: 'name', text: 'words', url: 'from' } },
};

const EXECUTABLE = reader('chromium') as string;
let session: TrySession;
let events: TryEvent[];
afterEach(() => session?.close());

function project(config: object = CONFIG, files: Readonly<Record<string, string>> = SITE): string {
  const dir = temporaryFolder();
  writeFiles(dir, { ...files, 'hull.json': JSON.stringify(config) });
  return dir;
}

async function start(dir: string, more: Partial<SessionOptions> = {}): Promise<TrySession> {
  events = [];
  session = await TrySession.start(await openProjectApp(readProject(dir)), {
    browser: { executable: EXECUTABLE },
    onEvent: (event) => events.push(event),
    ...more,
  });
  return session;
}
const text = (selector = 'h1') => session.page?.textContent(selector) ?? Promise.resolve(null);
const told = <K extends TryEvent['is']>(is: K) =>
  events.filter((event): event is Extract<TryEvent, { is: K }> => event.is === is);

describe('a device', () => {
  it('draws text larger, also where the page says otherwise', async () => {
    await start(project());
    await session.launchApp();
    const width = () =>
      session.page?.evaluate(() => document.querySelector('#word')?.getBoundingClientRect().width ?? 0);
    const usual = (await width()) as number;
    await session.setTextSize(200);
    await expect.poll(width).toBeGreaterThan(usual * 1.8);
    await session.launchApp();
    await expect.poll(width).toBeGreaterThan(usual * 1.8);
    await session.setTextSize(100);
    await expect.poll(width).toBeCloseTo(usual, 0);
  }, 30_000);

  it('speaks another language, and has pages know what covers them', async () => {
    await start(project(), { settings: { language: 'de-DE' } });
    await session.launchApp();
    expect(await text('#said')).toMatch(/^de-DE/);
    await session.setLanguage('fr-fr');
    await expect.poll(() => text('#said')).toMatch(/^fr-FR/);
    expect(await session.page?.evaluate(() => new Intl.NumberFormat().resolvedOptions().locale)).toBe(
      'fr-FR',
    );
    await expect(session.setLanguage('not a tag')).rejects.toMatchObject({ code: 'try.bad-steps' });
    const padding = () => session.page?.evaluate(() => getComputedStyle(document.body).paddingTop);
    expect(await padding()).toBe(`${session.plan().safeArea.top}px`);
    expect(await padding()).toBe('40px');
  }, 30_000);

  it('ends an app that it needs the memory of, and finds it again where it was', async () => {
    await start(project());
    await session.launchApp();
    await session.openLink('/pier.html').catch(() => undefined);
    await session.launchApp('https://ferry.saltmarsh.example/pier.html');
    await session.endProcess();
    expect(session.state()).toMatchObject({
      shows: 'home',
      runs: false,
      url: expect.stringContaining('/pier.html'),
    });
    await session.resume();
    expect(await text()).toBe('Pier');
    await session.back();
    expect(await text()).toBe('Start');
    const stored = await session.stored();
    expect(stored.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
      'localStorage route',
      'sessionStorage draft',
      'cookie pier',
    ]);
    await session.back();
    expect(session.state().shows).toBe('home');
  }, 30_000);

  it('keeps what pages have stored over an update', async () => {
    await start(project());
    await session.launchApp();
    const files = { ...SITE, 'site/index.html': '<!doctype html><title>New</title><h1>New</h1>' };
    const next = await openProjectApp(
      readProject(project({ ...CONFIG, app: { ...CONFIG.app, version: '1.1.0', build: 2 } }, files)),
    );
    await session.update(next);
    expect(session.state()).toMatchObject({ shows: 'home', runs: false, url: undefined });
    await session.resume();
    expect(await text()).toBe('New');
    expect(await session.stored()).toContainEqual({ kind: 'localStorage', name: 'route', value: 'north' });
    expect(session.app.version).toBe('1.1.0');
  }, 30_000);
});

describe('what comes from other apps', () => {
  it('arrives: shares, and entries of the icon’s menu', async () => {
    await start(project());
    expect(await session.share({ title: 'A pier', text: 'Come & see' })).toBeUndefined();
    expect(await text('#got')).toBe('?name=A+pier&words=Come+%26+see');
    await session.share({ text: ' https://ferry.saltmarsh.example/x ' });
    expect(await text('#got')).toBe('?from=https%3A%2F%2Fferry.saltmarsh.example%2Fx');
    expect(
      await session.share({ file: { name: 'a.png', type: 'image/png', bytes: new Uint8Array(3) } }),
    ).toContain('no files of the type image/png');
    await session.openShortcut('Nearest pier');
    expect(await text()).toBe('Pier');
    await expect(session.openShortcut('Nowhere')).rejects.toMatchObject({ message: /has no "Nowhere"/ });
    await session.update(await openProjectApp(readProject(project({ ...CONFIG, share_target: undefined }))));
    expect(await session.share({ text: 'x' })).toContain('not among those');
  }, 30_000);

  it('arrives: a file, in a form that a worker takes', async () => {
    const target = {
      action: '/take',
      method: 'POST',
      enctype: 'multipart/form-data',
      params: { text: 'words', files: [{ name: 'picture', accept: ['image/*'] }] },
    };
    await start(
      project(
        { ...CONFIG, share_target: target },
        {
          ...SITE,
          'site/index.html':
            '<!doctype html><title>Start</title><h1>Start</h1><script>navigator.serviceWorker.register("/sw.js")</script>',
          'site/sw.js': `self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(clients.claim()));
self.addEventListener('fetch', (event) => {
  if (event.request.method !== 'POST') return;
  event.respondWith(event.request.formData().then(async (data) => {
    const file = data.get('picture');
    return new Response('<h1>' + data.get('words') + ' ' + file.name + ' ' + (await file.arrayBuffer()).byteLength + '</h1>', { headers: { 'content-type': 'text/html' } });
  }));
});`,
        },
      ),
    );
    await session.launchApp();
    await session.page?.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
    await session.share({
      text: 'look',
      file: { name: 'pier.png', type: 'image/png', bytes: new Uint8Array(4321) },
    });
    await expect.poll(() => text(), { timeout: 10_000 }).toBe('look pier.png 4321');
  }, 30_000);
});

describe('windows of pages', () => {
  it('are shown over the app where they are windows, and followed where they are links', async () => {
    await start(project());
    await session.launchApp();
    await session.page?.click('text=Small window');
    await expect.poll(() => session.state().window, { timeout: 5000 }).toContain('/pier.html');
    await expect.poll(() => text()).toBe('Pier');
    await session.page?.click('text=Close it');
    await expect.poll(() => session.state().window).toBeUndefined();
    await session.page?.click('text=Small window');
    await expect.poll(() => session.state().window, { timeout: 5000 }).toContain('/pier.html');
    await session.back();
    await expect.poll(() => session.state().window).toBeUndefined();
    expect(await text()).toBe('Start');
    await session.page?.click('text=New tab outside');
    await expect.poll(() => told('outside')).toMatchObject([{ url: 'https://elsewhere.example/' }]);
    expect(await text()).toBe('Start');
    await session.page?.click('text=Blank first');
    await expect
      .poll(() => told('outside').map(({ url }) => url), { timeout: 10_000 })
      .toContain('https://elsewhere.example/blank');
    await session.page?.click('text=New tab inside');
    await expect.poll(() => text(), { timeout: 5000 }).toBe('Pier');
    expect(session.state()).toMatchObject({ window: undefined, url: expect.stringContaining('/pier.html') });
  }, 30_000);
});

describe('pages that do not come', () => {
  let server: Server;
  let address: string;
  let status = 200;
  beforeAll(async () => {
    server = createServer((_request, response) => {
      response.writeHead(status, { 'content-type': 'text/html' });
      response.end('<!doctype html><title>Hosted</title><h1>Hosted</h1>');
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  });
  afterAll(() => server?.close());

  it('are answered by the shell, in the language of the device, and tried again', async () => {
    const config = { ...CONFIG, web: { folder: 'site', errors: CONFIG.web.errors } };
    await start(project(config), { settings: { language: 'de-DE' } });
    await session.launchApp();
    await session.page?.click('text=Missing');
    await expect.poll(() => text()).toBe('Seite nicht gefunden');
    expect(told('trouble')).toMatchObject([{ why: 'notFound' }]);
  }, 30_000);

  it('are answered by the shell where a host does not', async () => {
    const { folder: _folder, ...web } = CONFIG.web;
    const hosted = (url: string, errors: object) =>
      project({
        ...CONFIG,
        web: { ...web, url, insecure: { [new URL(url).origin]: 'A test on this computer.' }, errors },
      });
    await start(hosted(address, { server: 'shell' }));
    await session.launchApp();
    expect(await text()).toBe('Hosted');
    status = 503;
    await session.launchApp();
    await expect.poll(() => text()).toBe('Not working right now');
    status = 200;
    await session.page?.click('a');
    await expect.poll(() => text()).toBe('Hosted');
    await session.setNetwork('off');
    await session.launchApp();
    await expect.poll(() => text()).toBe('No connection');
    await session.setNetwork('on');
    await session.page?.click('a');
    await expect.poll(() => text()).toBe('Hosted');
    await session.close();

    await start(hosted('http://127.0.0.1:9/', {}));
    await session.launchApp();
    await expect.poll(() => text(), { timeout: 10_000 }).toBe('No connection');
  }, 40_000);
});

describe('hull try', () => {
  it('updates from an older package, and refuses that of another app', async () => {
    const dir = project();
    const other = project({ ...CONFIG, app: { ...CONFIG.app, id: 'example.saltmarsh.other' } });
    for (const cwd of [dir, other]) {
      expect((await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd })).code).toBe(0);
      expect((await hull(['pack', 'apk'], { cwd })).code).toBe(0);
    }
    const older = join(dir, 'out', `${ID}-1.0.0-1.apk`);
    writeFiles(dir, {
      'site/index.html': readFileSync(join(dir, 'site/index.html'), 'utf8').replaceAll('Start', 'Newer'),
      'steps.json': JSON.stringify({
        steps: [
          { start: true, see: 'Start', stored: 'route' },
          { update: true },
          { start: true, see: 'Newer', stored: 'route' },
          { shortcut: 'Nearest pier', at: '/pier.html' },
          { end_process: true },
          { resume: true, see: 'Pier', text_size: 130, language: 'de-DE' },
          { share: { text: 'Hello' }, at: '/share.html?words=Hello' },
        ],
      }),
    });
    const ran = await hull(['try', '--from', older, '--steps', 'steps.json', '--json'], { cwd: dir });
    expect(ran.code, ran.out + ran.err).toBe(0);
    const wrong = [
      'try',
      '--from',
      join(other, 'out', 'example.saltmarsh.other-1.0.0-1.apk'),
      '--png',
      'x.png',
    ];
    refusedWith(await hull(wrong, { cwd: dir }), 'try.other-app');
    refusedWith(
      await hull(['try', '--language', 'no tag', '--png', 'x.png'], { cwd: dir }),
      'app.bad-language',
    );
    refusedWith(
      await hull(['try', '--store', 'http://elsewhere.example', '--png', 'x.png'], { cwd: dir }),
      'cli.usage',
    );
  }, 60_000);
});
