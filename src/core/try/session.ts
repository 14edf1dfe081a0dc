import type { Browser, BrowserContext, CDPSession, Page } from 'playwright-core';
import { canonicalLanguage } from '../app/language.js';
import { scriptsAsApp, stylesAsApp } from '../browser/app-display.js';
import { coverEdges } from '../browser/app-page.js';
import { type BrowserOptions, launch } from '../browser/launch.js';
import { HullError } from '../errors.js';
import type { Orientation } from '../preview/screens.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';
import {
  type AppSession,
  type DeviceSettings,
  linkAddress,
  shortcutAddress,
  type TextSize,
  type TryState,
  USUAL_SETTINGS,
} from './app-session.js';
import { ASK_BINDING, ASKING_SCRIPT } from './asking.js';
import type { Question, TryEvent } from './events.js';
import type { PackedApp } from './packed-app.js';
import { postForm, textSizeScript } from './page-scripts.js';
import { type Network, RequestDesk, type StoreAccess } from './requests.js';
import { type DeviceKind, heldScreen, planScreen, type Scheme, type ScreenPlan } from './screen-plan.js';
import { isInside, type LinkVerdict, linkVerdict } from './settings.js';
import { arrivalOf, type Shared } from './share.js';
import { type StoredItem, storedBy } from './storage.js';

export interface SessionOptions {
  readonly browser: BrowserOptions;
  readonly settings?: Partial<DeviceSettings> | undefined;
  /** Origin of a stand-in store that sells to the app's pages, and the script that gives pages their way to it. */
  readonly store?: (StoreAccess & { readonly script: string }) | undefined;
  /** Port on loopback at which its pages can be inspected. */
  readonly inspectAt?: number | undefined;
  readonly onEvent: (event: TryEvent) => void;
}

/** Device px a CSS px of the page that is run; pictures for the eye, not for a store. */
const RATIO = 2;
const GOTO = 20_000;
const QUALITY = 72;
/** ms in which a window says where it leads. */
const WINDOW = 1500;
/** Bytes a second and ms of a slow network, as of a phone at the edge of its cell. */
const SLOW = { downloadThroughput: 50_000, uploadThroughput: 25_000, latency: 400 };
/** Where a device is that has no place: in the made-up marshes. */
const PLACE = { latitude: 54.25, longitude: 8.5 };
/** Capabilities whose permission the engine keeps as well. */
const GRANTED = new Set(['geolocation', 'camera', 'microphone', 'notifications']);
const BLANK = 'about:blank';

/** A window of pages, and what is said to it. */
interface Window {
  readonly page: Page;
  readonly cdp: CDPSession;
}

/** An app that runs from its package, in a Chromium that nobody sees. */
export class TrySession implements AppSession {
  readonly engine = 'chromium';
  readonly cannot: AppSession['cannot'] = [];
  #app: PackedApp;
  readonly #options: SessionOptions;
  readonly #browser: Browser;
  readonly #context: BrowserContext;
  readonly #desk: RequestDesk;
  /** The app's own window, and those that pages have opened over it. */
  #windows: Window[] = [];
  /** Until when a window that a page has just opened is waited for. */
  #awaited = 0;
  /** Whether the last window was opened without an address. */
  #isOpenedBlank = false;
  #shows: TryState['shows'] = 'home';
  #settings: DeviceSettings;
  /** Where the app was, while it is not in memory. */
  #left: string | undefined;
  /** Pages to go back to that the browser no longer knows. */
  #earlier: string[] = [];
  /** Answers that were given, by capability: a system asks once. */
  readonly #answers = new Map<string, boolean>();
  readonly #questions = new Map<
    number,
    { readonly question: Question; readonly answer: (yes: boolean) => void }
  >();
  #asked = 0;
  #isClosed = false;

