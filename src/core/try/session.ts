import type { Browser, BrowserContext, CDPSession, Frame, Page, Request, Route } from 'playwright-core';
import { scriptsAsApp, stylesAsApp } from '../browser/app-display.js';
import { type BrowserOptions, launch } from '../browser/launch.js';
import { HullError } from '../errors.js';
import { type Device, type HeldScreen, heldScreens, type Orientation } from '../preview/screens.js';
import { parseUrl } from '../util/url-path.js';
import { packedAnswer } from './answer.js';
import { ASK_BINDING, ASKING_SCRIPT } from './asking.js';
import type { PackedApp } from './packed-app.js';
import { isInside, type LinkVerdict, linkVerdict } from './settings.js';

export type DeviceKind = Device['kind'];
export type Scheme = 'light' | 'dark';
export type Network = 'on' | 'slow' | 'off';

/** What a session does, for those who watch. */
export type TryEvent =
  /** A picture of the page: JPEG. */
  | { readonly is: 'frame'; readonly bytes: Buffer }
  | { readonly is: 'state'; readonly state: TryState }
  | { readonly is: 'request'; readonly request: ShownRequest }
  | { readonly is: 'console'; readonly level: 'error' | 'warning' | 'info'; readonly text: string }
  /** Left the app: an address that opens in a browser, a window, a download. */
  | { readonly is: 'outside'; readonly what: string; readonly url: string }
  | { readonly is: 'question'; readonly question: Question }
  /** The browser is gone. */
  | { readonly is: 'ended' };

export interface ShownRequest {
  readonly method: string;
  readonly url: string;
  readonly from: 'package' | 'network' | 'nobody';
  readonly status: number;
}

/** What the app asks its user: its own reason first, as the platform then asks. */
export interface Question {
  readonly id: number;
  readonly capability: string;
  readonly reason: string;
}

export interface TryState {
  readonly shows: 'home' | 'app';
  readonly url: string | undefined;
  readonly device: DeviceKind;
  readonly turn: Orientation;
  readonly scheme: Scheme;
  readonly network: Network;
}

export interface SessionOptions {
  readonly browser: BrowserOptions;
  readonly device?: DeviceKind | undefined;
  readonly scheme?: Scheme | undefined;
  /** BCP 47. */
  readonly language?: string | undefined;
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

/** The frame that asks; `undefined` for a worker, and for a window that is being made. */
function frameOf(request: Request): Frame | undefined {
  try {
    return request.frame();
  } catch {
    return undefined;
  }
}

/** The page's part of a device's screen, in CSS px, and what is around it. */
export interface ScreenPlan extends Pick<HeldScreen, 'device' | 'width' | 'height'> {
  readonly page: { readonly x: number; readonly y: number; readonly width: number; readonly height: number };
}

/** Where the page lies on a screen: all of it, or what the system leaves. */
export function planScreen(app: PackedApp, kind: DeviceKind, turn: Orientation): ScreenPlan {
  const { device, width, height, insets } = heldScreens().find(
    ({ device: of, orientation }) => of.platform === app.platform && of.kind === kind && orientation === turn,
  ) as HeldScreen;
  const { top, right, bottom, left } = insets;
  const { display, pullsToEdges } = app.settings;
  const page =
    pullsToEdges || display === 'fullscreen'
      ? { x: 0, y: 0, width, height }
      : { x: left, y: top, width: width - left - right, height: height - top - bottom };
  return { device, width, height, page };
}

/** An app that runs from its package, in a Chromium that nobody sees. */
export class TrySession {
  readonly app: PackedApp;
  readonly #options: SessionOptions;
  readonly #browser: Browser;
  readonly #context: BrowserContext;
  #page: Page | undefined;
  #cdp: CDPSession | undefined;
  #shows: TryState['shows'] = 'home';
  #device: DeviceKind;
  #turn: Orientation = 'portrait';
  #scheme: Scheme;
  #network: Network = 'on';
  /** Answers that were given, by capability: a system asks once. */
  readonly #answers = new Map<string, boolean>();
  readonly #questions = new Map<
    number,
    { readonly question: Question; readonly answer: (yes: boolean) => void }
  >();
  #asked = 0;
  #isClosed = false;

  private constructor(app: PackedApp, options: SessionOptions, browser: Browser, context: BrowserContext) {
    this.app = app;
    this.#options = options;
    this.#browser = browser;
    this.#context = context;
    this.#device = options.device ?? 'phone';
    this.#scheme = options.scheme ?? 'light';
  }

