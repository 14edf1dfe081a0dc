import { createHash } from 'node:crypto';
import type { Insets } from '../browser/app-display.js';
import { asAppWindow, openInApp, watched } from '../browser/webkit/app-window.js';
import { type WebKitOptions, type WebKitSession, withWebKit } from '../browser/webkit/session.js';
import { HullError } from '../errors.js';
import type { Orientation } from '../preview/screens.js';
import { debug } from '../util/debug.js';
import { parseUrl } from '../util/url-path.js';
import {
  type Ability,
  type AppSession,
  type DeviceSettings,
  linkAddress,
  shortcutAddress,
  type TryState,
  USUAL_SETTINGS,
} from './app-session.js';
import type { Question, TryEvent } from './events.js';
import type { PackedApp } from './packed-app.js';
import { type DeviceKind, heldScreen, planScreen, type ScreenPlan } from './screen-plan.js';
import { type ServedApp, serveApp } from './serve-app.js';
import { isInside, type LinkVerdict, linkVerdict } from './settings.js';

export interface WebKitTryOptions {
  readonly webkit: WebKitOptions;
  readonly settings?: Partial<DeviceSettings> | undefined;
  readonly onEvent: (event: TryEvent) => void;
}

const SCALE = 2;
/** ms between pictures: the driver has no stream of them. */
const LOOK = 350;
const QUALITY = 72;
/** CSS px that a finger may move in a tap. */
const TAP = 12;
const NONE: Insets = { top: 0, right: 0, bottom: 0, left: 0 };
const CANNOT: readonly Ability[] = [
  ...(['scheme', 'network', 'textSize', 'language', 'end', 'share', 'update', 'stored', 'steps'] as const),
];

/** Keys by their names, as the driver's protocol numbers them (WebDriver, section 17.4.2). */
const KEYS: Readonly<Record<string, string>> = {
  Backspace: '\ue003',
  Tab: '\ue004',
  Enter: '\ue007',
  Escape: '\ue00c',
  PageUp: '\ue00e',
  PageDown: '\ue00f',
  End: '\ue010',
  Home: '\ue011',
  ArrowLeft: '\ue012',
  ArrowUp: '\ue013',
  ArrowRight: '\ue014',
  ArrowDown: '\ue015',
  Delete: '\ue017',
};

/** A window of WebKit that is open until it is closed. */
async function openWebKit(
  options: WebKitOptions,
  { scheme }: DeviceSettings,
  side: number,
): Promise<{ readonly session: WebKitSession; readonly close: () => Promise<void> }> {
  let end: () => void = () => undefined;
  const ended = new Promise<void>((resolve) => {
    end = resolve;
  });
  let running: Promise<void> = Promise.resolve();
  const session = await new Promise<WebKitSession>((resolve, reject) => {
    const window = { scale: SCALE, scheme, largest: { width: side, height: side } };
    running = withWebKit(options, window, async (opened) => {
      resolve(opened);
      await ended;
    });
    running.catch(reject);
  });
  return {
    session,
    close: async () => {
      end();
      await running.catch((error: unknown) => debug('WebKit: %s', error));
    },
  };
}

/**
 * An app that runs from its package in WebKit, as far as its driver can: pages, touches, keys, links, back and turned. It has no stream
 * of pictures, does not ask, and cannot be left without a network.
 */
export class WebKitTrySession implements AppSession {
  readonly engine = 'webkit';
  readonly cannot = CANNOT;
  readonly app: PackedApp;
  readonly #onEvent: (event: TryEvent) => void;
  readonly #session: WebKitSession;
  readonly #served: ServedApp | undefined;
  readonly #close: () => Promise<void>;
  #settings: DeviceSettings;
  #shows: TryState['shows'] = 'home';
  /** Where the app is, by the addresses of the package; those before it, to go back to. */
  #places: string[] = [];
  #timer: NodeJS.Timeout | undefined;
  #picture = '';
  /** What is under way: the driver does one thing after the other. */
  #turn: Promise<unknown> = Promise.resolve();
  #finger: { readonly x: number; readonly y: number } | undefined;
  #said = 0;
  #isClosed = false;

