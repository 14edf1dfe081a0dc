import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { resolveApp } from '../../../src/core/app/app.js';
import { proposeProject } from '../../../src/core/begin/begin.js';
import { renderConfig } from '../../../src/core/begin/render.js';
import type { BeginAnswers, BeginKey } from '../../../src/core/begin/values.js';
import { readProject } from '../../../src/core/project/project.js';
import { crawlSite } from '../../../src/core/site/crawl.js';
import { listWebFolder } from '../../../src/core/site/folder.js';
import { readFolderSite } from '../../../src/core/site/read-folder.js';
import { FOLDER_ROOT } from '../../../src/core/site/web-source.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { host } from '../../support/host.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

/** Addresses good and bad, and any text at all. */
const text = fc.oneof(
  fc.constantFrom(
    'http://[',
    '//',
    '%zz',
    '/%',
    'https://a.example/%e0',
    '../..',
    'javascript:0',
    'data:,x',
    '\\\\x',
    '?',
    '#',
    '',
  ),
  fc.string({ unit: 'grapheme', maxLength: 30 }),
  fc.webUrl(),
);

const ICON = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"/></svg>';

async function fromFolder(files: Record<string, string>, answers: BeginAnswers = {}) {
  const dir = temporaryFolder();
  writeFiles(dir, Object.fromEntries(Object.entries(files).map(([path, text]) => [`site/${path}`, text])));
  return proposeProject(
    await readFolderSite(await listWebFolder(`${dir}/site`), { base: FOLDER_ROOT }),
    dir,
    `${dir}/site`,
    answers,
  );
}

const value = (proposal: Awaited<ReturnType<typeof fromFolder>>, key: BeginKey) =>
  proposal.found.get(key)?.value;

describe('the name of the app', () => {
  const name = async (files: Record<string, string>) => {
    const proposal = await fromFolder(files);
    return [value(proposal, 'app.name'), value(proposal, 'app.short_name')];
  };

  it('is what the site calls itself, rather than the title of a page', async () => {
    const site = '<meta property="og:site_name" content="Saltmarsh Ferry">';
    expect(await name({ 'index.html': `${site}<title>Timetable today</title>` })).toEqual([
      'Saltmarsh Ferry',
      'Saltmarsh',
    ]);
    expect(await name({ 'index.html': '<title>Home | Eel Quay</title>' })).toEqual(['Eel Quay', undefined]);
    const pages = {
      'index.html': '<title>All sailings – Island boats</title>',
      'piers.html': '<title>Piers – Island boats</title>',
    };
    expect(await name(pages)).toEqual(['Island boats', undefined]);
  });

  it('is cut between words, and keeps its letters', async () => {
    const title = '<title>The timetable of the boats between all of the islands</title>';
    expect(await name({ 'index.html': title })).toEqual(['The timetable of the boats', undefined]);
    expect(await name({ 'index.html': '<title>Fährverbindungsauskunftsstelle der Inseln</title>' })).toEqual([
      'Fährverbindungsauskunftsstelle',
      undefined,
    ]);
  });
});