  private constructor(app: PackedApp, options: SessionOptions, browser: Browser, context: BrowserContext) {
    this.#app = app;
    this.#options = options;
    this.#browser = browser;
    this.#context = context;
    this.#settings = { ...USUAL_SETTINGS, ...options.settings };
    const session = this;
    this.#desk = new RequestDesk(
      {
        get app() {
          return session.#app;
        },
        get network() {
          return session.#settings.network;
        },
        get scheme() {
          return session.#settings.scheme;
        },
        get language() {
          return session.#settings.language;
        },
        get page() {
          return session.#windows[0]?.page;
        },
        isShown: (page) => session.#windows.some((one) => one.page === page),
        get awaitsWindow() {
          return Date.now() < session.#awaited;
        },
      },
      options.store,
      (event) => this.#tell(event),
    );
  }

  /** @throws HullError `browser.failed`, `browser.no-driver` */
  static async start(app: PackedApp, options: SessionOptions): Promise<TrySession> {
    const settings = { ...USUAL_SETTINGS, ...options.settings };
    const browser = await launch(options.browser, [
      '--use-fake-device-for-media-stream',
      '--use-fake-ui-for-media-stream',
      ...(options.inspectAt === undefined ? [] : [`--remote-debugging-port=${options.inspectAt}`]),
    ]);
    try {
      const screen = heldScreen(app.platform, settings.device, settings.turn);
      const plan = planScreen(app, screen, settings.scheme);
      const context = await browser.newContext({
        viewport: { width: plan.page.width, height: plan.page.height },
        screen: { width: plan.width, height: plan.height },
        deviceScaleFactor: RATIO,
        hasTouch: true,
        isMobile: true,
        acceptDownloads: false,
        colorScheme: settings.scheme,
        geolocation: PLACE,
      });
      const session = new TrySession(app, options, browser, context);
      await session.#prepare();
      return session;
    } catch (error) {
      await browser.close();
      throw error;
    }
  }

  async #prepare(): Promise<void> {
    await this.#context.exposeBinding(ASK_BINDING, (_source, name: unknown) => this.#ask(String(name)));
    await this.#context.addInitScript(ASKING_SCRIPT);
    await this.#context.addInitScript(scriptsAsApp(this.#app.settings.display));
    if (this.#options.store) await this.#context.addInitScript(this.#options.store.script);
    await this.#context.route('**/*', (route) => this.#desk.answer(route));
    this.#context.on('page', (page) => void this.#onWindow(page).catch(() => undefined));
    if (this.#settings.network === 'off') await this.#context.setOffline(true);
    this.#browser.on('disconnected', () => {
      if (!this.#isClosed) this.#tell({ is: 'ended' });
    });
  }

  #tell(event: TryEvent): void {
    this.#options.onEvent(event);
  }

  #changed(): void {
    this.#tell({ is: 'state' });
  }

  get app(): PackedApp {
    return this.#app;
  }

  get #main(): Window | undefined {
    return this.#windows[0];
  }

  /** The window that is seen and touched. */
  get #front(): Window | undefined {
    return this.#windows.at(-1);
  }

  /** The app's own page, for scripts of steps: the one that is seen. */
  get page(): Page | undefined {
    return this.#front?.page;
  }

  state(): TryState {
    return {
      ...this.#settings,
      shows: this.#shows,
      url: this.#main?.page.url() ?? this.#left,
      window: this.#windows.length > 1 ? this.#front?.page.url() : undefined,
      runs: this.#main !== undefined,
    };
  }

  plan(): ScreenPlan {
    const { device, turn, scheme } = this.#settings;
    return planScreen(this.#app, heldScreen(this.#app.platform, device, turn), scheme);
  }

  // Questions

  async #ask(capability: string): Promise<boolean> {
    const reason = this.#app.settings.permissions.get(capability);
    if (reason === undefined) {
      this.#tell({
        is: 'console',
        level: 'warning',
        text: `${capability} is refused: the package does not declare it.`,
      });
      return false;
    }
    const known = this.#answers.get(capability);
    if (known !== undefined) return known;
    this.#asked += 1;
    const question = { id: this.#asked, capability, reason };
    const yes = await new Promise<boolean>((answer) => {
      this.#questions.set(question.id, { question, answer });
      this.#tell({ is: 'question', question });
    });
    this.#answers.set(capability, yes);
    if (yes && this.#main) await this.#grant(capability, new URL(this.#main.page.url()).origin);
    return yes;
  }

  /** Has the engine allow what was answered with yes. */
  async #grant(capability: string, origin: string): Promise<void> {
    if (GRANTED.has(capability))
      await this.#context.grantPermissions([capability], { origin }).catch(() => undefined);
  }

  /** Questions that wait for an answer. */
  open(): Question[] {
    return [...this.#questions.values()].map(({ question }) => question);
  }

  answerQuestion(id: number, yes: boolean): void {
    this.#questions.get(id)?.answer(yes);
    this.#questions.delete(id);
    this.#changed();
  }

  /** Answers a capability before it is asked for. */
  presetAnswer(capability: string, yes: boolean): void {
    this.#answers.set(capability, yes);
    const { packed, start } = this.#app.settings;
    if (yes) void this.#grant(capability, packed?.origin ?? start.origin);
  }

  // The app

  /** Starts the app, or brings it to the front: at its first page, or at one that a link names. */
  async launchApp(address: string = this.#app.settings.start.href): Promise<void> {
    this.#shows = 'app';
    this.#left = undefined;
    this.#changed();
    const { page } = this.#main ?? (await this.#openWindow());
    await this.#closeOthers();
    await this.#go(page, address);
    this.#changed();
  }

  async #go(page: Page, address: string): Promise<void> {
    try {
      await page.goto(address, { waitUntil: 'load', timeout: GOTO });
    } catch (error) {
      // What the network has not brought has been answered by the shell's own page, which is another navigation.
      if (!/interrupted by another|ERR_ABORTED|net::ERR_/.test(String(error)))
        this.#tell({ is: 'console', level: 'error', text: String(error).split('\n')[0] as string });
      await page.waitForLoadState('load', { timeout: GOTO }).catch(() => undefined);
    }
  }

  /** Brings the app to the front as it was left; one that is no longer in memory begins where it was. */
  async resume(): Promise<void> {
    if (this.#main === undefined) return this.launchApp(this.#left);
    this.#shows = 'app';
    this.#changed();
  }

  /** Loads the page that is open again: its files have changed. */
  async reload(): Promise<void> {
    await this.#main?.page.reload({ waitUntil: 'load', timeout: GOTO }).catch(() => undefined);
  }

  async #openWindow(): Promise<Window> {
    const page = await this.#context.newPage();
    return this.#takeWindow(page);
  }

  /** Shows a window in front of the others. */
  async #takeWindow(page: Page): Promise<Window> {
    const cdp = await this.#context.newCDPSession(page);
    const before = this.#front;
    const window = { page, cdp };
    this.#windows.push(window);
    this.#listen(window);
    cdp.on('Page.screencastFrame', ({ data, sessionId }) => {
      if (this.#front === window) this.#tell({ is: 'frame', bytes: Buffer.from(data, 'base64') });
      void cdp.send('Page.screencastFrameAck', { sessionId }).catch(() => undefined);
    });
    await cdp.send('Page.enable');
    cdp.on('Page.windowOpen', (event) => this.#onWindowOpen(event));
    await this.#setUp(window);
    await before?.cdp.send('Page.stopScreencast').catch(() => undefined);
    await this.#cast();
    return window;
  }

  #listen({ page }: Window): void {
    page.on('console', (message) => {
      const level = message.type() === 'error' ? 'error' : message.type() === 'warning' ? 'warning' : 'info';
      this.#tell({ is: 'console', level, text: message.text() });
    });
    page.on('pageerror', (error) => this.#tell({ is: 'console', level: 'error', text: String(error) }));
    page.on('download', (download) => this.#tell({ is: 'outside', what: 'downloads', url: download.url() }));
    page.on('framenavigated', (frame) => {
      if (frame === page.mainFrame()) this.#changed();
    });
    page.on('domcontentloaded', () => {
      void page.evaluate(stylesAsApp(this.#app.settings.display)).catch(() => undefined);
      if (this.#settings.textSize !== 100) void this.#applyTextSize(page);
    });
    page.on('requestfailed', (request) => {
      if (!request.isNavigationRequest() || page !== this.#main?.page) return;
      const why = request.failure()?.errorText ?? '';
      if (why === 'net::ERR_ABORTED' || !why.startsWith('net::')) return;
      this.#troubled(page, request.url(), /ERR_(?:CERT|SSL|BAD_SSL)/.test(why) ? 'unsafe' : 'failed');
    });
    page.on('response', (response) => {
      const request = response.request();
      if (response.status() < 400 || !request.isNavigationRequest() || page !== this.#main?.page) return;
      if (request.frame() !== page.mainFrame()) return;
      this.#troubled(page, request.url(), response.status());
    });
    page.on('dialog', (dialog) => void dialog.accept().catch(() => undefined));
    page.on('crash', () => this.#onEnd(page, 'The page has crashed.'));
    page.on('close', () => this.#onEnd(page, undefined));
  }

  /** Shows the shell's own page in place of one that the network has not brought. */
  #troubled(page: Page, url: string, outcome: number | 'failed' | 'unsafe'): void {
    const again = this.#desk.notes(url, outcome);
    if (again !== undefined) void this.#go(page, again);
  }

  /** Gives a window what the device is set to. */
  async #setUp({ cdp, page }: Window): Promise<void> {
    const { language, network } = this.#settings;
    const { safeArea } = this.plan();
    await cdp.send('Emulation.setLocaleOverride', { locale: language }).catch(() => undefined);
    const userAgent = await page.evaluate('navigator.userAgent').catch(() => '');
    await cdp
      .send('Emulation.setUserAgentOverride', { userAgent: String(userAgent), acceptLanguage: language })
      .catch(() => undefined);
    await coverEdges(cdp, safeArea);
    if (network === 'slow') await this.#slow({ cdp, page });
  }

  #onWindowOpen(event: unknown): void {
    if (!isObject(event) || typeof event.url !== 'string') return;
    const features = Array.isArray(event.windowFeatures) ? event.windowFeatures : [];
    const asks = features.some((one) => /^(?:popup|width|height|left|top)/.test(String(one)));
    if (asks && event.userGesture !== false) {
      this.#awaited = Date.now() + WINDOW;
      return;
    }
    // What is only a link to a new window goes where a link would.
    this.#isOpenedBlank = event.url === '' || event.url === BLANK;
    if (!this.#isOpenedBlank) this.#followLink(event.url);
  }

  /** A link to a new window: inside it is a page as any other, outside the browser's. */
  #followLink(text: string): void {
    const url = parseUrl(text);
    if (url === undefined) return;
    if (isInside(this.#app.settings, url)) void (this.#main && this.#go(this.#main.page, url.href));
    else this.#tell({ is: 'outside', what: 'opens in a browser', url: url.href });
  }

  /** A window that a page has opened: shown over it where the page asked for one of its own, closed otherwise. */
  async #onWindow(page: Page): Promise<void> {
    if (this.#main === undefined || this.#windows.some((one) => one.page === page)) return;
    if (Date.now() < this.#awaited) {
      this.#awaited = 0;
      await this.#takeWindow(page);
      this.#changed();
      return;
    }
    // Scripts open an empty window first, and then have it go somewhere.
    if (this.#isOpenedBlank) {
      this.#isOpenedBlank = false;
      const gone = await page.waitForEvent('requestfailed', { timeout: WINDOW }).catch(() => undefined);
      if (gone) this.#followLink(gone.url());
    }
    await page.close().catch(() => undefined);
  }

  async #cast(): Promise<void> {
    const { page } = this.plan();
    const { cdp } = this.#front ?? {};
    await cdp?.send('Page.stopScreencast').catch(() => undefined);
    await cdp
      ?.send('Page.startScreencast', {
        format: 'jpeg',
        quality: QUALITY,
        maxWidth: page.width * RATIO,
        maxHeight: page.height * RATIO,
      })
      .catch(() => undefined);
  }

  #onEnd(page: Page, why: string | undefined): void {
    const at = this.#windows.findIndex((one) => one.page === page);
    if (this.#isClosed || at < 0) return;
    if (why !== undefined) this.#tell({ is: 'console', level: 'error', text: why });
    if (at > 0) {
      this.#windows.splice(at, 1);
      void this.#cast();
    } else {
      const [, ...others] = this.#windows;
      this.#windows = [];
      for (const one of others) void one.page.close().catch(() => undefined);
      this.#shows = 'home';
    }
    this.#changed();
  }

  async #closeOthers(): Promise<void> {
    for (const { page } of this.#windows.slice(1)) await page.close().catch(() => undefined);
  }

  /** Leaves the app open behind the home screen. */
  home(): void {
    this.#shows = 'home';
    this.#changed();
  }

  /** The way back: out of a window, a page, and from the first one the home screen. */
  async back(): Promise<void> {
    const front = this.#front;
    if (this.#shows === 'home' || front === undefined) return;
    const { entries = [], currentIndex = 0 } =
      (await front.cdp.send('Page.getNavigationHistory').catch(() => undefined)) ?? {};
    if (entries.slice(0, currentIndex).some(({ url }) => url !== BLANK)) {
      await front.page.goBack({ waitUntil: 'load', timeout: GOTO }).catch(() => undefined);
      this.#changed();
      return;
    }
    if (front !== this.#main) {
      await front.page.close().catch(() => undefined);
      return;
    }
    const earlier = this.#earlier.pop();
    if (earlier === undefined) this.home();
    else {
      await this.#go(front.page, earlier);
      // What was gone back from is not a page to go back to.
      await front.cdp.send('Page.resetNavigationHistory').catch(() => undefined);
    }
    this.#changed();
  }

  /**
   * Ends the app's process as a system does that needs its memory: what was only there is lost, the page it was at and the way back
   * are kept.
   */
  async endProcess(): Promise<void> {
    const main = this.#main;
    if (main === undefined) return;
    const { entries = [], currentIndex = 0 } =
      (await main.cdp.send('Page.getNavigationHistory').catch(() => undefined)) ?? {};
    const kept = entries.slice(0, currentIndex).map(({ url }) => url);
    this.#left = main.page.url();
    await this.#closeWindows();
    this.#earlier.push(...kept.filter((url) => url !== BLANK));
    this.#changed();
  }

  async #closeWindows(): Promise<void> {
    const windows = this.#windows;
    this.#windows = [];
    this.#shows = 'home';
    for (const { answer } of this.#questions.values()) answer(false);
    this.#questions.clear();
    for (const { page } of windows.toReversed()) await page.close().catch(() => undefined);
  }

  /** Puts another version of the app in its place; what its pages have stored stays, as on a device. */
  async update(app: PackedApp): Promise<void> {
    await this.#closeWindows();
    this.#left = undefined;
    this.#earlier = [];
    const before = this.#app;
    this.#app = app;
    await before.close();
    this.#tell({ is: 'app' });
    this.#changed();
  }

  async openLink(text: string): Promise<LinkVerdict> {
    const url = linkAddress(this.#app, text);
    const verdict = linkVerdict(this.#app.settings, url);
    if (verdict.opens === 'app') await this.launchApp(url.href);
    return verdict;
  }

  async openShortcut(name: string): Promise<void> {
    await this.launchApp(shortcutAddress(this.#app, name));
  }

  /** What another app shares. @returns what is said to its user; `undefined` where it has arrived */
  async share(shared: Shared): Promise<string | undefined> {
    const { share } = this.#app.settings;
    if (share === undefined) return 'The app is not among those that something can be shared with.';
    const arrival = arrivalOf(share, shared);
    if (shared.file !== undefined && arrival.fileField === undefined)
      return `The app takes no files of the type ${shared.file.type}.`;
    if (!share.isPost) {
      await this.launchApp(arrival.url);
      return undefined;
    }
    // A page of the app's own sends the form, as the shell has it.
    if (this.#main === undefined) await this.launchApp();
    this.#shows = 'app';
    const main = this.#main as unknown as Window | undefined;
    const arrives = main?.page.waitForEvent('load', { timeout: GOTO }).catch(() => undefined);
    await main?.page.evaluate(postForm(arrival, shared.file)).catch(() => undefined);
    await arrives;
    this.#changed();
    return undefined;
  }

  /** What the app's pages have stored. */
  async stored(): Promise<StoredItem[]> {
    return this.#main ? storedBy(this.#context, this.#main.page) : [];
  }

  // The device

  async setScreen(device: DeviceKind, turn: Orientation): Promise<void> {
    this.#settings = { ...this.#settings, device, turn };
    const { page, safeArea } = this.plan();
    for (const window of this.#windows) {
      await window.page.setViewportSize({ width: page.width, height: page.height });
      await coverEdges(window.cdp, safeArea);
    }
    await this.#cast();
    this.#changed();
  }

  async setScheme(scheme: Scheme): Promise<void> {
    this.#settings = { ...this.#settings, scheme };
    for (const { page } of this.#windows) await page.emulateMedia({ colorScheme: scheme });
    this.#changed();
  }

  async setTextSize(textSize: TextSize): Promise<void> {
    this.#settings = { ...this.#settings, textSize };
    for (const { page } of this.#windows) await this.#applyTextSize(page);
    this.#changed();
  }

  async #applyTextSize(page: Page): Promise<void> {
    await page.evaluate(textSizeScript(this.#settings.textSize)).catch(() => undefined);
  }

  /** A system that speaks another language starts its apps again. @throws HullError `try.bad-steps` for what is no language */
  async setLanguage(tag: string): Promise<void> {
    const language = canonicalLanguage(tag);
    if (language === undefined) {
      throw new HullError('try.bad-steps', `"${tag}" is not the tag of a language.`, {
        fix: 'Write it as in de-DE',
      });
    }
    this.#settings = { ...this.#settings, language };
    for (const window of this.#windows) await this.#setUp(window);
    await this.reload();
    this.#changed();
  }

  /** Packed pages come from the package, whatever the network is like. */
  async setNetwork(network: Network): Promise<void> {
    this.#settings = { ...this.#settings, network };
    await this.#context.setOffline(network === 'off');
    for (const window of this.#windows) await this.#slow(window);
    this.#changed();
  }

  async #slow({ cdp }: Window): Promise<void> {
    const { network } = this.#settings;
    const normal = { downloadThroughput: -1, uploadThroughput: -1, latency: 0 };
    await cdp
      .send('Network.emulateNetworkConditions', {
        offline: network === 'off',
        ...(network === 'slow' ? SLOW : normal),
      })
      .catch(() => undefined);
  }

  // Fingers and keys, in CSS px of the page

  async touch(kind: 'start' | 'move' | 'end' | 'cancel', x: number, y: number): Promise<void> {
    const type = { start: 'touchStart', move: 'touchMove', end: 'touchEnd', cancel: 'touchCancel' } as const;
    const ends = kind === 'end' || kind === 'cancel';
    await this.#front?.cdp
      .send('Input.dispatchTouchEvent', { type: type[kind], touchPoints: ends ? [] : [{ x, y }] })
      .catch(() => undefined);
  }

  async wheel(x: number, y: number, deltaX: number, deltaY: number): Promise<void> {
    await this.#front?.cdp
      .send('Input.dispatchMouseEvent', { type: 'mouseWheel', x, y, deltaX, deltaY })
      .catch(() => undefined);
  }

  async key(name: string): Promise<void> {
    await this.#front?.page.keyboard.press(name).catch(() => undefined);
  }

  async text(text: string): Promise<void> {
    await this.#front?.page.keyboard.insertText(text).catch(() => undefined);
  }

  async picture(): Promise<Uint8Array | undefined> {
    return this.#shows === 'home' ? undefined : this.#front?.page.screenshot({ type: 'png' });
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    for (const { answer } of this.#questions.values()) answer(false);
    await this.#browser.close();
    await this.#app.close();
  }
}
