/// <reference lib="dom" />
import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { type Browser, chromium, type Page } from 'playwright-core';
import sharp from 'sharp';
import { describe, expect } from 'vitest';
import { folderListener, host } from '../support/host.js';
import { DEMO_SITE, hull } from '../support/hull.js';
import { reader, readerTest } from '../support/readers.js';
import { temporaryFolder } from '../support/temporary.js';

/** The preview and the tags, as a real browser takes them. */

async function project(): Promise<string> {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  const begun = await hull(['begin', 'site', '--id', 'example.saltmarsh.ferry', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  return dir;
}

let drawn: Promise<string> | undefined;

/** The same with its art: drawing all of it takes a while, and once is enough. */
async function projectWithArt(): Promise<string> {
  drawn ??= project().then(async (dir) => {
    expect((await hull(['art'], { cwd: dir })).code).toBe(0);
    return dir;
  });
  const dir = temporaryFolder();
  cpSync(await drawn, dir, { recursive: true });
  return dir;
}

interface Shown {
  readonly dir: string;
  readonly told: {
    readonly findings: readonly unknown[];
    readonly screens: readonly { readonly page: boolean; readonly start: string }[];
  };
}

let previewed: Promise<Shown> | undefined;

/** With tags, a preview and its shots: twenty-four screens take a while too. */
function projectWithShots(): Promise<Shown> {
  previewed ??= projectWithArt().then(async (dir) => {
    expect((await hull(['tags', '--write', '--no-browser'], { cwd: dir })).code).toBe(0);
    const made = await hull(['preview', '--png', 'preview.png', '--json', '--shots'], { cwd: dir });
    expect(made.code, made.err).toBe(0);
    return { dir, told: JSON.parse(made.out) as Shown['told'] };
  });
  return previewed;
}

async function withBrowser(work: (browser: Browser) => Promise<void>): Promise<void> {
  const executablePath = reader('chromium');
  if (executablePath === undefined) throw new Error('no browser');
  const browser = await chromium.launch({ executablePath, args: ['--no-sandbox'] });
  try {
    await work(browser);
  } finally {
    await browser.close();
  }
}

/** Names of the figures that are to be seen. */
const seen = (page: Page) =>
  page.evaluate(() =>
    [...document.querySelectorAll('#start .device')]
      .filter((one) => one.getBoundingClientRect().width > 0)
      .map((one) => one.getAttribute('aria-label')),
  );

describe('hull preview in a browser', () => {
  readerTest(
    'chromium',
    'shows every screen, works by keyboard and without a network, and says nothing to the console',
    async () => {
      const { dir, told } = await projectWithShots();
      expect(told.findings).toEqual([]);
      expect(told.screens).toHaveLength(24);
      expect(told.screens.every(({ page }) => page)).toBe(true);
      expect(new Set(told.screens.map(({ start }) => start))).toEqual(new Set(['splash', 'launch', 'image']));
      const png = await sharp(join(dir, 'preview.png')).metadata();
      expect(png).toMatchObject({ format: 'png', width: 1280 });
      expect(png.height).toBeGreaterThan(2000);

      for (const [name, width, height] of [
        ['narrow', 1080, 2160],
        ['wide', 1920, 1200],
      ] as const) {
        const shot = await sharp(join(dir, `site/art/shots/start-${name}.webp`)).metadata();
        expect(shot).toMatchObject({ format: 'webp', width, height });
      }

      await withBrowser(async (browser) => {
        const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, offline: true });
        const page = await context.newPage();
        const noise: string[] = [];
        page.on('console', (message) => noise.push(message.text()));
        page.on('pageerror', (error) => noise.push(String(error)));
        page.on('request', (request) => {
          if (!/^(data|file):/.test(request.url())) noise.push(request.url());
        });
        await page.goto(pathToFileURL(join(dir, 'out/preview.html')).href);
        expect(await seen(page)).toEqual([
          'Splash screen, android phone, portrait: the icon on #f4f1ea',
          'The start page, android phone, portrait',
          'Start screen, apple phone, portrait: the logo on #f4f1ea',
          'The start page, apple phone, portrait',
          'Start-up image, apple phone, portrait',
          'The start page, apple phone, portrait',
        ]);
        // By keyboard alone: the first radio of each group, then the arrow.
        await page.locator('#is-phone').focus();
        await page.keyboard.press('ArrowRight');
        await page.keyboard.press('Tab');
        await page.keyboard.press('ArrowRight');
        expect((await seen(page))[1]).toBe('The start page, android tablet, landscape');
        expect(await page.locator('.safe').first().isVisible()).toBe(false);
        await page.keyboard.press('Tab');
        await page.keyboard.press('Tab');
        await page.keyboard.press('Space');
        expect(await page.locator('#show-safe').isChecked()).toBe(true);
        expect(await page.locator('.set.tablet.landscape.light .safe').first().isVisible()).toBe(true);
        // Every picture is there, and everything that is drawn has a name.
        expect(
          await page.evaluate(
            () => [...document.images].filter((one) => one.complete && one.naturalWidth > 0).length,
          ),
        ).toBe(await page.evaluate(() => document.images.length));
        expect(
          await page.evaluate(
            () =>
              [...document.querySelectorAll('[role=img]')].filter((one) => !one.getAttribute('aria-label'))
                .length,
          ),
        ).toBe(0);
        expect(noise).toEqual([]);
        await context.close();
      });
    },
  );

  readerTest(
    'chromium',
    'sees what no file says: white symbols over a light page, and text under the cutout',
    async () => {
      const dir = await project();
      const index = join(dir, 'site/index.html');
      const text = readFileSync(index, 'utf8');
      writeFileSync(
        index,
        text
          .replace(
            '<link rel="manifest"',
            '<meta name="apple-mobile-web-app-status-bar-style" content="black-translucent"><link rel="manifest"',
          )
          .replace(
            '</head>',
            '<style>.bar { display: none !important } body { padding-top: 0 !important } @media (display-mode: standalone) { html { --as-app: 1; background: #fff } main { border-top: 60px solid #fffbe6; } }</style></head>',
          ),
      );
      const made = await hull(['preview', '--json', '--fail-on-warning'], { cwd: dir });
      expect(made.code, made.err).toBe(1);
      const saws = JSON.parse(made.out).findings.map(({ observed }: { observed: string }) => observed);
      // The strip that the app's own rule draws: rules for installed apps count here.
      expect(saws.join('\n')).toMatch(
        /Apple phone, portrait, light: White symbols of the status bar over #ff(fb|fc|fa)e\w: contrast 1\.0 to 1/,
      );
    },
  );
});

