import type { Browser, CDPSession, Page } from 'playwright-core';
import { type Insets, scriptsAsApp, stylesAsApp } from './app-display.js';
import { type BrowserOptions, sendHeaders } from './launch.js';

const GOTO_MS = 20_000;
const IDLE_MS = 3000;

/** A screen that a page is opened on as an installed app would be. */
export interface AppScreen {
  /** CSS px */
  readonly viewport: { readonly width: number; readonly height: number };
  readonly screen?: { readonly width: number; readonly height: number };
  readonly ratio: number;
  readonly mode: string;
  /** More that scripts of the page find. */
  readonly script?: string;
  readonly safeArea?: Insets;
  /** Header fields for the page's own host. */
  readonly headers?: BrowserOptions['headers'];
  /** HTML that comes instead of the page's own. */
  readonly instead?: string;
}

/** Tells a window what of it the system covers, CSS px. Older browsers know no insets, and leave them 0. */
export async function coverEdges(session: CDPSession, insets: Insets): Promise<void> {
  await session
    .send('Emulation.setSafeAreaInsetsOverride' as never, { insets } as never)
    .catch(() => undefined);
}

/** Opens a page as an app shows it, does some work with it, and closes it. */
export async function asApp<T>(
  browser: Browser,
  address: string,
  { viewport, screen, ratio, mode, script, safeArea, headers, instead }: AppScreen,
  work: (page: Page) => Promise<T>,
): Promise<T> {
  const context = await browser.newContext({
    viewport,
    ...(screen ? { screen } : {}),
    deviceScaleFactor: ratio,
    hasTouch: true,
    isMobile: true,
    serviceWorkers: 'block',
    colorScheme: 'light',
  });
  try {
    await sendHeaders(context, headers ? { headers } : {});
    const page = await context.newPage();
    await page.addInitScript(scriptsAsApp(mode));
    if (script !== undefined) await page.addInitScript(script);
    if (safeArea) await coverEdges(await context.newCDPSession(page), safeArea);
    if (instead !== undefined)
      await page.route(address, (route) => route.fulfill({ contentType: 'text/html', body: instead }));
    await page.goto(address, { waitUntil: 'load', timeout: GOTO_MS });
    await page.waitForLoadState('networkidle', { timeout: IDLE_MS }).catch(() => undefined);
    await page.evaluate(stylesAsApp(mode));
    return await work(page);
  } finally {
    await context.close();
  }
}
