import type { Browser, BrowserContext, ConsoleMessage, Page, Request, Response } from 'playwright-core';
import { scriptsAsApp, stylesAsApp } from '../../browser/app-display.js';
import { type BrowserOptions, sendHeaders, servedAddress, withBrowser } from '../../browser/launch.js';
import { manifestList, NO_SUCH_PAGE, type Site } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import type {
  BrowserFacts,
  Device,
  FailureAnswer,
  PageView,
  RenderedPage,
  SeenRequest,
} from '../browser-facts.js';
import { clearOfEdges, DEVICES } from './devices.js';
import { DESCRIBE, MEASURE, NOTE_CAPABILITIES, RENDERED } from './in-page.js';

const GOTO_MS = 20_000;
const IDLE_MS = 4000;
const WORKER_MS = 8000;
/** Pages that are looked at on the phone, of those that were read. */
const MAX_VIEWED = 12;
/** Pages that are opened because shown ones lead to them. */
const MAX_FOLLOWED = 24;
const MAX_ERRORS = 50;
/** Pictures that are taken of pages with something to see, besides those of the start page. */
const MAX_PICTURES = 6;
/** What pages see of the window that they are in. */
const DISPLAY = 'standalone';

class Session {
  readonly errors: { page: string; text: string; at?: string }[] = [];
  readonly requests: SeenRequest[] = [];
  readonly asked: { page: string; name: string }[] = [];
  readonly rendered: RenderedPage[] = [];
  /** What the host answered to open pages. */
  readonly #answers = new WeakMap<Page, Response>();
  #pictures = 0;
  readonly #browser: Browser;
  readonly #headers: BrowserOptions['headers'];
  readonly #site: Site;
  readonly #origin: string;

  constructor(browser: Browser, site: Site, origin: string, headers: BrowserOptions['headers']) {
    this.#headers = headers;
    this.#browser = browser;
    this.#site = site;
    this.#origin = origin;
  }