describe('what begin proposes', () => {
  it('passes by what is wrong in a manifest, and says so', async () => {
    const proposal = await fromFolder({
      'index.html': '<link rel="manifest" href="m.json"><title>Ferry</title>',
      'm.json':
        '{ "name": 5, "short_name": "Boats", "icons": [{ "src": 7 }, { "src": "a.svg", "sizes": "any" }] }',
      'a.svg': ICON,
    });
    expect(value(proposal, 'app.name')).toBe('Boats');
    expect(value(proposal, 'app.short_name')).toBe('Boats');
    expect(value(proposal, 'look.icon')).toBe('site/a.svg');
    expect(proposal.notes.join('\n')).toContain('The member "name" must be a text. It was left out.');
    const broken = await fromFolder({
      'index.html': '<link rel="manifest" href="m.json"><title>Ferry</title>',
      'm.json': '<!doctype html>',
    });
    expect(value(broken, 'app.name')).toBe('Ferry');
  });

  it('has no icon that cannot be used', async () => {
    const proposal = await fromFolder({
      'index.html': '<link rel="icon" href="a.png" type="image/png" sizes="512x512"><title>Ferry</title>',
      'a.png': '<!doctype html><p>Not here',
    });
    expect(value(proposal, 'look.icon')).toBeUndefined();
    expect(proposal.notes.join('\n')).toContain('/a.png, which is not an image');
  });

  it('gives one reason for what is asked with one question', async () => {
    const { permissions } = await fromFolder({
      'index.html':
        '<title>x</title><script>Notification.requestPermission(); navigator.serviceWorker.ready.then((one) => one.pushManager.subscribe({}));</script>',
    });
    const reasons = permissions
      .filter(({ name }) => /push|notifications/.test(name))
      .map(({ reason }) => reason);
    expect(new Set(reasons).size).toBeLessThan(2);
  });

  it('takes the colour of the header where no page names one', async () => {
    const proposal = await fromFolder({
      'index.html':
        '<title>x</title><style>.never { color: red } .top { position: sticky; top: 0; background: #0b4f6c }</style><header class="top">Ferry</header>',
    });
    expect(value(proposal, 'look.theme_color')).toBe('#0b4f6c');
  });

  it('takes the colours of pages as their styles count, and those of dark screens', async () => {
    const style = `:root { --sand: #f4f1ea; --sea: #0b4f6c }
body { background: var(--sand) } main { background: #fff }
.bar { position: sticky; top: 0; background: var(--sea) }
@media (prefers-color-scheme: dark) { :root { --sand: #0d1a20; --sea: #06202c } }
.old { --sand: #ff0000 }`;
    const page = `<head><title>Ferry</title><style>${style}</style></head><body><header class="bar">Ferry</header><main>Boats leave every forty minutes, from each pier.</main>`;
    const proposal = await fromFolder({ 'index.html': page });
    expect(value(proposal, 'look.background_color')).toBe('#f4f1ea');
    expect(value(proposal, 'look.theme_color')).toBe('#0b4f6c');
    expect(value(proposal, 'look.dark.background_color')).toBe('#0d1a20');
    expect(value(proposal, 'look.dark.theme_color')).toBe('#06202c');
    const text = renderConfig(new Map([...proposal.found].map(([key, found]) => [key, found.value])), 'x');
    expect(JSON.parse(text).look.dark).toEqual({ theme_color: '#06202c', background_color: '#0d1a20' });
    const light = await fromFolder({ 'index.html': page.replace('(prefers-color-scheme: dark)', 'print') });
    expect([...light.found.keys()].filter((key) => key.startsWith('look.dark'))).toEqual([]);
  });
});

describe('shortcuts and what is shared', () => {
  it('are taken from the manifest, where an app can take them', async () => {
    const { entries, notes } = await fromFolder({
      'index.html': '<link rel="manifest" href="app/m.json"><title>Page</title>',
      'app/m.json': JSON.stringify({
        shortcuts: [
          { name: 'Nearest pier', url: '../pier.html?near' },
          { name: 'Weather', url: 'https://weather.saltmarsh.example/' },
          { url: '/nameless' },
          'nonsense',
        ],
        share_target: {
          action: '/shared',
          method: 'post',
          enctype: 'multipart/form-data',
          params: { title: 't', text: 7, files: { name: 'ticket', accept: 'image/*' } },
        },
      }),
    });
    expect(entries.shortcuts).toEqual([{ name: 'Nearest pier', url: './pier.html?near' }]);
    expect(entries.share).toEqual({
      action: './shared',
      method: 'POST',
      enctype: 'multipart/form-data',
      params: { title: 't', files: [{ name: 'ticket', accept: ['image/*'] }] },
    });
    expect(notes.join()).toContain('3 of the manifest’s shortcuts');
  });

  it('are written so that the project holds, also below a path', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'site/index.html':
        '<link rel="manifest" href="m.json"><link rel="canonical" href="https://saltmarsh.example/ferry/">',
      'site/pier.html': '',
      'site/m.json': JSON.stringify({
        name: 'Ferry',
        shortcuts: [{ name: 'Pier', url: 'pier.html' }],
        share_target: { action: 'pier.html', params: { text: 't' } },
      }),
    });
    const site = await readFolderSite(await listWebFolder(`${dir}/site`), { base: FOLDER_ROOT });
    const proposal = proposeProject(site, dir, `${dir}/site`, { 'app.id': 'example.saltmarsh.ferry' });
    const values = new Map([...proposal.found].map(([key, { value }]) => [key, value]));
    writeFiles(dir, { 'hull.json': renderConfig(values, './schema.json', proposal) });
    const app = await resolveApp(readProject(dir));
    expect(app.shortcuts[0]?.url.href).toBe('https://saltmarsh.example/ferry/pier.html');
    expect(app.share?.action.href).toBe('https://saltmarsh.example/ferry/pier.html');
  });
});

