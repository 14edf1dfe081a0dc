import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { chromium } from 'playwright-core';
import { afterAll, beforeAll, describe, expect } from 'vitest';
import { extensionOf, MEDIA_TYPES } from '../../src/core/site/media-types.js';
import { host } from '../support/host.js';
import { DEMO_SITE } from '../support/hull.js';
import { reader, readerTest } from '../support/readers.js';

/** The demo data in a real browser: it has to be an app that someone cared for. */

const QUIET = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
const PAGES = ['', 'pier.html', 'tickets.html', 'alerts.html'];

let browser: Browser | undefined;
let base = '';
let down = false;

beforeAll(async () => {
  const executablePath = reader('chromium');
  if (executablePath === undefined) return;
  browser = await chromium.launch({ executablePath, args: QUIET });
  base = await host((request, response) => {
    if (down) {
      request.socket.destroy();
      return;
    }
    const path = new URL(request.url ?? '/', 'http://x').pathname;
    try {
      const name = path === '/' ? 'index.html' : path.slice(1);
      response.writeHead(200, { 'content-type': MEDIA_TYPES[extensionOf(name)] ?? 'text/plain' });
      response.end(readFileSync(join(DEMO_SITE, name)));
    } catch {
      response.writeHead(404).end();
    }
  });
});

afterAll(async () => {
  await browser?.close();
});

async function open(
  options: Parameters<Browser['newContext']>[0] = {},
): Promise<{ context: BrowserContext; page: Page; faults: string[] }> {
  if (browser === undefined) throw new Error('no browser');
  const context = await browser.newContext({ viewport: { width: 390, height: 780 }, ...options });
  const page = await context.newPage();
  const faults: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error') faults.push(message.text());
  });
  page.on('pageerror', (error) => faults.push(error.message));
  return { context, page, faults };
}

describe('the demo site', () => {
  readerTest(
    'chromium',
    'opens every page without a fault, and without scrolling sideways, on a phone and a tablet',
    async () => {
      for (const viewport of [
        { width: 360, height: 740 },
        { width: 820, height: 1180 },
        { width: 740, height: 360 },
      ]) {
        const { context, page, faults } = await open({ viewport });
        for (const path of PAGES) {
          await page.goto(base + path);
          expect(await page.evaluate('document.documentElement.scrollWidth <= window.innerWidth'), path).toBe(
            true,
          );
        }
        expect(faults).toEqual([]);
        await context.close();
      }
    },
  );

  readerTest(
    'chromium',
    'opens every page with the host gone, and its own page for one that never was',
    async () => {
      const { context, page } = await open();
      await page.goto(base);
      await page.evaluate('navigator.serviceWorker.ready.then(() => undefined)');
      await page.waitForFunction('navigator.serviceWorker.controller !== null');
      down = true;
      try {
        for (const path of PAGES) {
          await page.goto(base + path);
          expect(await page.locator('h1').count(), path).toBe(1);
          expect(await page.locator('.tabs a[aria-current]').count()).toBe(1);
        }
        await page.goto(`${base}never-was`);
        expect(await page.locator('h1').textContent()).toContain('does not call here');
      } finally {
        down = false;
      }
      await context.close();
    },
  );

  readerTest('chromium', 'keeps the chosen route, finds the nearest pier and keeps a ticket', async () => {
    const { context, page, faults } = await open({
      geolocation: { latitude: 54.92, longitude: 4.95 },
      permissions: ['geolocation'],
    });
    await page.goto(base);
    await page.getByRole('button', { name: 'Lantern Isle' }).click();
    await page.reload();
    expect(await page.getByRole('button', { name: 'Lantern Isle' }).getAttribute('aria-pressed')).toBe(
      'true',
    );
    await page.goto(`${base}pier.html`);
    await page.getByRole('button', { name: 'nearest to me' }).click();
    await page.waitForFunction("document.querySelector('.list .tag') !== null");
    expect(await page.locator('.list li').first().textContent()).toContain('Lantern Isle');
    await page.goto(`${base}tickets.html`);
    await page.getByLabel('Add a ticket').fill('sfy-204');
    await page.getByRole('button', { name: 'Add ticket' }).click();
    await page.reload();
    expect(await page.locator('.ticket').textContent()).toContain('SFY-204');
    await page.setViewportSize({ width: 320, height: 640 });
    expect(await page.evaluate('document.documentElement.scrollWidth <= window.innerWidth')).toBe(true);
    expect(faults).toEqual([]);
    await context.close();
  });

  readerTest('chromium', 'has a manifest that the browser reads without a complaint', async () => {
    const { context, page } = await open();
    await page.goto(base);
    const session = await context.newCDPSession(page);
    const found = await session.send('Page.getAppManifest');
    expect(found.errors).toEqual([]);
    expect(JSON.parse(found.data ?? '{}').name).toBe('Saltmarsh Ferry');
    await context.close();
  });
});
