import { spawn } from 'node:child_process';
import { setTimeout as sleep } from 'node:timers/promises';
import { HullError } from '../../errors.js';
import { freePort } from '../../net/free-port.js';
import { debug } from '../../util/debug.js';
import type { WebKitPrograms } from './find.js';

export interface WebKitOptions {
  readonly programs: WebKitPrograms;
  /** The engine's whole environment, empty where nothing is said: it runs pages of others, and needs no secret of ours. */
  readonly environment?: Readonly<Record<string, string>>;
  readonly signal?: AbortSignal | undefined;
  readonly onStep?: (what: string) => void;
}

/** What a window is like for as long as it is open. */
export interface WebKitWindow {
  /** Device pixels a CSS px: a whole number. */
  readonly scale: number;
  /** `prefers-color-scheme`. */
  readonly scheme: 'light' | 'dark';
  /** CSS px of the largest page that is shown. */
  readonly largest: { readonly width: number; readonly height: number };
}

const START_MS = 15_000;
const LOAD_MS = 20_000;
const SCRIPT_MS = 20_000;
const RESIZE_MS = 4000;
const FRAME_MS = 60;
/** How long a window may take to have another size. */
const SETTLE_MS = 150;
/** Beyond what the driver itself waits for. */
const SPARE_MS = 10_000;

/**
 * Until nothing more is asked for, and two frames more: before these, a picture may be empty. What does not end
 * holds it up for five seconds at most.
 */
const SETTLED = `const done = arguments[arguments.length - 1];
const asked = () => performance.getEntriesByType('resource').length;
const end = Date.now() + 5000;
const frames = () => requestAnimationFrame(() => requestAnimationFrame(() => done(true)));
const settle = (before, calm) => setTimeout(() => {
  const now = asked();
  const isWhole = document.readyState === 'complete' && document.fonts.status === 'loaded';
  if (Date.now() > end || (isWhole && now === before && calm >= 3)) frames();
  else settle(now, now === before ? calm + 1 : 0);
}, 100);
settle(asked(), 0);`;

/** A window of WebKit, driven by the W3C WebDriver protocol (https://www.w3.org/TR/webdriver2/). */
export class WebKitSession {
  readonly #origin: string;
  readonly #path: string;
  readonly #signal: AbortSignal | undefined;
  /** Name and version. */
  readonly name: string;
  /** Of the page, CSS px. */
  #size = { width: 0, height: 0 };

  private constructor(origin: string, path: string, name: string, signal: AbortSignal | undefined) {
    this.#origin = origin;
    this.#path = path;
    this.name = name;
    this.#signal = signal;
  }

  static async open(origin: string, { programs, signal }: WebKitOptions): Promise<WebKitSession> {
    const made = (await call(origin, 'POST', '/session', signal, {
      capabilities: {
        alwaysMatch: {
          'webkitgtk:browserOptions': { binary: programs.view, args: ['--automation', '--full-screen'] },
          timeouts: { pageLoad: LOAD_MS, script: SCRIPT_MS },
        },
      },
    })) as { sessionId: string; capabilities: { browserVersion?: string } };
    const version = made.capabilities.browserVersion ?? '';
    return new WebKitSession(origin, `/session/${made.sessionId}`, `WebKit ${version}`.trim(), signal);
  }

  #call(method: 'GET' | 'POST' | 'DELETE', path: string, body?: object): Promise<unknown> {
    return call(this.#origin, method, this.#path + path, this.#signal, body);
  }

  /** Gives the page another size, and waits until it has it. CSS px. */
  async resize(width: number, height: number): Promise<void> {
    this.#size = { width, height };
    // What the window asks its user about the old page takes room of the new one's.
    await this.#call('POST', '/url', { url: 'about:blank' });
    await this.#call('POST', '/window/rect', { width, height });
    await this.#fit();
  }

  /** Makes up for what the window shows beside the page, as the questions of permissions. */
  async #fit(): Promise<void> {
    const { width, height } = this.#size;
    let asked = { width, height };
    for (const end = Date.now() + RESIZE_MS; Date.now() < end; ) {
      const [now, soon] = [await this.#inner(), await sleep(FRAME_MS).then(() => this.#inner())];
      if (now.width === width && now.height === height) return;
      if (now.width !== soon.width || now.height !== soon.height) continue;
      asked = { width: asked.width + width - now.width, height: asked.height + height - now.height };
      await this.#call('POST', '/window/rect', asked);
      await sleep(SETTLE_MS);
    }
    throw new Error(`the window does not take the size ${width} × ${height}`);
  }

