import type { Browser, BrowserContext } from 'playwright-core';
import { HullError, systemErrorCode } from '../errors.js';
import type { Site } from '../site/site.js';
import { debug } from '../util/debug.js';
import { serveFolder } from './serve-folder.js';

export interface BrowserOptions {
  /** Program of a Chromium, Chrome or Edge. */
  readonly executable: string;
  /** `host:port` → `address:port`, as for the crawl. */
  readonly resolve?: ReadonlyMap<string, string>;
  /** Whether the certificates that the crawl has checked are to be taken, though the system does not know their authority. */
  readonly trustCrawled?: boolean;
  /** Header fields for one origin, and for no other. */
  readonly headers?: { readonly for: URL; readonly fields: ReadonlyMap<string, string> };
  /** The browser's whole environment, empty where nothing is said: it runs pages of others, and needs no secret of ours. */
  readonly environment?: Readonly<Record<string, string>>;
  readonly signal?: AbortSignal;
  readonly onStep?: (what: string) => void;
}

/** Whether the browser runs without its own sandbox, which refuses to work for root, as in containers. */
export function runsUnconfined(): boolean {
  return process.platform === 'linux' && process.getuid?.() === 0;
}

/** The browser asks nobody for anything but the site. */
const QUIET = [
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-default-apps',
  '--disable-quic',
  '--disable-sync',
  '--no-first-run',
  '--no-default-browser-check',
];

function resolverRules(resolve: BrowserOptions['resolve']): string[] {
  if (!resolve || resolve.size === 0) return [];
  return [`--host-resolver-rules=${[...resolve].map(([from, to]) => `MAP ${from} ${to}`).join(',')}`];
}

/** Has the browser take just the keys that the crawl met, and checked by the user's own authority. */
function trustedKeys(site: Site, { trustCrawled }: BrowserOptions): string[] {
  const keys = new Set([...site.responses.values()].flatMap(({ tls }) => tls?.keyHash ?? []));
  return trustCrawled && keys.size > 0
    ? [`--ignore-certificate-errors-spki-list=${[...keys].join(',')}`]
    : [];
}

/** What drives browsers: an optional package, since not everyone has a browser look. Throws `browser.no-driver`. */
async function driver(): Promise<typeof import('playwright-core')> {
  try {
    return await import('playwright-core');
  } catch (error) {
    if (systemErrorCode(error) !== 'ERR_MODULE_NOT_FOUND' && systemErrorCode(error) !== 'MODULE_NOT_FOUND')
      throw error;
    throw new HullError(
      'browser.no-driver',
      'The package that drives browsers, playwright-core, is not installed.',
      {
        fix: 'Install it beside Jolly Hull: npm install playwright-core',
        cause: error,
      },
    );
  }
}

/** Starts a browser, to be closed by the caller. Throws HullError `browser.failed`, `browser.no-driver`. */
export async function launch(options: BrowserOptions, more: readonly string[] = []): Promise<Browser> {
  const { chromium } = await driver();
  debug('starting %s', options.executable);
  try {
    return await chromium.launch({
      executablePath: options.executable,
      env: { ...(options.environment ?? {}) },
      args: [...QUIET, ...(runsUnconfined() ? ['--no-sandbox'] : []), ...more],
    });
  } catch (error) {
    throw new HullError(
      'browser.failed',
      `The browser could not be started: ${String(error).split('\n')[0]}.`,
      {
        location: { file: options.executable },
        fix: 'Name another with HULL_BROWSER=<path>, or work without a browser.',
        cause: error,
      },
    );
  }
}

/**
 * Has the pages of a context send header fields to their own origin; nobody else gets them. The icon that a browser asks for by itself, and
 * what is still on its way as a window is closed, may go without: the driver lets them go as they are.
 */
export async function sendHeaders(
  context: BrowserContext,
  { headers }: Pick<BrowserOptions, 'headers'>,
): Promise<void> {
  if (!headers || headers.fields.size === 0) return;
  const fields = Object.fromEntries(headers.fields);
  await context.route(
    (url) => url.origin === headers.for.origin,
    (route) => route.fallback({ headers: { ...route.request().headers(), ...fields } }),
  );
}

/** A started browser, and where it finds the site. */
export interface OpenedSite {
  readonly browser: Browser;
  /** Origin under which the browser asks for the site's pages: that of the host, or one on loopback. */
  readonly origin: string;
}

/** Addresses of the site that a browser asks for elsewhere. */
export function servedAddress(site: Site, origin: string, url: string): string {
  return url.startsWith(site.base.origin) ? origin + url.slice(site.base.origin.length) : url;
}

/** The address of the site that a served one is in place of. */
export function realAddress(site: Site, origin: string, url: string): string {
  return url.startsWith(origin) ? site.base.origin + url.slice(origin.length) : url;
}

/**
 * Starts the browser for some work on a site, and ends it afterwards. A folder is served on loopback meanwhile.
 *
 * @throws HullError `browser.failed`, and what the work throws as such an error
 */
export async function withBrowser<T>(
  site: Site,
  options: BrowserOptions,
  work: (opened: OpenedSite) => Promise<T>,
): Promise<T> {
  const served = site.folder
    ? await serveFolder(site.base, site.folder.files, site.folder.answers.rules)
    : undefined;
  const args = [...resolverRules(options.resolve), ...trustedKeys(site, options)];
  const browser = await launch(options, args).catch(async (error: unknown) => {
    await served?.close();
    throw error;
  });
  try {
    return await guarded(browser, options, () =>
      work({ browser, origin: served?.origin ?? site.base.origin }),
    );
  } finally {
    await served?.close();
  }
}

/** Does some work with a browser, and ends it. */
async function guarded<T>(browser: Browser, options: BrowserOptions, work: () => Promise<T>): Promise<T> {
  const stop = () => void browser.close();
  options.signal?.addEventListener('abort', stop, { once: true });
  try {
    return await work();
  } catch (error) {
    if (error instanceof HullError || options.signal?.aborted) throw error;
    throw new HullError('browser.failed', `The browser stopped: ${String(error).split('\n')[0]}.`, {
      location: { file: options.executable },
      fix: 'Run the command again; or work without a browser.',
      cause: error,
    });
  } finally {
    options.signal?.removeEventListener('abort', stop);
    await browser.close();
  }
}

/**
 * A picture of a page that needs nothing else, as long as the page is: PNG, 1 px a CSS px.
 *
 * @param width CSS px
 * @throws HullError `browser.failed`
 */
export async function pagePicture(html: string, width: number, options: BrowserOptions): Promise<Uint8Array> {
  const browser = await launch(options);
  return guarded(browser, options, async () => {
    const context = await browser.newContext({ viewport: { width, height: 800 }, offline: true });
    const page = await context.newPage();
    await page.setContent(html, { waitUntil: 'load' });
    return new Uint8Array(await page.screenshot({ type: 'png', fullPage: true }));
  });
}