describe('hull tags in a browser', () => {
  readerTest(
    'chromium',
    'puts tags whose queries hold, whose links resolve, and a manifest that parses',
    async () => {
      const { dir } = await projectWithShots();
      // The manifest names the shots, too, now that they are there.
      const ran = await hull(['tags', '--write', '--no-browser'], { cwd: dir });
      expect(ran.code, ran.err).toBe(0);
      const served = await host(folderListener(join(dir, 'site')));
      await withBrowser(async (browser) => {
        const context = await browser.newContext({
          viewport: { width: 393, height: 852 },
          screen: { width: 393, height: 852 },
          deviceScaleFactor: 3,
          isMobile: true,
          colorScheme: 'dark',
          serviceWorkers: 'block',
        });
        const page = await context.newPage();
        await page.goto(served);
        const links = await page.evaluate(() =>
          [...document.head.querySelectorAll('link')].map((one) => ({
            rel: one.rel,
            href: one.href,
            holds: one.media === '' || matchMedia(one.media).matches,
            parsed: one.media === '' || matchMedia(one.media).media !== 'not all',
          })),
        );
        const startups = links.filter(({ rel }) => rel === 'apple-touch-startup-image');
        expect(startups).toHaveLength(80);
        expect(startups.every(({ parsed }) => parsed)).toBe(true);
        expect(startups.filter(({ holds }) => holds).map(({ href }) => new URL(href).pathname)).toEqual([
          '/art/start/1179x2556-3x-dark.png',
        ]);
        for (const { href, rel } of links.filter((one) => one.rel !== 'canonical')) {
          const answer = await page.request.get(href);
          expect(answer.status(), `${rel} ${href}`).toBe(200);
        }
        // Another reader of the icon file: the browser takes its largest picture.
        const icon = await page.evaluate(async () => {
          const image = new Image();
          image.src = '/art/favicon.ico';
          await image.decode();
          return [image.naturalWidth, image.naturalHeight];
        });
        expect(icon).toEqual([48, 48]);
        const session = await context.newCDPSession(page);
        const manifest = await session.send('Page.getAppManifest');
        expect(manifest.errors).toEqual([]);
        const parsed = JSON.parse(manifest.data ?? '{}');
        expect(parsed.icons.some(({ purpose }: { purpose?: string }) => purpose === 'maskable')).toBe(true);
        for (const { src, sizes } of [...parsed.icons, ...parsed.screenshots] as {
          src: string;
          sizes: string;
        }[]) {
          const answer = await page.request.get(new URL(src, manifest.url).href);
          expect(answer.status(), src).toBe(200);
          if (sizes === 'any') continue;
          const facts = await sharp(await answer.body()).metadata();
          expect(`${facts.width}x${facts.height}`, src).toBe(sizes);
        }
        const touchAction = await page.evaluate(() => getComputedStyle(document.documentElement).touchAction);
        expect(touchAction).toBe('manipulation');
        await context.close();
      });
      expect(existsSync(join(dir, 'site/art/touch-180.png'))).toBe(true);
    },
  );
});