  async #inner(): Promise<{ readonly width: number; readonly height: number }> {
    const [width, height] = await this.run<[number, number]>('return [innerWidth, innerHeight]');
    return { width, height };
  }

  /** Opens an address, and waits until it has loaded and its requests have ended. */
  async goto(url: string): Promise<void> {
    await this.#call('POST', '/url', { url });
    await this.#call('POST', '/execute/async', { script: SETTLED, args: [] });
    await this.#fit();
  }

  /** Runs the body of a function in the page. */
  async run<T>(script: string): Promise<T> {
    return (await this.#call('POST', '/execute/sync', { script, args: [] })) as T;
  }

  /** Runs the body of a function in the page that ends by calling its last argument. */
  async wait<T>(script: string): Promise<T> {
    return (await this.#call('POST', '/execute/async', { script, args: [] })) as T;
  }

  /** The page before; nothing happens where there is none. */
  async back(): Promise<void> {
    await this.#call('POST', '/back', {});
  }

  /** Touches a place of the page, CSS px. */
  async tap(x: number, y: number): Promise<void> {
    const at = { type: 'pointerMove', duration: 0, x: Math.round(x), y: Math.round(y) };
    await this.#act('pointer', [at, { type: 'pointerDown', button: 0 }, { type: 'pointerUp', button: 0 }]);
  }

  /** Presses keys one after the other; those without a letter by their code points (section 17.4.2). */
  async press(keys: string): Promise<void> {
    const actions = [...keys].flatMap((value) => [
      { type: 'keyDown', value },
      { type: 'keyUp', value },
    ]);
    await this.#act('key', actions);
  }

  async #act(type: 'pointer' | 'key', actions: readonly object[]): Promise<void> {
    const parameters = type === 'pointer' ? { parameters: { pointerType: 'mouse' } } : {};
    await this.#call('POST', '/actions', { actions: [{ type, id: type, ...parameters, actions }] });
  }

  /** What is to be seen of the page: PNG, in device pixels. */
  async picture(): Promise<Uint8Array> {
    return new Uint8Array(Buffer.from((await this.#call('GET', '/screenshot')) as string, 'base64'));
  }

  async close(): Promise<void> {
    await this.#call('DELETE', '');
  }
}

/** One request of the protocol (section 6.3): JSON both ways, a `value` in each answer. */
async function call(
  origin: string,
  method: string,
  path: string,
  signal: AbortSignal | undefined,
  body?: object,
): Promise<unknown> {
  const late = AbortSignal.timeout(LOAD_MS + SPARE_MS);
  const response = await fetch(origin + path, {
    method,
    signal: signal ? AbortSignal.any([signal, late]) : late,
    ...(body === undefined
      ? {}
      : { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
  });
  const { value } = (await response.json()) as { value: unknown };
  if (response.ok) return value;
  const { error = '', message = '' } = (value ?? {}) as { error?: string; message?: string };
  throw new Error([error, message].filter((one) => one !== '').join(': '));
}

/** Runs the driver until its input ends, however this process ends; the screen is put away then. */
const UNTIL_INPUT_ENDS = '"$0" "$@" & driver=$!; read -r _; kill "$driver" 2>/dev/null; wait';

interface Driver {
  readonly origin: string;
  stop(): Promise<void>;
}

async function startDriver(
  { programs, environment, signal }: WebKitOptions,
  { scale, scheme, largest }: WebKitWindow,
): Promise<Driver> {
  const port = await freePort();
  const screen = `-screen 0 ${largest.width * scale}x${largest.height * scale}x24 -nolisten tcp`;
  const { WAYLAND_DISPLAY: _wayland, DISPLAY: _display, XAUTHORITY: _authority, ...own } = environment ?? {};
  debug('starting %s at port %d', programs.driver, port);
  const child = spawn(
    programs.screen,
    [
      ...['-a', '-s', screen, 'sh', '-c', UNTIL_INPUT_ENDS],
      ...[programs.driver, '-p', String(port), '--host=127.0.0.1'],
    ],
    {
      stdio: ['pipe', 'ignore', 'ignore'],
      detached: true,
      env: {
        ...own,
        GDK_BACKEND: 'x11',
        GDK_SCALE: String(scale),
        NO_AT_BRIDGE: '1',
        ...(scheme === 'dark' ? { GTK_THEME: 'Adwaita:dark' } : {}),
      },
    },
  );
  const ended = new Promise<void>((resolve) => {
    child.once('error', () => resolve());
    child.once('exit', () => resolve());
  });
  let isOver = false;
  void ended.then(() => {
    isOver = true;
  });
  child.stdin?.on('error', () => undefined);
  const stop = async () => {
    child.stdin?.end();
    await Promise.race([ended, sleep(3000, undefined, { ref: false })]);
    if (isOver || child.pid === undefined) return;
    try {
      process.kill(-child.pid, 'SIGKILL');
    } catch {
      // It has ended meanwhile.
    }
  };
  const origin = `http://127.0.0.1:${port}`;
  for (const end = Date.now() + START_MS; Date.now() < end && !isOver; await sleep(50)) {
    signal?.throwIfAborted();
    const isReady = await fetch(`${origin}/status`, { signal: AbortSignal.timeout(1000) }).then(
      ({ ok }) => ok,
      () => false,
    );
    if (isReady) return { origin, stop };
  }
  await stop();
  throw new Error(isOver ? 'its driver ended at once' : 'its driver does not answer');
}

const failed = (observed: string, options: WebKitOptions, cause: unknown) =>
  new HullError('browser.failed', `WebKit stopped: ${observed.split('\n')[0]}.`, {
    location: { file: options.programs.driver },
    fix: 'Run the command again; or look with Chromium alone.',
    cause,
  });

/**
 * Starts WebKit with one window for some work, and ends it afterwards.
 *
 * @throws HullError `browser.failed`, and what the work throws as such an error
 */
export async function withWebKit<T>(
  options: WebKitOptions,
  window: WebKitWindow,
  work: (session: WebKitSession) => Promise<T>,
): Promise<T> {
  let driver: Driver | undefined;
  let session: WebKitSession | undefined;
  try {
    driver = await startDriver(options, window);
    session = await WebKitSession.open(driver.origin, options);
    return await work(session);
  } catch (error) {
    if (error instanceof HullError || options.signal?.aborted) throw error;
    throw failed(error instanceof Error ? error.message : String(error), options, error);
  } finally {
    await session?.close().catch(() => undefined);
    await driver?.stop();
  }
}
