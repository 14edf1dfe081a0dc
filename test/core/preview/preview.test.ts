import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { resolveApp } from '../../../src/core/app/app.js';
import { projectLogo } from '../../../src/core/art/icon-source.js';
import { artInputs } from '../../../src/core/art/project-art.js';
import {
  androidLayout,
  appleAppLayout,
  canBeHeld,
  webClipLayout,
  webClipOf,
} from '../../../src/core/preview/layout.js';
import { ANDROID_MASKS, APPLE_MASK, maskSvg } from '../../../src/core/preview/masks.js';
import { previewHtml } from '../../../src/core/preview/page.js';
import { previewApp } from '../../../src/core/preview/preview.js';
import { heldScreens } from '../../../src/core/preview/screens.js';
import { mediaHolds } from '../../../src/core/preview/startup-image.js';
import type { Preview } from '../../../src/core/preview/types.js';
import { readProject } from '../../../src/core/project/project.js';
import { scanFolder } from '../../../src/core/site/folder.js';
import { readFolderSite } from '../../../src/core/site/read-folder.js';
import { DEMO_SITE } from '../../support/hull.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const CONFIG = {
  app: {
    id: 'example.saltmarsh.ferry',
    name: 'Saltmarsh Ferry',
    short_name: 'Ferry',
    version: '1.4.0',
    build: 7,
  },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
  look: { theme_color: '#0b4f6c', background_color: '#f4f1ea' },
  permissions: { geolocation: 'Shows the pier nearest to you.' },
};

async function previewOf(
  config: object = CONFIG,
  change: (site: string) => void = () => undefined,
): Promise<Preview> {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  writeFiles(dir, { 'hull.json': JSON.stringify(config) });
  change(join(dir, 'site'));
  const project = readProject(dir);
  const folder = await scanFolder(join(dir, 'site'));
  return previewApp({
    project,
    app: await resolveApp(project),
    site: await readFolderSite(folder, { base: new URL('https://ferry.saltmarsh.example/') }),
    inputs: artInputs(project, await projectLogo(project)),
    browser: { missing: 'No Chromium, Chrome or Edge was found.' },
  });
}

const replaceIn = (file: string, from: string, to: string) => {
  const text = readFileSync(file, 'utf8');
  expect(text).toContain(from);
  writeFileSync(
    file,
    text.replace(from, () => to),
  );
};
const observed = (preview: Preview, section: string) =>
  preview.findings.filter((one) => one.code.startsWith(`preview-${section}.`)).map((one) => one.observed);
const screen = (key: string, orientation: string) => {
  const found = heldScreens().find((one) => one.device.key === key && one.orientation === orientation);
  if (!found) throw new Error(key);
  return found;
};