  private constructor(
    app: PackedApp,
    options: WebKitTryOptions,
    settings: DeviceSettings,
    opened: { readonly session: WebKitSession; readonly close: () => Promise<void> },
    served: ServedApp | undefined,
  ) {
    this.app = app;
    this.#onEvent = options.onEvent;
    this.#settings = settings;
    this.#session = opened.session;
    this.#close = opened.close;
    this.#served = served;
  }

  /** @throws HullError `browser.failed` */
  static async start(app: PackedApp, options: WebKitTryOptions): Promise<WebKitTrySession> {
    const settings = { ...USUAL_SETTINGS, ...options.settings };
    let session: WebKitTrySession | undefined;
    const change = asAppWindow({
      mode: () => app.settings.display,
      insets: () => session?.plan().safeArea ?? NONE,
      script: () => '',
    });
    const served = app.settings.packed
      ? await serveApp(app, change, (request) => options.onEvent({ is: 'request', request }))
      : undefined;
    try {
      const { width, height } = heldScreen(app.platform, settings.device, 'portrait');
      const opened = await openWebKit(options.webkit, settings, Math.max(width, height, 1280));
      session = new WebKitTrySession(app, options, settings, opened, served);
      await session.#fit();
      return session;
    } catch (error) {
      await served?.close();
      throw error;
    }
  }

  state(): TryState {
    return {
      ...this.#settings,
      shows: this.#shows,
      url: this.#places.at(-1),
      window: undefined,
      runs: this.#places.length > 0,
    };
  }

  plan(): ScreenPlan {
    const { device, turn, scheme } = this.#settings;
    return planScreen(this.app, heldScreen(this.app.platform, device, turn), scheme);
  }

