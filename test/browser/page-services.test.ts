import type { Browser, Page } from 'playwright-core';
import { chromium } from 'playwright-core';
import { afterAll, beforeAll, describe, expect } from 'vitest';
import { pageScript } from '../../src/core/packaging/page-script.js';
import { portScript } from '../../src/core/platforms/android/app/page-port.js';
import { host } from '../support/host.js';
import { reader, readerTest, THOROUGH } from '../support/readers.js';

/** The page half of what the shell gives pages, in a real browser that has been made as poor as a web view. */

const MARKUP: Readonly<Record<string, string>> = {
  '/': `<!doctype html><title>Ticket F-1234</title><meta charset="utf-8">
    <style>.app { color: red } @media (display-mode: standalone) { .app { color: green } }
      @media (display-mode: browser) { .offer { display: block } } @media not all and (display-mode: browser) { .offer { display: none } }</style>
    <link rel="stylesheet" href="/late.css">
    <p class="app wide">App</p><p class="offer">Install our app</p>`,
  '/late.css':
    '@import url("/deep.css"); @media (DISPLAY-MODE : fullscreen), (display-mode: standalone) and (min-width: 1px) { .wide { font-weight: 700 } }',
  '/deep.css': '@media (display-mode: standalone) { @supports (display: block) { .wide { opacity: 0.5 } } }',
};

/** What a receiver notes of what it is told; `states` answer for permissions. */
const NOTES = `
  window.told = []; window.states = { camera: 'prompt', bluetooth: 'denied', 'clipboard-read': 'prompt' };
  window.taken = {};
  delete Navigator.prototype.share; delete Navigator.prototype.canShare;`;

/** How pages reach the shell: by an object that a token opens, or by the engine's own messages. */
const RECEIVERS = {
  token: `${NOTES} window.hullServices = {
    state: (name) => states[name] || '',
    take: (token, number, data) => { (taken[number] = taken[number] || []).push(data.length); return token === 'token'; },
    call: (token, number, what, json) => { told.push([token, number, what, JSON.parse(json)]); },
  };`,
  port: `${NOTES} if (window === top) window.hullPort = window.hullPort || {
    postMessage(text) {
      const [number, what, ...given] = JSON.parse(text);
      const reply = (value) => { setTimeout(() => this.onmessage({ data: JSON.stringify([number, value]) })); };
      if (what === 'state') reply(states[given[0]] || '');
      if (what === 'take') { (taken[given[0]] = taken[given[0]] || []).push(given[1].length); reply(true); }
      if (what === 'call') told.push(['token', given[0], given[1], JSON.parse(given[2])]);
    },
  };
  (${portScript({ notifies: true, plays: false })})('');`,
} as const;
type Way = keyof typeof RECEIVERS;
const SCRIPTS = { downloads: 'shell', clipboard: 'shell' } as const;

let browser: Browser | undefined;
let base: string;

beforeAll(async () => {
  const executablePath = reader('chromium');
  if (executablePath === undefined) return;
  browser = await chromium.launch({ executablePath, args: ['--no-sandbox', '--disable-gpu'] });
  const start = await host((request, response) => {
    const path = new URL(request.url ?? '/', 'http://localhost').pathname;
    const strict = path === '/strict';
    response.writeHead(200, {
      'content-type': path.endsWith('.css') ? 'text/css' : 'text/html',
      ...(strict ? { 'content-security-policy': "default-src 'self'; script-src 'self' 'unsafe-eval'" } : {}),
    });
    response.end(MARKUP[path] ?? '<!doctype html><title>Strict</title>');
  });
  base = start.replace(/\/$/, '');
});

afterAll(async () => {
  await browser?.close();
});

/** A page in the shell, which its pages reach in a way. @param early whether the script is there before the page's own, as in packed pages */
async function open(
  path = '/',
  mode: 'standalone' | 'fullscreen' | 'minimal-ui' = 'standalone',
  early = true,
  way: Way = 'token',
): Promise<Page> {
  const RECEIVER = RECEIVERS[way];
  const page = await (browser as Browser).newPage();
  if (early) await page.addInitScript(`${RECEIVER};${pageScript(mode, SCRIPTS)}`);
  await page.goto(`${base}${path}`);
  if (!early) await page.evaluate(`${RECEIVER};${pageScript(mode, SCRIPTS)}`);
  // The shell runs it twice: when the page is begun, and when it is seen.
  await page.evaluate(pageScript(mode, SCRIPTS));
  await page.evaluate("hullKept.open('token')");
  return page;
}

/** Runs something as after a touch. */
async function touched(page: Page, script: string): Promise<void> {
  await page.evaluate(`onclick = () => { window.outcome = Promise.resolve().then(() => ${script})
    .then((value) => ['done', value], (error) => [error.name, error.message]); }`);
  await page.mouse.click(5, 5);
}

const outcome = (page: Page) => page.evaluate<[string, unknown]>('outcome');

/** For what does not depend on the way: tried by both in thorough runs alone. */
const onlyOnce = (way: Way): typeof readerTest =>
  way === 'token' || THOROUGH ? readerTest : () => undefined;