describe('a proposal from a folder', () => {
  it('takes what the manifest says, and tells where', async () => {
    const proposal = await fromFolder({
      'index.html': '<link rel="manifest" href="app/m.json"><title>Page</title>',
      'app/m.json': JSON.stringify({
        name: 'Saltmarsh Ferry',
        short_name: 'Ferry',
        start_url: '../?from=app',
        display: 'standalone',
        theme_color: 'teal',
        background_color: 'nonsense',
        icons: [{ src: 'i.svg' }],
      }),
      'app/i.svg': ICON,
    });
    expect(value(proposal, 'app.name')).toBe('Saltmarsh Ferry');
    expect(value(proposal, 'web.start')).toBe('/?from=app');
    expect(value(proposal, 'look.theme_color')).toBe('#008080');
    expect(value(proposal, 'look.icon')).toBe('site/app/i.svg');
    expect(proposal.found.get('app.name')?.origin).toContain('m.json /name');
    expect(proposal.notes.join()).toContain('nonsense');
    expect(proposal.missing.map((item) => item.key)).toEqual(['app.id']);
  });

  it('takes what the page says where there is no manifest', async () => {
    const proposal = await fromFolder({
      'index.html':
        '<title>Ferry times</title><meta name="theme-color" content="#0b4f6c"><link rel="canonical" href="https://ferry.saltmarsh.example/x/index.html">',
    });
    expect(value(proposal, 'app.name')).toBe('Ferry times');
    expect(value(proposal, 'web.url')).toBe('https://ferry.saltmarsh.example/x/');
    expect(value(proposal, 'app.id')).toBe('example.saltmarsh.ferry');
    expect(proposal.notes.join()).toContain('No icon');
  });

  it('names what it could not find as the option to give', async () => {
    const proposal = await fromFolder({ 'index.html': '<p>nothing' });
    expect(proposal.missing.map((item) => item.key)).toEqual(['app.id', 'app.name']);
    const given = await fromFolder(
      { 'index.html': '' },
      { 'app.id': 'a.b', 'app.name': 'N', 'web.start': '/deep/page' },
    );
    expect(given.missing).toEqual([]);
    expect(value(given, 'web.start')).toBe('/deep/page');
  });

  it('keeps the start page inside the folder', async () => {
    const files = (start_url: string) => ({
      'index.html': '<link rel="manifest" href="/m.json">',
      'm.json': JSON.stringify({ name: 'x', start_url }),
    });
    await refused('web.start-outside', () => fromFolder(files('../../etc/passwd')));
    // An absolute address is where the app is hosted, so it is one that the folder can answer.
    const hosted = await fromFolder(files('https://ferry.saltmarsh.example/app/?x=1'));
    expect(value(hosted, 'web.url')).toBe('https://ferry.saltmarsh.example/app/');
    expect(value(hosted, 'web.start')).toBe('./?x=1');
    await refused('web.start-outside', () =>
      fromFolder({ 'index.html': '' }, { 'web.start': 'https://elsewhere.example/' }),
    );
    await refused('web.start-outside', () =>
      fromFolder({ 'index.html': '' }, { 'web.start': 'javascript:alert(1)' }),
    );
  });

  it('holds against a manifest and a page of any text', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.record({ start: text, icon: text, name: text, canonical: text, link: text }),
        async ({ start, icon, name, canonical, link }) => {
          const manifest = JSON.stringify({
            name,
            start_url: start,
            icons: [{ src: icon, sizes: '512x512', type: 'image/png' }],
          });
          const page = `<link rel="manifest" href="m.json"><link rel="canonical" href="${canonical}"><link rel="icon" href="${link}" type="image/png">`;
          await holdsAgainst(() => fromFolder({ 'index.html': page, 'm.json': manifest }));
        },
      ),
      { numRuns: 150 },
    );
  });

  it.each([
    ['nothing said', '', undefined],
    ['a root', '/', 'https://ferry.saltmarsh.example/'],
    ['a query', '/?from=app', 'https://ferry.saltmarsh.example/'],
    ['a page', 'tickets.html', 'https://ferry.saltmarsh.example/'],
    ['a path on its host', '/app/tickets.html', 'https://ferry.saltmarsh.example/app/'],
    ['a page below a path', 'tickets.html?x#y', 'https://ferry.saltmarsh.example/app/'],
    ['the root below a path', '/', 'https://ferry.saltmarsh.example/app/'],
    [
      'a whole address',
      'https://ferry.saltmarsh.example/app/tickets.html',
      'https://ferry.saltmarsh.example/app/',
    ],
    ['a folder without a host', '/deep/', undefined],
  ])('is a project that packing accepts, starting at %s', async (_what, start_url, canonical) => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'site/index.html': `<link rel="manifest" href="m.json">${canonical ? `<link rel="canonical" href="${canonical}">` : ''}`,
      'site/tickets.html': '',
      'site/deep/index.html': '',
      'site/m.json': JSON.stringify({ name: 'Ferry', start_url }),
    });
    const proposal = await proposeProject(
      await readFolderSite(await listWebFolder(`${dir}/site`), { base: FOLDER_ROOT }),
      dir,
      `${dir}/site`,
      {
        'app.id': 'a.b',
      },
    );
    const values = new Map([...proposal.found].map(([key, item]) => [key, item.value]));
    writeFiles(dir, { 'hull.json': renderConfig(values, './schema.json') });
    const app = await resolveApp(readProject(dir));
    expect(app.start.href.startsWith(app.base.href)).toBe(true);
    if (start_url.includes('tickets')) expect(app.start.pathname.endsWith('tickets.html')).toBe(true);
  });

  it('refuses a name that would disguise itself', async () => {
    await refused('config.bad-value', () => fromFolder({ 'index.html': '<title>a\u202egpj.exe</title>' }));
    const fine = await fromFolder({ 'index.html': '<title>مواعيد العبّارة</title>' });
    expect(value(fine, 'app.name')).toBe('مواعيد العبّارة');
  });

  it('is rendered as hull.json in its own order', async () => {
    const proposal = await fromFolder({ 'index.html': '<title>Ferry</title>' }, { 'app.id': 'a.b' });
    const values = new Map([...proposal.found].map(([key, item]) => [key, item.value]));
    const config = JSON.parse(renderConfig(values, './schema.json'));
    expect(config.app).toEqual({ id: 'a.b', name: 'Ferry', version: '1.0.0', build: 1 });
    expect(config.web).toEqual({ folder: 'site', start: '/', fallback: '/index.html' });
  });
});