describe('warnings stand beside what they concern', () => {
  it('and the demo has but one: no start-up images yet', async () => {
    const { findings, scenes } = await previewOf();
    expect(findings.map(({ code }) => code)).toEqual(['preview-start.white-screen']);
    expect(findings[0]?.observed).toContain('fits 8 of 8 screens');
    expect(scenes).toHaveLength(24);
  });

  it('for labels, icons, reasons and listings that are cut or say nothing', async () => {
    const name = 'The Saltmarsh Island Ferry Line and Timetable';
    const preview = await previewOf(
      {
        ...CONFIG,
        app: { ...CONFIG.app, name, short_name: 'Saltmarsh Ferry' },
        permissions: { geolocation: 'Needs location.', bluetooth: 'Opens the gate of the pier for you.' },
      },
      (site) => {
        replaceIn(join(site, 'index.html'), '<link rel="apple-touch-icon" href="/icons/icon-192.png">', '');
        replaceIn(
          join(site, 'manifest.webmanifest'),
          '"short_name": "Ferry"',
          '"short_name": "Saltmarsh Ferries"',
        );
      },
    );
    expect(observed(preview, 'home')).toEqual([
      'The label “Saltmarsh Ferry” is cut to “Saltmarsh…” on: Android phone, 5 columns; Android phone, 4 columns.',
      'The label “Saltmarsh Ferries” is cut to “Saltmarsh F…” on: Apple phone.',
      'The start page names no touch icon.',
    ]);
    expect(observed(preview, 'asking')).toEqual([
      expect.stringMatching(/^The reason for geolocation, “Needs location\.”, tells users nothing/),
      'bluetooth is not supported in a web view.',
    ]);
    expect(observed(preview, 'store')).toEqual([`The name has ${name.length} characters; stores accept 30.`]);
    expect(preview.listings.map((one) => one.name)).toEqual([
      'The Saltmarsh Island Ferry Lin',
      'The Saltmarsh Island Ferry Lin',
    ]);
  });

  it('for a filled icon whose corners launchers cut off, measured in pixels', async () => {
    const preview = await previewOf({ ...CONFIG, look: { ...CONFIG.look, icon: 'corners.svg' } }, (site) => {
      writeFileSync(
        join(site, '../corners.svg'),
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path fill="#0b4f6c" d="M0 0h100v100H0z"/><path fill="#fff" d="M2 2h14v14H2zM84 2h14v14H84zM40 40h20v20H40z"/></svg>',
      );
    });
    expect(observed(preview, 'home')).toEqual([
      expect.stringMatching(/Launchers cut off part of what is drawn: circle \d\d %/),
    ]);
    const share = (mask: string) =>
      preview.losses.find((loss) => loss.icon === 'android' && loss.mask === mask)?.share;
    // Two squares of 14 and one of 20: the corners are half of what is drawn.
    expect(share('circle')).toBeGreaterThan(0.4);
    expect(share('circle')).toBeLessThan(0.5);
    expect(share('rounded square')).toBeLessThan(share('circle') as number);
  });

  it('for a strip behind the status bar that is not of the header’s colour, and an icon that opens the browser', async () => {
    const preview = await previewOf(
      { ...CONFIG, look: { ...CONFIG.look, theme_color: '#000000' } },
      (site) => {
        replaceIn(join(site, 'manifest.webmanifest'), '"display": "standalone"', '"display": "browser"');
      },
    );
    expect(observed(preview, 'start')).toEqual([
      expect.stringContaining('No start-up image fits'),
      'Neither the manifest nor the tags ask for a window of the app’s own.',
      'The strip behind Android’s status bar is #000000, the pages’ header below it #0b4f6c.',
    ]);
  });
});

describe('a question', () => {
  const config = (engine: string) => ({
    ...CONFIG,
    android: { engine },
    permissions: { ...CONFIG.permissions, camera: 'Reads the code on a paper ticket.' },
  });

  it('is shown as who asks it puts it: the app and the system, or the browser in the name of the site', async () => {
    const own = await previewOf(config('webview'));
    expect(own.questions.map(({ android }) => android.shows)).toEqual([
      ['reason', 'system'],
      ['reason', 'system'],
    ]);
    expect(previewHtml(own)).not.toContain('Allow ferry.saltmarsh.example');
    const browser = await previewOf(config('browser'));
    expect(browser.questions.map(({ android }) => android.shows)).toEqual([['reason', 'system'], ['site']]);
    const page = previewHtml(browser);
    expect(page).toContain('Allow ferry.saltmarsh.example to take pictures');
    expect(page).toContain('Allow Saltmarsh Ferry to');
  });
});

describe('start-up images', () => {
  const media = (orientation: string, scheme = '') =>
    `(device-width: 393px) and (device-height: 852px) and (-webkit-device-pixel-ratio: 3) and (orientation: ${orientation})${scheme}`;
  const named = (href: string, query: string) =>
    `<link rel="apple-touch-startup-image" media="${query}" href="${href}"><link rel="manifest"`;

  it('are taken by the exact query alone', () => {
    const portrait = screen('apple-phone', 'portrait');
    expect(mediaHolds(media('portrait'), portrait, 'dark')).toBe(true);
    expect(mediaHolds(`screen and ${media('portrait')}`, portrait, 'dark')).toBe(true);
    expect(mediaHolds(media('portrait', ' and (prefers-color-scheme: light)'), portrait, 'dark')).toBe(false);
    expect(mediaHolds(media('landscape'), portrait, 'dark')).toBe(false);
    expect(mediaHolds(media('portrait').replace('852', '844'), portrait, 'dark')).toBe(false);
    expect(mediaHolds(`print and ${media('portrait')}`, portrait, 'dark')).toBe(false);
    expect(mediaHolds('', portrait, 'light')).toBe(true);
  });

  it('are shown where their pixels are exact, and leave the screen white where they are twenty short', async () => {
    const write = async (site: string, height: number) => {
      const png = await sharp({ create: { width: 1179, height, channels: 3, background: '#0b4f6c' } })
        .png()
        .toBuffer();
      writeFileSync(join(site, 'start.png'), png);
    };
    const exact = await sharp({ create: { width: 1179, height: 2556, channels: 3, background: '#0b4f6c' } })
      .png()
      .toBuffer();
    const shown = await previewOf(CONFIG, (site) => {
      writeFileSync(join(site, 'start.png'), exact);
      replaceIn(join(site, 'index.html'), '<link rel="manifest"', named('/start.png', media('portrait')));
    });
    const start = (preview: Preview) =>
      preview.scenes.find(
        ({ shows, layout, scheme }) =>
          shows === 'web-clip' &&
          layout.screen.device.key === 'apple-phone' &&
          layout.screen.orientation === 'portrait' &&
          scheme === 'light',
      )?.start;
    expect(start(shown)).toMatchObject({ is: 'image', url: '/start.png' });
    const dir = temporaryFolder();
    await write(dir, 2536);
    const short = await previewOf(CONFIG, (site) => {
      cpSync(join(dir, 'start.png'), join(site, 'start.png'));
      replaceIn(join(site, 'index.html'), '<link rel="manifest"', named('/start.png', media('portrait')));
    });
    expect(start(short)).toEqual({
      is: 'white',
      why: 'The start-up image /start.png has 1179 × 2536 px instead of 1179 × 2556: it is not taken, and the screen stays white.',
    });
  });
});