describe.each(['token', 'port'] as const)('sharing, by %s', (way) => {
  const onceTest = onlyOnce(way);
  readerTest('chromium', 'is there as in a browser, and hands a text to the shell', async () => {
    const page = await open('/', 'standalone', true, way);
    expect(await page.evaluate('typeof navigator.share + typeof navigator.canShare')).toBe(
      'functionfunction',
    );
    await touched(page, "navigator.share({ title: 'Ferry', url: '/pier#2' })");
    await expect
      .poll(() => page.evaluate('told'))
      .toEqual([['token', 1, 'share', { title: 'Ferry', text: '', url: `${base}/pier#2`, files: [] }]]);
    await page.evaluate("hullKept.answer(1, '')");
    expect(await outcome(page)).toEqual(['done', undefined]);
    await page.close();
  });

  readerTest('chromium', 'sends files in slices, and tells what became of them', async () => {
    const page = await open('/', 'standalone', true, way);
    await touched(
      page,
      "navigator.share({ files: [new File([new Uint8Array(500000)], 'plan.png', { type: 'image/png' }), new File([], 'empty.txt', { type: 'text/plain' })] })",
    );
    await expect.poll(() => page.evaluate('told.length')).toBe(1);
    const [, number, , details] =
      await page.evaluate<[string, number, string, { files: unknown[] }]>('told[0]');
    expect(details.files).toEqual([
      { number: 1, name: 'plan.png', type: 'image/png' },
      { number: 2, name: 'empty.txt', type: 'text/plain' },
    ]);
    const slices = await page.evaluate<number[]>('taken[1]');
    expect(slices).toHaveLength(3);
    // Base64 of at most 192 KB, behind "data:image/png;base64,".
    expect(Math.max(...slices)).toBeLessThan(192 * 1024 * (4 / 3) + 64);
    expect(await page.evaluate('taken[2]')).toBeUndefined();
    await page.evaluate(`hullKept.answer(${number}, '', 'AbortError')`);
    expect((await outcome(page))[0]).toBe('AbortError');
    await page.close();
  });

  onceTest('chromium', 'refuses what the standard refuses', async () => {
    const page = await open('/', 'standalone', true, way);
    const can = (data: string) => page.evaluate<boolean>(`navigator.canShare(${data})`);
    expect(await can("{ text: '' }")).toBe(true);
    expect(await can('{}')).toBe(false);
    expect(await can('undefined')).toBe(false);
    expect(await can('{ files: [] }')).toBe(false);
    expect(await can("{ url: 'file:///etc/passwd' }")).toBe(false);
    expect(await can("{ url: 'https://[' }")).toBe(false);
    const name = (script: string) =>
      page.evaluate<string>(`${script}.then(() => 'shared', (error) => error.name)`);
    expect(await name('navigator.share({})')).toBe('TypeError');
    await page.evaluate(
      "Object.defineProperty(navigator, 'userActivation', { value: { isActive: false }, configurable: true })",
    );
    expect(await name("navigator.share({ text: 'x' })")).toBe('NotAllowedError');
    await page.evaluate('delete navigator.userActivation');
    await touched(
      page,
      "Promise.all([navigator.share({ text: 'a' }), navigator.share({ text: 'b' }).catch((error) => error.name)])",
    );
    await expect.poll(() => page.evaluate('told.length')).toBe(1);
    await page.evaluate("hullKept.answer(1, '')");
    expect(await outcome(page)).toEqual(['done', [undefined, 'InvalidStateError']]);
    await page.close();
  });

  onceTest('chromium', 'leaves alone what the engine has itself', async () => {
    const page = await (browser as Browser).newPage();
    await page.addInitScript(
      `${RECEIVERS[way]}; navigator.share = window.own = () => 'own'; ${pageScript('standalone', SCRIPTS)}`,
    );
    await page.goto(base);
    expect(await page.evaluate('navigator.share === own')).toBe(true);
    await page.close();
  });

  readerTest('chromium', 'is not given to frames', async () => {
    const page = await open('/', 'standalone', true, way);
    await page.evaluate(
      "new Promise((done) => { const frame = document.createElement('iframe'); frame.src = '/'; frame.onload = done; document.body.append(frame); })",
    );
    expect(await page.frames()[1]?.evaluate('typeof navigator.share')).toBe('undefined');
    await page.close();
  });
});