  #changed(): void {
    this.#onEvent({ is: 'state' });
  }

  /** Does one thing after the other; what fails is reported as the page's. */
  #do<T>(work: () => Promise<T>): Promise<T | undefined> {
    const next = this.#turn.then(work).catch((error: unknown) => {
      if (!this.#isClosed)
        this.#onEvent({ is: 'console', level: 'error', text: `WebKit: ${String(error).split('\n')[0]}` });
      return undefined;
    });
    this.#turn = next;
    return next;
  }

  #fit(): Promise<void> {
    const { page } = this.plan();
    return this.#session.resize(page.width, page.height);
  }

  /** An address of the package where the engine finds it, and back. */
  #addressFor(address: string): string {
    const { packed } = this.app.settings;
    return this.#served && packed && address.startsWith(packed.origin)
      ? this.#served.origin + address.slice(packed.origin.length)
      : address;
  }

  #real(address: string): string {
    const { packed } = this.app.settings;
    return this.#served && packed && address.startsWith(this.#served.origin)
      ? packed.origin + address.slice(this.#served.origin.length)
      : address;
  }

  /** Opens an address of the package. */
  #show(address: string): Promise<void> {
    return openInApp(this.#session, this.#addressFor(address), this.app.settings.display);
  }

  async launchApp(address: string = this.app.settings.start.href): Promise<void> {
    this.#shows = 'app';
    this.#changed();
    await this.#do(async () => {
      if (this.#places.at(-1) !== address) this.#places.push(address);
      await this.#show(address);
    });
    await this.#do(() => this.#look());
    this.#timer ??= setInterval(() => void this.#do(() => this.#look()), LOOK);
  }

  /** Shows what is to be seen now, and notes where the page has gone. */
  async #look(): Promise<void> {
    if (this.#isClosed || this.#shows === 'home') return;
    const address = this.#real(await this.#session.run<string>('return location.href'));
    if (address !== this.#places.at(-1)) await this.#went(address);
    const seen = await watched(this.#session);
    for (const { text } of seen?.errors.slice(this.#said) ?? [])
      this.#onEvent({ is: 'console', level: 'error', text });
    this.#said = seen?.errors.length ?? 0;
    const png = await this.#session.picture();
    const digest = createHash('sha256').update(png).digest('hex');
    if (digest === this.#picture) return;
    this.#picture = digest;
    const { default: sharp } = await import('sharp');
    this.#onEvent({ is: 'frame', bytes: await sharp(png).jpeg({ quality: QUALITY }).toBuffer() });
  }

  /** The page has led elsewhere: what is outside opens in a browser, and the app stays where it was. */
  async #went(address: string): Promise<void> {
    this.#said = 0;
    const url = parseUrl(address);
    if (url !== undefined && /^https?:$/.test(url.protocol) && !isInside(this.app.settings, url)) {
      this.#onEvent({ is: 'outside', what: 'opens in a browser', url: url.href });
      const before = this.#places.at(-1);
      if (before !== undefined) await this.#show(before);
      return;
    }
    // A page that is gone back to is not another one.
    if (this.#places.at(-2) === address) this.#places.pop();
    else this.#places.push(address);
    this.#changed();
  }

  async resume(): Promise<void> {
    if (this.#places.length === 0) return this.launchApp();
    this.#shows = 'app';
    this.#picture = '';
    this.#changed();
  }

  async reload(): Promise<void> {
    const at = this.#places.at(-1);
    if (at !== undefined) await this.#do(() => this.#show(at));
  }

  home(): void {
    this.#shows = 'home';
    this.#changed();
  }

  async back(): Promise<void> {
    await this.#do(async () => {
      const before = this.#places.at(-2);
      if (before === undefined) return this.home();
      this.#places.pop();
      await this.#show(before);
      this.#changed();
    });
  }

  /** A touch that stays where it is is a tap; one that moves scrolls. */
  async touch(kind: 'start' | 'move' | 'end' | 'cancel', x: number, y: number): Promise<void> {
    const began = this.#finger;
    if (kind === 'start') this.#finger = { x, y };
    if (kind === 'start' || kind === 'move' || began === undefined) return;
    this.#finger = undefined;
    if (kind === 'cancel') return;
    const isTap = Math.hypot(x - began.x, y - began.y) <= TAP;
    await this.#do(() =>
      isTap
        ? this.#session.tap(x, y)
        : this.#session.run(`scrollBy(${Math.round(began.x - x)}, ${Math.round(began.y - y)})`),
    );
  }

  async wheel(_x: number, _y: number, deltaX: number, deltaY: number): Promise<void> {
    await this.#do(() => this.#session.run(`scrollBy(${Math.round(deltaX)}, ${Math.round(deltaY)})`));
  }

  async key(name: string): Promise<void> {
    const key = KEYS[name.split('+').at(-1) ?? ''];
    if (key !== undefined) await this.#do(() => this.#session.press(key));
  }

  async text(text: string): Promise<void> {
    await this.#do(() => this.#session.press(text));
  }

  /** What the app asks is refused: nobody can answer for it in this engine. */
  open(): Question[] {
    return [];
  }

  answerQuestion(): void {}

  async openLink(text: string): Promise<LinkVerdict> {
    const url = linkAddress(this.app, text);
    const verdict = linkVerdict(this.app.settings, url);
    if (verdict.opens === 'app') await this.launchApp(url.href);
    return verdict;
  }

  async openShortcut(name: string): Promise<void> {
    await this.launchApp(shortcutAddress(this.app, name));
  }

  async setScreen(device: DeviceKind, turn: Orientation): Promise<void> {
    this.#settings = { ...this.#settings, device, turn };
    const at = this.#places.at(-1);
    await this.#do(async () => {
      await this.#fit();
      if (at !== undefined) await this.#show(at);
    });
    this.#changed();
  }

  #refuse(what: string): never {
    throw new HullError('try.not-in-engine', `WebKit’s driver cannot ${what}.`, {
      fix: 'Try the app in Chromium for that.',
    });
  }

  setScheme(): Promise<void> {
    this.#refuse('change colours while it runs; start it with the ones that you want');
  }

  setNetwork(): Promise<void> {
    this.#refuse('slow or cut the network');
  }

  setTextSize(): Promise<void> {
    this.#refuse('draw text larger');
  }

  setLanguage(): Promise<void> {
    this.#refuse('speak another language');
  }

  endProcess(): Promise<void> {
    this.#refuse('end the process of a page');
  }

  share(): Promise<string | undefined> {
    this.#refuse('bring what is shared to a page');
  }

  stored(): Promise<never[]> {
    this.#refuse('tell what pages have stored');
  }

  update(): Promise<void> {
    this.#refuse('keep what pages have stored over an update');
  }

  async picture(): Promise<Uint8Array | undefined> {
    return this.#shows === 'home' ? undefined : this.#do(() => this.#session.picture());
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    clearInterval(this.#timer);
    await this.#turn;
    await this.#close();
    await this.#served?.close();
    await this.app.close();
  }
}
