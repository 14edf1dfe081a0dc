import type { Browser, BrowserContext, ConsoleMessage, Page, Response } from 'playwright-core';
import { scriptsAsApp, stylesAsApp } from '../../browser/app-display.js';
import { coverEdges } from '../../browser/app-page.js';
import { type BrowserOptions, sendHeaders, servedAddress, withBrowser } from '../../browser/launch.js';
import { NO_SUCH_PAGE, type Site } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import type {
  BrowserFacts,
  Device,
  FailureAnswer,
  Measured,
  PageView,
  RenderedPage,
} from '../browser-facts.js';
import { clearOfEdges, DEVICES } from './devices.js';
import { Following, viewedPages } from './following.js';
import { DESCRIBE, MEASURE, NOTE_CAPABILITIES, RENDERED } from './in-page.js';
import { PageNotes } from './page-notes.js';

const GOTO_MS = 20_000;
const IDLE_MS = 4000;
const WORKER_MS = 8000;
/** What pages see of the window that they are in. */
const DISPLAY = 'standalone';

class Session {
  readonly notes: PageNotes;
  readonly rendered: RenderedPage[] = [];
  /** Addresses that windows show, and what the host answered to them. */
  readonly #shown = new WeakMap<Page, string>();
  readonly #answers = new WeakMap<Page, Response>();
  readonly #browser: Browser;
  readonly #headers: BrowserOptions['headers'];
  readonly #site: Site;
  readonly #origin: string;

  constructor(browser: Browser, site: Site, origin: string, headers: BrowserOptions['headers']) {
    this.#headers = headers;
    this.#browser = browser;
    this.#site = site;
    this.#origin = origin;
    this.notes = new PageNotes(site, origin);
  }

  /** The address under which the browser finds a page of the site. */
  served(url: string): string {
    return servedAddress(this.#site, this.#origin, url);
  }

  async context(device: Device, workers: 'allow' | 'block'): Promise<BrowserContext> {
    const context = await this.#browser.newContext({
      viewport: { width: device.width, height: device.height },
      deviceScaleFactor: device.scale,
      hasTouch: true,
      isMobile: true,
      serviceWorkers: workers,
    });
    context.setDefaultTimeout(GOTO_MS);
    await sendHeaders(context, this.#headers ? { headers: this.#headers } : {});
    return context;
  }

  /** A window for pages, one after the other; what happens in it is noted with the page that is shown. */
  async window(context: BrowserContext, device: Device): Promise<Page> {
    const page = await context.newPage();
    const shown = () => this.#shown.get(page) ?? '';
    await page.exposeFunction('__hullAsked', (names: string) => this.notes.ask(shown(), names));
    await page.addInitScript(NOTE_CAPABILITIES);
    await page.addInitScript(scriptsAsApp(DISPLAY));
    page.on('console', (message) => this.#console(shown(), message));
    page.on('pageerror', (error) => this.notes.error(shown(), `Uncaught ${error.name}: ${error.message}`));
    page.on('request', (request) => this.notes.request(shown(), request.url(), request.resourceType()));
    // Simulates cutout and gesture bar.
    await coverEdges(await context.newCDPSession(page), device.insets);
    return page;
  }

  /** Opens an address in a window, as an app shows it. */
  async open(page: Page, url: string): Promise<void> {
    this.#shown.set(page, url);
    const response = await page.goto(this.served(url), { waitUntil: 'load', timeout: GOTO_MS });
    if (response) this.#answers.set(page, response);
    await page.waitForLoadState('networkidle', { timeout: IDLE_MS }).catch(() => undefined);
    await page.evaluate(stylesAsApp(DISPLAY));
  }

  #console(page: string, message: ConsoleMessage): void {
    if (message.type() !== 'error') return;
    const { url, lineNumber } = message.location();
    // Browsers look for it unasked; an app's view does not.
    if (parseUrl(url)?.pathname === '/favicon.ico') return;
    this.notes.error(page, message.text(), url === '' ? undefined : `${url}:${lineNumber + 1}`);
  }

  /** Notes a page as its scripts have drawn it; gives the addresses in the site that it leads to. */
  async render(page: Page, url: string): Promise<string[]> {
    const answer = this.#answers.get(page);
    // What came instead of a page that is not there is not that page.
    if (answer && answer.status() >= 400) return [];
    const source = (await answer?.text().catch(() => '')) ?? '';
    const { html, links } = (await page.evaluate(`(${RENDERED})()`)) as { html: string; links: string[] };
    this.rendered.push({ url, html, source });
    return links.map((link) => this.notes.real(link));
  }

  async view(
    page: Page,
    url: string,
    device: Device,
    screenshot: 'with-screenshot' | 'measure-only',
  ): Promise<PageView> {
    const measured = (await page.evaluate(
      `(${MEASURE})(${JSON.stringify({ insets: device.insets, width: device.width, height: device.height })})`,
    )) as Measured;
    const isTaken = screenshot === 'with-screenshot' || this.notes.takesPicture(measured, device);
    const image = isTaken ? await page.screenshot({ type: 'jpeg', quality: 78 }) : undefined;
    return {
      url,
      device,
      engine: 'chromium',
      ...measured,
      ...(image ? { screenshot: new Uint8Array(image) } : {}),
    };
  }
}