describe.each(['token', 'port'] as const)('what else browsers do, by %s', (way) => {
  const onceTest = onlyOnce(way);
  onceTest('chromium', 'printing tells the page before and after', async () => {
    const page = await open('/', 'standalone', true, way);
    await page.evaluate(
      "window.events = []; for (const name of ['beforeprint', 'afterprint']) addEventListener(name, () => events.push(name)); print()",
    );
    expect(await page.evaluate('events')).toEqual(['beforeprint']);
    expect(await page.evaluate('told')).toEqual([['token', 1, 'print', { title: 'Ticket F-1234' }]]);
    await page.evaluate("hullKept.answer(1, '')");
    await expect.poll(() => page.evaluate('events')).toEqual(['beforeprint', 'afterprint']);
    await page.close();
  });

  readerTest(
    'chromium',
    'permissions are what the shell says, and the rest what the engine says',
    async () => {
      const page = await open('/', 'standalone', true, way);
      const state = (name: string) =>
        page.evaluate<string>(
          `navigator.permissions.query({ name: '${name}' }).then(({ name, state }) => name + ' ' + state, (error) => error.name)`,
        );
      expect(await state('camera')).toBe('camera prompt');
      expect(await state('bluetooth')).toBe('bluetooth denied');
      expect(await state('persistent-storage')).toMatch(/ (?:prompt|granted|denied)$/);
      expect(await state('no-such-thing')).toBe('TypeError');
      await page.evaluate("states.camera = 'granted'");
      expect(await state('camera')).toBe('camera granted');
      await page.close();
    },
  );

  onceTest('chromium', 'permissions are there where the engine has none', async () => {
    const page = await (browser as Browser).newPage();
    await page.addInitScript(
      `${RECEIVERS[way]}; delete Navigator.prototype.permissions; ${pageScript('standalone', SCRIPTS)}`,
    );
    await page.goto(base);
    expect(
      await page.evaluate("navigator.permissions.query({ name: 'camera' }).then(({ state }) => state)"),
    ).toBe('prompt');
    expect(
      await page.evaluate("navigator.permissions.query({ name: 'x' }).catch((error) => error.name)"),
    ).toBe('TypeError');
    await page.close();
  });

  readerTest('chromium', 'the clipboard is asked of the shell where the app declares it', async () => {
    const page = await open('/', 'standalone', true, way);
    await page.evaluate('window.read = navigator.clipboard.readText(); 0');
    await expect.poll(() => page.evaluate('told.map(([, , what]) => what)')).toEqual(['clipboard']);
    await page.evaluate("hullKept.answer(1, 'F-1234')");
    expect(await page.evaluate('read')).toBe('F-1234');
    await page.close();
  });

  onceTest('chromium', 'a blob can be kept where the page’s policy forbids fetching it', async () => {
    const page = await open('/strict', 'standalone', true, way);
    const kept = await page.evaluate(`(async () => {
      const url = URL.createObjectURL(new Blob(['07:30'], { type: 'text/plain' }));
      const fetched = await fetch(url).then(() => true, () => false);
      const text = await hullKept.blob(url).text();
      URL.revokeObjectURL(url);
      return [fetched, text, hullKept.blob(url) === undefined];
    })()`);
    expect(kept).toEqual([false, '07:30', true]);
    await page.close();
  });
});

describe('display-mode', () => {
  const styles = (page: Page) =>
    page.evaluate<string[]>(`(() => { const of = (name) => getComputedStyle(document.querySelector(name));
      return [of('.app').color, of('.offer').display, of('.wide').fontWeight, of('.wide').opacity]; })()`);
  const APP = ['rgb(0, 128, 0)', 'none', '700', '0.5'];

  for (const early of [true, false]) {
    readerTest('chromium', `is the app’s in style sheets, ${early ? 'early' : 'late'}`, async () => {
      const page = await open('/', 'standalone', early);
      await expect.poll(() => styles(page)).toEqual(APP);
      await page.close();
    });
  }

  readerTest('chromium', 'is the app’s in sheets that scripts add', async () => {
    const page = await open('/strict');
    await page.evaluate(`(() => {
      document.body.innerHTML = '<p class="late">Late</p>';
      const link = Object.assign(document.createElement('link'), { rel: 'stylesheet', href: '/', media: '(display-mode: browser)' });
      document.head.append(link);
    })()`);
    await page.evaluate(
      "document.head.append(Object.assign(document.createElement('style'), { textContent: 'p { }' }))",
    );
    const other = await open();
    await other.evaluate(
      "document.head.append(Object.assign(document.createElement('style'), { textContent: '@media (display-mode: standalone) { .app { color: blue } }' }))",
    );
    await expect.poll(async () => (await styles(other))[0]).toBe('rgb(0, 0, 255)');
    await page.close();
    await other.close();
  });

  readerTest('chromium', 'is the app’s in scripts', async () => {
    for (const mode of ['standalone', 'fullscreen', 'minimal-ui'] as const) {
      const page = await open('/', mode);
      const asked = await page.evaluate(`['standalone', 'fullscreen', 'minimal-ui', 'browser']
        .filter((name) => matchMedia('(display-mode: ' + name + ')').matches)`);
      expect(asked).toEqual([mode]);
      expect(await page.evaluate("matchMedia('(display-mode: browser)').media")).toBe(
        '(display-mode: browser)',
      );
      expect(await page.evaluate("matchMedia('not all and (display-mode: browser)').matches")).toBe(true);
      expect(await page.evaluate("matchMedia('(min-width: 1px)').media")).toBe('(min-width: 1px)');
      await page.close();
    }
  });
});