describe('where the page lies', () => {
  const app = {
    display: 'standalone',
    themeColor: { r: 11, g: 79, b: 108, a: 255 },
    backgroundColor: { r: 244, g: 241, b: 234, a: 255 },
    window: { edges: 'inset', keepScreenOn: false, secure: false, pullToRefresh: false },
  } as const;

  it('is below the app’s own bar, or at the edges, where the app wants that', () => {
    const portrait = screen('android-phone', 'portrait');
    const below = androidLayout({ ...app, display: 'minimal-ui' }, portrait);
    expect(below).toMatchObject({ bar: { height: 48, edge: 'top' }, page: { y: 88, height: 892 - 88 - 24 } });
    const covers = { ...app, window: { ...app.window, edges: 'cover' } } as const;
    expect(androidLayout(covers, portrait)).toMatchObject({
      page: { x: 0, y: 0, width: 412, height: 892 },
      safeArea: { top: 40, bottom: 24 },
      status: { color: undefined },
    });
    expect(androidLayout({ ...covers, display: 'fullscreen' }, portrait)).toMatchObject({
      page: { y: 0, height: 892 },
      safeArea: { top: 40, bottom: 0 },
    });
  });

  it('is clear of bars and cutout in the Android shell', () => {
    const layout = androidLayout(app, screen('android-phone', 'portrait'));
    expect(layout.page).toEqual({ x: 0, y: 40, width: 412, height: 892 - 40 - 24 });
    expect(layout.status).toMatchObject({ symbols: 'light' });
    expect(layout.gesture).toMatchObject({ symbols: 'dark' });
    const side = androidLayout(app, screen('android-phone', 'landscape'));
    expect(side.page).toEqual({ x: 40, y: 28, width: 852, height: 360 });
    const full = androidLayout({ ...app, display: 'fullscreen' }, screen('android-phone', 'portrait'));
    expect(full.page).toEqual({ x: 0, y: 40, width: 412, height: 852 });
    expect(full.status).toBeUndefined();
  });

  it('is clear of what the system covers in the Apple shell, above its bar, or at the edges', () => {
    const phone = screen('apple-phone', 'portrait');
    expect(appleAppLayout(app, phone)).toMatchObject({
      page: { x: 0, y: 59, width: 393, height: 852 - 59 - 34 },
      safeArea: { top: 0, bottom: 0 },
      status: { color: app.themeColor, symbols: 'light' },
      gesture: { color: undefined, symbols: 'dark' },
    });
    expect(appleAppLayout(app, screen('apple-phone', 'landscape')).page).toEqual({
      ...{ x: 59, y: 0, width: 852 - 59 - 59, height: 393 - 21 },
    });
    expect(appleAppLayout({ ...app, display: 'minimal-ui' }, phone)).toMatchObject({
      page: { height: 852 - 59 - 34 - 48 },
      bar: { height: 48 + 34, edge: 'bottom' },
      gesture: { symbols: 'light' },
    });
    const covers = { ...app, window: { ...app.window, edges: 'cover' } } as const;
    expect(appleAppLayout(covers, phone)).toMatchObject({
      page: { y: 0, height: 852 },
      safeArea: { top: 59, bottom: 34 },
      status: { color: undefined, symbols: 'light' },
    });
    // The camera is still there.
    expect(appleAppLayout({ ...app, display: 'fullscreen' }, phone)).toMatchObject({
      page: { y: 59 },
      status: { color: app.themeColor, symbols: 'none' },
      gesture: { symbols: 'none' },
    });
  });

  it('turns with a phone where look.orientation lets it; the web app on the home screen always', () => {
    const wide = screen('apple-phone', 'landscape');
    const held = { orientation: 'portrait' } as const;
    expect(canBeHeld(held, wide, 'apple-app')).toBe(false);
    expect(canBeHeld(held, wide, 'web-clip')).toBe(true);
    expect(canBeHeld(held, screen('apple-tablet', 'landscape'), 'apple-app')).toBe(true);
  });

  it('follows the tags on Apple’s home screen', () => {
    const portrait = screen('apple-phone', 'portrait');
    const clip = (statusStyle: 'default' | 'black-translucent', covers: boolean) =>
      webClipLayout({ statusStyle, covers, opensAlone: true }, 'light', app.backgroundColor, portrait);
    expect(clip('black-translucent', true)).toMatchObject({
      page: { y: 0, height: 852 },
      safeArea: { top: 59, bottom: 34 },
      status: { color: undefined, symbols: 'light' },
    });
    expect(clip('default', true)).toMatchObject({
      page: { y: 59 },
      safeArea: { top: 0, bottom: 34 },
      status: { symbols: 'dark' },
    });
    expect(clip('default', false)).toMatchObject({
      page: { y: 59, height: 852 - 59 - 34 },
      safeArea: { bottom: 0 },
    });
  });

  it('is read from the start page', async () => {
    const site = await readFolderSite(await scanFolder(DEMO_SITE));
    expect(webClipOf(site)).toEqual({ statusStyle: 'default', covers: true, opensAlone: true });
  });
});

