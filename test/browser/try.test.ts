import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Browser, chromium, type Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { DEMO_SITE, hull, type Running, startHull } from '../support/hull.js';
import { reader } from '../support/readers.js';
import { ID, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The packed app in a browser, behind the page that shows a device. */

let dir: string;
let file: string;
let browser: Browser;

const CONFIG = {
  app: { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
  look: { icon: 'site/icons/icon.svg' },
  permissions: { geolocation: 'Shows the pier nearest to you.' },
  links: [{ host: 'ferry.saltmarsh.example', paths: ['/*', '!/privacy.html'] }],
};

beforeAll(async () => {
  dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  writeFiles(dir, { 'hull.json': JSON.stringify(CONFIG) });
  const made = await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
  expect(made.code, made.err).toBe(0);
  const packed = await hull(['pack', 'apk'], { cwd: dir });
  expect(packed.code, packed.err).toBe(0);
  file = join(dir, 'out', `${ID}-1.0.0-1.apk`);
  browser = await chromium.launch({ executablePath: reader('chromium') as string, args: ['--no-sandbox'] });
}, 120_000);
afterAll(() => browser?.close());

const write = (steps: readonly object[], more: object = {}) => {
  const name = join(temporaryFolder(), 'steps.json');
  writeFileSync(name, JSON.stringify({ ...more, steps }));
  return name;
};
const trySteps = async (steps: readonly object[], ...options: readonly string[]) => {
  const ran = await hull(['try', file, '--steps', write(steps), '--json', ...options], { cwd: dir });
  expect(ran.out, ran.err).not.toBe('');
  return { ...JSON.parse(ran.out), code: ran.code, err: ran.err };
};

describe('steps', () => {
  it('drive the app from its package: pages, fields, no network, links, back, questions', async () => {
    const png = join(temporaryFolder(), 'pier.png');
    const { code, steps, app } = await trySteps([
      { start: true, see: 'Saltmarsh Ferry' },
      { tap: 'Tickets', at: '/tickets.html', see: 'Ticket wallet' },
      { type: 'SFY-204', into: 'Add a ticket by its code', tap: 'Add ticket', see: 'is in your wallet' },
      { network: 'off', link: '/pier.html', opens: 'app', see: 'Nearest pier' },
      { permit: 'geolocation', tap: 'Find the pier nearest to me', miss: 'stays off' },
      { back: true, at: '/tickets.html' },
      { link: 'https://ferry.saltmarsh.example/privacy.html', opens: 'browser' },
      { link: 'https://elsewhere.example/', opens: 'browser' },
      { turn: 'landscape', scheme: 'dark', see: 'Ticket wallet' },
      { quiet: true, png },
    ]);
    expect(steps.filter(({ result }: { result: string }) => result !== 'passed')).toEqual([]);
    expect(code).toBe(0);
    expect(app).toMatchObject({ kind: 'apk', id: ID });
    expect(readFileSync(png).readUInt32BE(16)).toBeGreaterThan(readFileSync(png).readUInt32BE(20));
  }, 120_000);

  it('of the demo hold, from its package and from its folder', async () => {
    const steps = join(DEMO_SITE, '../steps.json');
    for (const named of [[file], []]) {
      const ran = await hull(['try', ...named, '--steps', steps], { cwd: dir });
      expect(ran.code, ran.out + ran.err).toBe(0);
      expect(ran.out.match(/^passed/gm)).toHaveLength(7);
    }
  }, 60_000);

  it('end at the first that fails, with why and where, and are kept for a build server', async () => {
    const junit = join(temporaryFolder(), 'junit.xml');
    const { code, steps } = await trySteps(
      [{ start: true }, { see: 'No such words', within: 300 }, { tap: 'Tickets' }],
      ...['--junit', junit],
    );
    expect(code).toBe(1);
    expect(steps.map(({ result }: { result: string }) => result)).toEqual(['passed', 'failed', 'skipped']);
    expect(steps[1]).toMatchObject({ why: '"No such words" is not to be seen.', location: { line: 1 } });
    expect(readFileSync(junit, 'utf8')).toContain('failures="1" skipped="1"');
    expect((await trySteps([{ see: 'anything', within: 300 }])).steps[0].why).toBe('The app is not open.');
  }, 60_000);

  it('are refused where they are not as described, and where the package holds no pages', async () => {
    refusedWith(await hull(['try', file, '--steps', write([{ jump: true }])], { cwd: dir }), 'try.bad-steps');
    refusedWith(await hull(['try', 'hull.json'], { cwd: dir }), 'zip.');
    const ran = await hull(['try', file], { cwd: dir, env: { HULL_BROWSER: '/no/such/browser' } });
    refusedWith(ran, 'browser.missing');
  });
});

describe('pages that do what they like', () => {
  it('leave the app for what is outside, and close, open and download without harm', async () => {
    const site = join(temporaryFolder(), 'odd');
    writeFiles(site, {
      'site/index.html': `<!doctype html><html lang="en"><title>Odd</title><h1>Odd</h1>
<a href="https://elsewhere.example/x">Elsewhere</a> <button onclick="window.open('https://popup.example/')">Popup</button>
<button onclick="window.close()">Close</button> <a href="/big.bin" download>Download</a>
<button onclick="alert('Hello')">Greet</button> <button onclick="throw new Error('lost at sea')">Fail</button>`,
      'site/big.bin': 'x'.repeat(5000),
      'hull.json': JSON.stringify({
        app: { id: ID, name: 'Odd', version: '1.0.0', build: 1 },
        web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
      }),
    });
    const run = async (steps: readonly object[]) => {
      const ran = await hull(['try', '--steps', write(steps), '--json'], { cwd: site });
      return JSON.parse(ran.out).steps.map(
        ({ result, why }: { result: string; why: string | null }) => why ?? result,
      );
    };
    expect(
      await run([
        { start: true, see: 'Odd' },
        { tap: 'Elsewhere', left: 'https://elsewhere.example/', at: '/' },
        { tap: 'Popup', left: 'https://popup.example/' },
        { tap: 'Download', left: 'https://ferry.saltmarsh.example/big.bin' },
        { tap: 'Greet' },
        { see: 'Odd', quiet: true },
        { tap: 'Fail' },
        { see: 'Odd', quiet: true },
      ]),
    ).toEqual([...Array(7).fill('passed'), expect.stringContaining('lost at sea')]);
  }, 60_000);
});

interface Tried {
  readonly address: string;
}

describe('the page of hull try', () => {
  let tried: Running<Tried>;
  let page: Page;
  beforeAll(async () => {
    tried = await startHull(dir, 'try', file);
    page = await browser.newPage({ viewport: { width: 1280, height: 860 } });
    await page.goto(tried.document.address);
  }, 60_000);
  afterAll(() => tried?.stop());

  const where = () => page.locator('#where').textContent();
  const drawn = () =>
    page.evaluate(() => {
      const view = document.querySelector('#view') as unknown as { hidden: boolean; width: number };
      return !view.hidden && view.width > 300;
    });

  it('is for those who have its address alone', async () => {
    const { origin } = new URL(tried.document.address);
    expect((await fetch(origin)).status).toBe(401);
    expect(
      (await fetch(tried.document.address, { headers: { 'sec-fetch-site': 'cross-site' } })).status,
    ).toBe(403);
    const closed = page.evaluate(
      (address) =>
        new Promise((resolve) => {
          const socket = new WebSocket(address);
          socket.onclose = () => resolve('closed');
          socket.onmessage = () => resolve('told something');
        }),
      `${origin.replace('http', 'ws')}/live?token=wrong`,
    );
    expect(await closed).toBe('closed');
  });

  it('is used by keyboard alone: starts the app, moves in it, answers, leaves and turns', async () => {
    await expect.poll(() => page.getByRole('button', { name: 'Ferry' }).count()).toBe(1);
    await page.getByRole('button', { name: 'Ferry' }).focus();
    await page.keyboard.press('Enter');
    await expect.poll(drawn, { timeout: 15_000 }).toBe(true);
    expect(await page.evaluate(() => document.activeElement?.id)).toBe('view');
    await page.keyboard.press('F6');
    expect(await page.evaluate(() => document.activeElement?.id)).toBe('back');

    await page.getByLabel('Open a link').focus();
    await page.keyboard.press('ControlOrMeta+a');
    await page.keyboard.type('/pier.html');
    await page.keyboard.press('Enter');
    await expect.poll(where, { timeout: 10_000 }).toContain('/pier.html');
    await expect
      .poll(() => page.locator('#verdict').textContent())
      .toContain('Opens in the app: the rule "/*"');

    // Into the page: its own focus goes on with Tab, and Enter presses what is focused there.
    await page.locator('#view').focus();
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    const ask = page.getByRole('alertdialog');
    await expect.poll(() => ask.isVisible(), { timeout: 10_000 }).toBe(true);
    expect(await ask.textContent()).toContain('Shows the pier nearest to you.');
    expect(await page.evaluate(() => document.activeElement?.id)).toBe('allow');
    await page.keyboard.press('Enter');
    await expect.poll(() => ask.isVisible()).toBe(false);

    await page.getByRole('button', { name: 'Turn' }).focus();
    const before = await page.locator('#device').boundingBox();
    await page.keyboard.press('Enter');
    await expect
      .poll(async () => (await page.locator('#device').boundingBox())?.width ?? 0)
      .toBeGreaterThan(before?.width ?? 0);
    await page.getByRole('radio', { name: 'dark' }).focus();
    await page.keyboard.press('Space');
    await page.getByRole('radio', { name: 'off' }).focus();
    await page.keyboard.press('Space');
    await page.getByRole('button', { name: 'Back' }).focus();
    await page.keyboard.press('Enter');
    await expect.poll(where, { timeout: 10_000 }).not.toContain('/pier.html');
    await page.getByRole('button', { name: 'Home' }).focus();
    await page.keyboard.press('Enter');
    await expect.poll(() => page.getByRole('button', { name: 'Ferry' }).isVisible()).toBe(true);
    expect(await page.locator('#requests li').count()).toBeGreaterThan(5);
    expect(await page.locator('#requests').textContent()).toContain('package 200');
  }, 90_000);

  it('follows the web folder where no package is named', async () => {
    const own = await startHull<Tried>(dir, 'try');
    try {
      const other = await browser.newPage({ viewport: { width: 1280, height: 860 } });
      await other.goto(own.document.address);
      await other.getByRole('button', { name: 'Ferry' }).click();
      await expect.poll(() => other.locator('#requests li').count(), { timeout: 15_000 }).toBeGreaterThan(3);
      const changed = join(dir, 'site/added.js');
      writeFileSync(changed, 'console.warn("a file that is new")');
      const start = join(dir, 'site/index.html');
      writeFileSync(
        start,
        readFileSync(start, 'utf8').replace('</body>', '<script src="/added.js"></script></body>'),
      );
      await expect
        .poll(() => other.locator('#console').textContent(), { timeout: 15_000 })
        .toContain('a file that is new');
      expect(existsSync(changed)).toBe(true);
    } finally {
      await own.stop();
    }
  }, 60_000);
});