describe('a proposal from a host', () => {
  it('follows redirects, reads the manifest there, and brings the icon', async () => {
    const base = await host((request, response) => {
      const path = new URL(request.url ?? '/', 'http://x').pathname;
      const answer = (type: string, body: string) =>
        response.writeHead(200, { 'content-type': type }).end(body);
      if (path === '/') response.writeHead(302, { location: '/app/' }).end();
      else if (path === '/app/')
        answer('text/html', '<link rel="manifest" href="m.webmanifest"><title>x</title>');
      else if (path === '/app/m.webmanifest') {
        answer(
          'application/manifest+json',
          JSON.stringify({ name: 'Ferry', icons: [{ src: 'i.svg' }], start_url: './?a=1' }),
        );
      } else if (path === '/app/i.svg') answer('image/svg+xml', ICON);
      else response.writeHead(404).end();
    });
    const proposal = await proposeProject(await crawlSite(new URL(base)), '/tmp/none', undefined, {
      'app.id': 'a.b',
    });
    expect(value(proposal, 'web.url')).toBe(`${base}app/`);
    expect(value(proposal, 'web.start')).toBe('./?a=1');
    expect(proposal.icon?.path).toBe('art/icon.svg');
    expect(Buffer.from(proposal.icon?.bytes ?? []).toString()).toBe(ICON);
    expect(proposal.missing).toEqual([]);
  });

  it('lives on its whole host where it starts elsewhere on it', async () => {
    const base = await host((request, response) => {
      if (request.url === '/app/')
        response.writeHead(200, { 'content-type': 'text/html' }).end('<link rel="manifest" href="m">');
      else
        response
          .writeHead(200, { 'content-type': 'application/json' })
          .end('{"name":"x","start_url":"/home/"}');
    });
    const proposal = await proposeProject(await crawlSite(new URL('app/', base)), '/tmp/none', undefined, {});
    expect(value(proposal, 'web.url')).toBe(base);
    expect(value(proposal, 'web.start')).toBe('/home/');
  });

  it('that answers badly is told apart', async () => {
    const base = await host((request, response) => {
      switch (request.url) {
        case '/loop':
          response.writeHead(302, { location: '/loop' }).end();
          break;
        case '/off':
          response.writeHead(302, { location: 'http://[' }).end();
          break;
        case '/500':
          response.writeHead(500).end('no');
          break;
        case '/picture':
          response.writeHead(200, { 'content-type': 'image/png' }).end('x');
          break;
        case '/endless': {
          response.writeHead(200, { 'content-type': 'text/html' });
          const chunk = Buffer.alloc(1024 * 1024, 'x');
          const more = (): void => {
            while (!response.destroyed && response.write(chunk));
            if (!response.destroyed) response.once('drain', more);
          };
          more();
          break;
        }
        default:
          response.writeHead(404).end();
      }
    });
    const at = (path: string) => () => crawlSite(new URL(path, base));
    await refused('net.redirect-loop', at('loop'));
    await refused('net.unreachable', at('off'));
    await refused('net.http-status', at('500'));
    await refused('net.http-status', at('nowhere'));
    await refused('net.not-html', at('picture'));
    await refused('net.too-large', at('endless'));
    await refused('net.unreachable', () => crawlSite(new URL('http://127.0.0.1:9/')));
  });
});