describe('masks', () => {
  it('cover what their geometry says', async () => {
    const side = 200;
    for (const [mask, share] of [
      [ANDROID_MASKS[0], Math.PI / 4],
      [ANDROID_MASKS[1], 1 - (4 - Math.PI) * 0.22 ** 2],
      [ANDROID_MASKS[3], 1 - ((4 - Math.PI) / 4) * (3 * 0.5 ** 2 + 0.12 ** 2)],
      // Area of a superellipse of exponent 4: Γ(1 + 1/4)² / Γ(1 + 2/4).
      [ANDROID_MASKS[2], 0.927],
      [APPLE_MASK, 0.95],
    ] as const) {
      if (!mask) throw new Error('no mask');
      const alpha = await sharp(Buffer.from(maskSvg(mask, side)))
        .extractChannel('alpha')
        .raw()
        .toBuffer();
      const covered = alpha.reduce((sum, value) => sum + value, 0) / 255 / side ** 2;
      expect(covered, mask.name).toBeCloseTo(share, 2);
    }
  });
});

describe('the page', () => {
  it('says plainly that no browser showed the start page, escapes what it is given, and asks for nothing', async () => {
    const name = 'Ferry "<script>alert(1)</script>"';
    const preview = await previewOf({ ...CONFIG, app: { ...CONFIG.app, name } });
    // Pictures are left out of what is shown where this fails.
    const page = previewHtml(preview).replaceAll(/data:[\w/+]+[;,][^")]*(?:\([^")]*\)[^")]*)*/g, 'data:');
    expect(
      page.includes('<b>the pages themselves are not shown</b>: No Chromium, Chrome or Edge was found.'),
    ).toBe(true);
    expect(page.match(/<script|undefined|NaN|\[object/)?.[0]).toBeUndefined();
    // A picture under a name that nothing defines is a blank tile.
    const names = (pattern: RegExp) => [...page.matchAll(pattern)].map(([, name]) => name ?? '');
    const defined = new Set(names(/(--[\w-]+)\s*:/g));
    expect(names(/var\((--[\w-]+)\s*\)/g).filter((name) => !defined.has(name))).toEqual([]);
    expect(page.match(/(?:src|href)="(?!data:|#).{0,40}/)?.[0]).toBeUndefined();
    expect(page.match(/url\((?!["']?data:).{0,40}/)?.[0]).toBeUndefined();
  });
});