/** Waits until a worker controls the page; `undefined` where none was ever registered. */
async function workerControls(page: Page): Promise<boolean | undefined> {
  const registered = (await page.evaluate(
    `'serviceWorker' in navigator ? navigator.serviceWorker.getRegistration().then((one) => one !== undefined) : false`,
  )) as boolean;
  if (!registered) return undefined;
  const wait = `new Promise((done) => {
    const look = () => navigator.serviceWorker.controller ? done(true) : undefined;
    look();
    navigator.serviceWorker.addEventListener('controllerchange', look);
    setTimeout(() => done(false), ${WORKER_MS / 2});
  })`;
  if (await page.evaluate(wait)) return true;
  await page.reload({ waitUntil: 'load' });
  return (await page.evaluate(wait)) as boolean;
}

/** Opens an address while something is wrong, and tells what came. */
async function answerTo(context: BrowserContext, url: string, startTitle: string): Promise<FailureAnswer> {
  const page = await context.newPage();
  try {
    const response = await page.goto(url, { waitUntil: 'load', timeout: GOTO_MS });
    const { title, own } = (await page.evaluate(`(${DESCRIBE})()`)) as { title: string; own: boolean };
    const status = response?.status();
    return {
      answered: true,
      own: own || (title !== '' && title === startTitle),
      ...(status === undefined ? {} : { status }),
      ...(title === '' ? {} : { title }),
    };
  } catch (error) {
    const text = error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error);
    return { answered: false, own: false, error: /net::\w+/.exec(text)?.[0] ?? text.slice(0, 120) };
  } finally {
    await page.close();
  }
}

/** How the app fails: without a network, for a page that is not there, and while the server is in trouble. */
async function failures(session: Session, site: Site, phone: Device) {
  const context = await session.context(phone, 'allow');
  try {
    const startUrl = site.startPage?.url ?? site.start.href;
    const page = await session.window(context, phone);
    await session.open(page, startUrl);
    const controls = await workerControls(page);
    const isolated = (await page.evaluate('self.crossOriginIsolated === true')) as boolean;
    const title = await page.title();
    const url = session.served(site.start.href);
    const notFound = await answerTo(context, session.served(new URL(NO_SUCH_PAGE, site.base).href), title);
    const own = (address: URL) => address.origin === new URL(url).origin;
    await context.route(own, (route) =>
      route.fulfill({ status: 503, contentType: 'text/plain', body: 'Service Unavailable' }),
    );
    const serverError = await answerTo(context, url, title);
    await context.unroute(own);
    await context.route(own, (route) => route.abort('internetdisconnected'));
    await context.setOffline(true);
    const offline = await answerTo(context, url, title);
    return { workerControls: controls, isolated, notFound, serverError, offline };
  } finally {
    await context.close();
  }
}

/** Pages on one device: all of them on a phone, the start page on others. */
async function viewsOn(
  device: Device,
  session: Session,
  site: Site,
  options: BrowserOptions,
  following?: Following,
): Promise<PageView[]> {
  const found: PageView[] = [];
  const pages = viewedPages(site, device);
  pages.push(...(following?.named() ?? []));
  const context = await session.context(device, 'block');
  let page: Page | undefined;
  try {
    // Pages are added while they are gone through.
    for (const url of pages) {
      options.signal?.throwIfAborted();
      options.onStep?.(`${device.name}: ${new URL(url).pathname}`);
      try {
        page ??= await session.window(context, device);
        await session.open(page, url);
        if (following) pages.push(...following.next(await session.render(page, url)));
        found.push(
          await session.view(page, url, device, url === pages[0] ? 'with-screenshot' : 'measure-only'),
        );
      } catch (error) {
        // A window that hangs on one page is not given the next.
        await page?.close().catch(() => undefined);
        page = undefined;
        const [line] = (error instanceof Error ? error.message : String(error)).split('\n');
        session.notes.errors.push({ page: url, text: `The page did not load: ${line}` });
      }
    }
  } finally {
    await context.close();
  }
  return found;
}

/**
 * Drives a real browser over a site. A folder is served on loopback meanwhile.
 *
 * @param edges `inset` where the app’s window keeps pages clear of bars and cutout
 * @throws HullError `browser.failed`
 */
export function browseSite(
  site: Site,
  options: BrowserOptions,
  edges: 'inset' | 'cover' = 'cover',
): Promise<BrowserFacts> {
  return withBrowser(site, options, async ({ browser, origin }) => {
    const session = new Session(browser, site, origin, options.headers);
    options.onStep?.('how it fails');
    const devices = edges === 'cover' ? DEVICES : DEVICES.map(clearOfEdges);
    const failed = await failures(session, site, devices[0] as Device);
    const [phone, ...others] = devices as [Device, ...Device[]];
    const following = new Following(site);
    const seen = await Promise.all([
      viewsOn(phone, session, site, options, following),
      ...others.map((device) => viewsOn(device, session, site, options)),
    ]);
    // Devices are looked at side by side: in which order they tell something must not show.
    const inOrder = (a: { page: string }, b: { page: string }) =>
      JSON.stringify(a) < JSON.stringify(b) ? -1 : 1;
    const [errors, requests, asked] = [
      session.notes.errors.sort(inOrder),
      session.notes.requests.sort(inOrder),
      session.notes.asked.sort(inOrder),
    ];
    return {
      browser: `${browser.browserType().name()} ${browser.version()}`,
      ...failed,
      views: seen.flat(),
      rendered: session.rendered.sort((a, b) => (a.url < b.url ? -1 : 1)),
      notOpened: following.left,
      errors,
      requests,
      asked,
    };
  });
}