  /** The address under which the browser finds a page of the site. */
  served(url: string): string {
    return servedAddress(this.#site, this.#origin, url);
  }

  /** The address of the site that a served one stands for. */
  #real(url: string): string {
    return url.startsWith(this.#origin) ? this.#site.base.origin + url.slice(this.#origin.length) : url;
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

  /** Opens a page and notes what happens while it loads. */
  async open(context: BrowserContext, url: string, device: Device): Promise<Page> {
    const page = await context.newPage();
    await page.exposeFunction('__hullAsked', (names: string) => {
      for (const name of names.split(' ')) {
        if (name !== '' && !this.asked.some((one) => one.name === name)) this.asked.push({ page: url, name });
      }
    });
    await page.addInitScript(NOTE_CAPABILITIES);
    await page.addInitScript(scriptsAsApp(DISPLAY));
    page.on('console', (message) => this.#console(url, message));
    page.on('pageerror', (error) => this.#error(url, `Uncaught ${error.name}: ${error.message}`));
    page.on('request', (request) => this.#request(url, request));
    const session = await context.newCDPSession(page);
    // Simulates cutout and gesture bar; older browsers know no insets, and leave them 0.
    await session
      .send('Emulation.setSafeAreaInsetsOverride' as never, { insets: device.insets } as never)
      .catch(() => undefined);
    const response = await page.goto(this.served(url), { waitUntil: 'load', timeout: GOTO_MS });
    if (response) this.#answers.set(page, response);
    await page.waitForLoadState('networkidle', { timeout: IDLE_MS }).catch(() => undefined);
    await page.evaluate(stylesAsApp(DISPLAY));
    return page;
  }

  #console(page: string, message: ConsoleMessage): void {
    if (message.type() !== 'error') return;
    const { url, lineNumber } = message.location();
    const at = url === '' ? undefined : `${this.#real(url)}:${lineNumber + 1}`;
    this.#error(page, message.text(), at);
  }

  #error(page: string, text: string, at?: string): void {
    if (this.errors.length >= MAX_ERRORS) return;
    const plain = text.replaceAll(this.#origin, this.#site.base.origin).split('\n')[0] ?? text;
    if (this.errors.some((one) => one.page === page && one.text === plain.slice(0, 300))) return;
    this.errors.push({ page, text: plain.slice(0, 300), ...(at === undefined ? {} : { at }) });
  }

  #request(page: string, request: Request): void {
    const url = parseUrl(request.url());
    if (!url || !/^(https?|wss?):$/.test(url.protocol) || url.origin === this.#origin) return;
    if (url.origin === this.#site.base.origin && url.protocol === 'https:') return;
    if (this.requests.some((one) => one.url === url.href)) return;
    this.requests.push({ page, url: url.href, kind: request.resourceType() });
  }

  /** Notes a page as its scripts have drawn it; gives the addresses in the site that it leads to. */
  async render(page: Page, url: string): Promise<string[]> {
    const answer = this.#answers.get(page);
    // What came instead of a page that is not there is not that page.
    if (answer && answer.status() >= 400) return [];
    const source = (await answer?.text().catch(() => '')) ?? '';
    const { html, links } = (await page.evaluate(`(${RENDERED})()`)) as { html: string; links: string[] };
    this.rendered.push({ url, html, source });
    return links.map((link) => this.#real(link));
  }

  async view(
    page: Page,
    url: string,
    device: Device,
    screenshot: 'with-screenshot' | 'measure-only',
  ): Promise<PageView> {
    const measured = (await page.evaluate(
      `(${MEASURE})(${JSON.stringify({ insets: device.insets, width: device.width, height: device.height })})`,
    )) as Omit<PageView, 'url' | 'device'>;
    const { scrollWidth, underCutout, underBar } = measured;
    // What is wrong on a page is seen at a glance; a few pictures are enough.
    const isTelling = scrollWidth > device.width + 1 || underCutout.length > 0 || underBar.length > 0;
    const isTaken = screenshot === 'with-screenshot' || (isTelling && this.#pictures < MAX_PICTURES);
    if (isTaken && screenshot === 'measure-only') this.#pictures += 1;
    const image = isTaken ? await page.screenshot({ type: 'jpeg', quality: 78 }) : undefined;
    return { url, device, ...measured, ...(image ? { screenshot: new Uint8Array(image) } : {}) };
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
    const page = await session.open(context, startUrl, phone);
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

/** Endings of addresses that are no pages. */
const A_FILE = /\.(?!html?$|xhtml$|php$|aspx?$)[a-z0-9]{1,5}$/i;

/** Which pages are opened beyond those that were read: those that the manifest names, and that shown pages lead to. */
class Following {
  readonly #site: Site;
  readonly #seen: Set<string>;
  #opened = 0;
  /** Pages that were found, and are too many. */
  left = 0;

  constructor(site: Site) {
    this.#site = site;
    this.#seen = new Set(site.pages.map(({ url }) => url));
    // The start page may be reached by more than its own address.
    this.#seen.add(site.start.href).add(new URL('index.html', site.base).href);
  }

  /** The start URL and the shortcuts of the manifest. */
  named(): string[] {
    const { manifest } = this.#site;
    const shortcuts = manifestList(this.#site, 'shortcuts').map(
      (one) => (one as { url?: unknown } | null)?.url,
    );
    const texts = [manifest?.members?.start_url, ...shortcuts].filter((one) => typeof one === 'string');
    return manifest
      ? this.next(texts.flatMap((text) => parseUrl(text, new URL(manifest.url))?.href ?? []))
      : [];
  }

  next(links: readonly string[]): string[] {
    const { base } = this.#site;
    return links.flatMap((text) => {
      const url = parseUrl(text);
      if (url?.origin !== base.origin || !url.pathname.startsWith(base.pathname)) return [];
      if (A_FILE.test(url.pathname)) return [];
      // Behind a number sign only a router's own addresses are pages (`#/pier`).
      if (!/^#!?\//.test(url.hash)) url.hash = '';
      url.search = '';
      const isKnown = [url.href, `${url.href}.html`, `${url.href}/`, url.href.replace(/\/$/, '')].some(
        (one) => this.#seen.has(one),
      );
      if (isKnown || this.#site.resolveStatus(url).is === 'missing') return [];
      this.#seen.add(url.href);
      if (this.#opened >= MAX_FOLLOWED) {
        this.left += 1;
        return [];
      }
      this.#opened += 1;
      return [url.href];
    });
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
  const pages = site.pages.slice(0, device.name.startsWith('phone') ? MAX_VIEWED : 1).map(({ url }) => url);
  pages.push(...(following?.named() ?? []));
  const context = await session.context(device, 'block');
  try {
    // Pages are added while they are gone through.
    for (const url of pages) {
      options.signal?.throwIfAborted();
      options.onStep?.(`${device.name}: ${new URL(url).pathname}`);
      try {
        const page = await session.open(context, url, device);
        if (following) pages.push(...following.next(await session.render(page, url)));
        found.push(
          await session.view(page, url, device, url === pages[0] ? 'with-screenshot' : 'measure-only'),
        );
        await page.close();
      } catch (error) {
        const [line] = (error instanceof Error ? error.message : String(error)).split('\n');
        session.errors.push({ page: url, text: `The page did not load: ${line}` });
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
      session.errors.sort(inOrder),
      session.requests.sort(inOrder),
      session.asked.sort(inOrder),
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