  /** @throws HullError `browser.failed`, `browser.no-driver` */
  static async start(app: PackedApp, options: SessionOptions): Promise<TrySession> {
    const browser = await launch(options.browser, [
      '--use-fake-device-for-media-stream',
      '--use-fake-ui-for-media-stream',
    ]);
    try {
      const plan = planScreen(app, options.device ?? 'phone', 'portrait');
      const context = await browser.newContext({
        viewport: { width: plan.page.width, height: plan.page.height },
        screen: { width: plan.width, height: plan.height },
        deviceScaleFactor: RATIO,
        hasTouch: true,
        isMobile: true,
        acceptDownloads: false,
        colorScheme: options.scheme ?? 'light',
        geolocation: PLACE,
        ...(options.language === undefined ? {} : { locale: options.language }),
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
    await this.#context.addInitScript(scriptsAsApp(this.app.settings.display));
    await this.#context.route('**/*', (route) => this.#answer(route));
    this.#context.on('page', (page) => void this.#onWindow(page));
    this.#browser.on('disconnected', () => {
      if (!this.#isClosed) this.#tell({ is: 'ended' });
    });
  }

  #tell(event: TryEvent): void {
    this.#options.onEvent(event);
  }

  state(): TryState {
    return {
      shows: this.#shows,
      url: this.#page?.url(),
      device: this.#device,
      turn: this.#turn,
      scheme: this.#scheme,
      network: this.#network,
    };
  }

  plan(): ScreenPlan {
    return planScreen(this.app, this.#device, this.#turn);
  }

  #changed(): void {
    this.#tell({ is: 'state', state: this.state() });
  }

  // Requests

  async #answer(route: Route): Promise<void> {
    const request = route.request();
    const url = parseUrl(request.url());
    const shown = (from: ShownRequest['from'], status: number) =>
      this.#tell({
        is: 'request',
        request: { method: request.method(), url: request.url(), from, status },
      });
    try {
      if (url === undefined) return await route.abort();
      if (this.#isOfWindow(request)) {
        this.#tell({ is: 'outside', what: 'opens a window of its own', url: url.href });
        return await route.abort('aborted');
      }
      if (this.#isLeaving(request) && !isInside(this.app.settings, url)) {
        this.#tell({ is: 'outside', what: 'opens in a browser', url: url.href });
        return await route.abort('aborted');
      }
      const headers = await request.allHeaders();
      const answer = await packedAnswer(this.app, { method: request.method(), url, headers });
      if (answer !== 'network') {
        shown('package', answer.status);
        return await route.fulfill({
          status: answer.status,
          headers: { ...answer.headers },
          body: Buffer.from(answer.body),
        });
      }
      if (this.#network === 'off') {
        shown('nobody', 0);
        return await route.abort('internetdisconnected');
      }
      shown('network', 0);
      await route.continue();
    } catch {
      // The page that asked is gone.
      await route.abort().catch(() => undefined);
    }
  }

  /** Whether a request is for another page in the app's window. */
  #isLeaving(request: Request): boolean {
    return request.isNavigationRequest() && frameOf(request) === this.#page?.mainFrame();
  }

  /** Whether a request is for a page in a window of its own, which is not shown here; the first comes before there is its frame. */
  #isOfWindow(request: Request): boolean {
    return (
      request.isNavigationRequest() && this.#page !== undefined && frameOf(request)?.page() !== this.#page
    );
  }

  /** A window of its own is reported by what it asks for, and closed. */
  async #onWindow(page: Page): Promise<void> {
    if (this.#page === undefined || page === this.#page) return;
    await page.waitForEvent('requestfailed', { timeout: WINDOW }).catch(() => undefined);
    await page.close().catch(() => undefined);
  }

  // Questions

  async #ask(capability: string): Promise<boolean> {
    const reason = this.app.settings.permissions.get(capability);
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
    if (yes && this.#page) await this.#grant(capability, new URL(this.#page.url()).origin);
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
    const { packed, start } = this.app.settings;
    if (yes) void this.#grant(capability, packed?.origin ?? start.origin);
  }

  // The app

  /** Starts the app, or brings it to the front: at its first page, or at one that a link names. */
  async launchApp(address: URL = this.app.settings.start): Promise<void> {
    this.#shows = 'app';
    this.#changed();
    const page = this.#page ?? (await this.#openPage());
    try {
      await page.goto(address.href, { waitUntil: 'load', timeout: GOTO });
    } catch (error) {
      this.#tell({ is: 'console', level: 'error', text: String(error).split('\n')[0] as string });
    }
    this.#changed();
  }

  /** Brings the app to the front as it was left. */
  async resume(): Promise<void> {
    if (this.#page === undefined) return this.launchApp();
    this.#shows = 'app';
    this.#changed();
  }

  /** Loads the page that is open again: its files have changed. */
  async reload(): Promise<void> {
    await this.#page?.reload({ waitUntil: 'load', timeout: GOTO }).catch(() => undefined);
  }

  async #openPage(): Promise<Page> {
    const page = await this.#context.newPage();
    this.#page = page;
    const { onEvent } = this.#options;
    page.on('console', (message) => {
      const level = message.type() === 'error' ? 'error' : message.type() === 'warning' ? 'warning' : 'info';
      onEvent({ is: 'console', level, text: message.text() });
    });
    page.on('pageerror', (error) => onEvent({ is: 'console', level: 'error', text: String(error) }));
    page.on('download', (download) => onEvent({ is: 'outside', what: 'downloads', url: download.url() }));
    page.on('framenavigated', (frame) => {
      if (frame === page.mainFrame()) this.#changed();
    });
    page.on(
      'domcontentloaded',
      () => void page.evaluate(stylesAsApp(this.app.settings.display)).catch(() => undefined),
    );
    page.on('dialog', (dialog) => void dialog.accept().catch(() => undefined));
    page.on('crash', () => this.#onEnd('The page has crashed.'));
    page.on('close', () => this.#onEnd(undefined));
    this.#cdp = await this.#context.newCDPSession(page);
    this.#cdp.on('Page.screencastFrame', ({ data, sessionId }) => {
      onEvent({ is: 'frame', bytes: Buffer.from(data, 'base64') });
      void this.#cdp?.send('Page.screencastFrameAck', { sessionId }).catch(() => undefined);
    });
    await this.#cast();
    if (this.#network === 'slow') await this.#slow();
    return page;
  }

  async #cast(): Promise<void> {
    const { page } = this.plan();
    await this.#cdp?.send('Page.stopScreencast');
    await this.#cdp?.send('Page.startScreencast', {
      format: 'jpeg',
      quality: QUALITY,
      maxWidth: page.width * RATIO,
      maxHeight: page.height * RATIO,
    });
  }

  #onEnd(why: string | undefined): void {
    if (this.#isClosed || this.#page === undefined) return;
    if (why !== undefined) this.#tell({ is: 'console', level: 'error', text: why });
    this.#page = undefined;
    this.#cdp = undefined;
    this.#shows = 'home';
    this.#changed();
  }

  /** Leaves the app open behind the home screen. */
  home(): void {
    this.#shows = 'home';
    this.#changed();
  }

  /** The way back: a page, and from the first one the home screen. */
  async back(): Promise<void> {
    const page = this.#page;
    if (this.#shows === 'home' || page === undefined) return;
    const history = await this.#cdp?.send('Page.getNavigationHistory');
    const canGo = (history?.entries ?? [])
      .slice(0, history?.currentIndex ?? 0)
      .some(({ url }) => url !== 'about:blank');
    if (!canGo) {
      this.home();
      return;
    }
    await page.goBack({ waitUntil: 'load', timeout: GOTO }).catch(() => undefined);
    this.#changed();
  }

  /** A link in another app. @throws HullError `try.bad-steps` for what is no address */
  async openLink(text: string): Promise<LinkVerdict> {
    const url = parseUrl(text, this.app.settings.start);
    if (url === undefined) {
      throw new HullError('try.bad-steps', `"${text}" is not an address.`, {
        fix: 'Write it in full, or as a path of the app: /tickets.html',
      });
    }
    const verdict = linkVerdict(this.app.settings, url);
    if (verdict.opens === 'app') await this.launchApp(url);
    return verdict;
  }

  async setScreen(device: DeviceKind, turn: Orientation): Promise<void> {
    this.#device = device;
    this.#turn = turn;
    const { page } = this.plan();
    await this.#page?.setViewportSize({ width: page.width, height: page.height });
    await this.#cast();
    this.#changed();
  }

  async setScheme(scheme: Scheme): Promise<void> {
    this.#scheme = scheme;
    await this.#page?.emulateMedia({ colorScheme: scheme });
    this.#changed();
  }

  /** Packed pages come from the package, whatever the network is like. */
  async setNetwork(network: Network): Promise<void> {
    this.#network = network;
    await this.#context.setOffline(network === 'off');
    await this.#slow();
    this.#changed();
  }

  async #slow(): Promise<void> {
    const normal = { downloadThroughput: -1, uploadThroughput: -1, latency: 0 };
    await this.#cdp
      ?.send('Network.emulateNetworkConditions', {
        offline: this.#network === 'off',
        ...(this.#network === 'slow' ? SLOW : normal),
      })
      .catch(() => undefined);
  }

  // Fingers and keys, in CSS px of the page

  async touch(kind: 'start' | 'move' | 'end' | 'cancel', x: number, y: number): Promise<void> {
    const type = { start: 'touchStart', move: 'touchMove', end: 'touchEnd', cancel: 'touchCancel' } as const;
    const ends = kind === 'end' || kind === 'cancel';
    await this.#cdp
      ?.send('Input.dispatchTouchEvent', { type: type[kind], touchPoints: ends ? [] : [{ x, y }] })
      .catch(() => undefined);
  }

  async wheel(x: number, y: number, deltaX: number, deltaY: number): Promise<void> {
    await this.#cdp
      ?.send('Input.dispatchMouseEvent', { type: 'mouseWheel', x, y, deltaX, deltaY })
      .catch(() => undefined);
  }

  async key(name: string): Promise<void> {
    await this.#page?.keyboard.press(name).catch(() => undefined);
  }

  async text(text: string): Promise<void> {
    await this.#page?.keyboard.insertText(text).catch(() => undefined);
  }

  /** The page that is open, for scripts of steps. */
  get page(): Page | undefined {
    return this.#page;
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    for (const { answer } of this.#questions.values()) answer(false);
    await this.#browser.close();
    await this.app.close();
  }
}
