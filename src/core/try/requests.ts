import type { Frame, Page, Request, Route } from 'playwright-core';
import { BACKEND_PATH, SHOP_PATH } from '../store/stand-in-paths.js';
import { parseUrl } from '../util/url-path.js';
import { packedAnswer } from './answer.js';
import type { ShownRequest, TryEvent } from './events.js';
import type { PackedApp } from './packed-app.js';
import { isInside } from './settings.js';
import { type PageOutcome, readWords, type Trouble, troubleOf, troublePage } from './trouble.js';

export type Network = 'on' | 'slow' | 'off';

/** What requests are answered by: the app that runs, and the device around it. */
export interface Surroundings {
  readonly app: PackedApp;
  readonly network: Network;
  readonly scheme: 'light' | 'dark';
  /** BCP 47. */
  readonly language: string;
  /** The app's own window. */
  readonly page: Page | undefined;
  /** Whether a window of a page is shown. */
  isShown(page: Page): boolean;
  /** Whether a window that has not come yet is one that will be shown. */
  readonly awaitsWindow: boolean;
}

/** Servers on this computer that answer for a store and for the app's own. */
export interface StoreAccess {
  readonly origin: string;
  readonly backend?: string | undefined;
}

/** The frame that asks; `undefined` for a worker, and for a window that is being made. */
function frameOf(request: Request): Frame | undefined {
  try {
    return request.frame();
  } catch {
    return undefined;
  }
}

/** Answers what the pages of an app ask for, as its shell would. */
export class RequestDesk {
  readonly #around: Surroundings;
  readonly #store: StoreAccess | undefined;
  readonly #tell: (event: TryEvent) => void;
  /** A page for which the shell's own comes next time. */
  #trouble: { readonly url: string; readonly why: Trouble } | undefined;

  constructor(around: Surroundings, store: StoreAccess | undefined, tell: (event: TryEvent) => void) {
    this.#around = around;
    this.#store = store;
    this.#tell = tell;
  }

  async answer(route: Route): Promise<void> {
    const request = route.request();
    try {
      const url = parseUrl(request.url());
      if (url === undefined) await route.abort();
      else await this.#answer(route, request, url);
    } catch {
      // The page that asked is gone.
      await route.abort().catch(() => undefined);
    }
  }

  async #answer(route: Route, request: Request, url: URL): Promise<void> {
    const { app, network } = this.#around;
    if (this.#isOfUnshownWindow(request)) return route.abort('aborted');
    const isPage = this.#isOfPage(request);
    if (isPage && !isInside(app.settings, url)) {
      this.#tell({ is: 'outside', what: 'opens in a browser', url: url.href });
      return route.abort('aborted');
    }
    if (isPage && this.#trouble?.url === url.href)
      return this.#answerWithTrouble(route, this.#trouble.why, url);
    const standIn = isInside(app.settings, url) ? this.#standInFor(url) : undefined;
    if (standIn !== undefined) return this.#handOn(route, request, standIn);
    const headers = await request.allHeaders();
    const answer = await packedAnswer(app, { method: request.method(), url, headers });
    if (answer !== 'network') {
      this.#show(request, 'package', answer.status);
      const why = isPage ? troubleOf(app.settings, url, answer.status) : undefined;
      if (why !== undefined) return this.#answerWithTrouble(route, why, url);
      return route.fulfill({
        status: answer.status,
        headers: { ...answer.headers },
        body: Buffer.from(answer.body),
      });
    }
    if (network !== 'off') {
      this.#show(request, 'network', 0);
      return route.continue();
    }
    this.#show(request, 'nobody', 0);
    if (isPage) return this.#answerWithTrouble(route, 'offline', url);
    return route.abort('internetdisconnected');
  }

  #show(request: Request, from: ShownRequest['from'], status: number): void {
    this.#tell({ is: 'request', request: { method: request.method(), url: request.url(), from, status } });
  }

  /** Whether a request is for another page in the app's own window. */
  #isOfPage(request: Request): boolean {
    const { page } = this.#around;
    return request.isNavigationRequest() && page !== undefined && frameOf(request) === page.mainFrame();
  }

  /** Whether a request is for a page in a window that is not shown; the first comes before there is its frame. */
  #isOfUnshownWindow(request: Request): boolean {
    if (!request.isNavigationRequest() || this.#around.page === undefined) return false;
    const page = frameOf(request)?.page();
    return page === undefined
      ? !this.#around.awaitsWindow
      : !this.#around.isShown(page) && !this.#around.awaitsWindow;
  }

  /**
   * Takes note that the network has not brought a page, or another than was asked for.
   *
   * @returns the address to load again, where the shell's own page comes in its place
   */
  notes(url: string, outcome: PageOutcome): string | undefined {
    const address = parseUrl(url);
    const why = address && troubleOf(this.#around.app.settings, address, outcome);
    if (why === undefined) return undefined;
    this.#trouble = { url, why };
    return url;
  }

  /** The shell's own page; without a network it is one of the app's, where it has one for that. */
  #answerWithTrouble(route: Route, why: Trouble, url: URL): Promise<void> {
    this.#trouble = undefined;
    const { app, language, scheme } = this.#around;
    const { offline } = app.settings.errors;
    if (why === 'offline' && offline !== undefined && offline.href !== url.href) {
      const script = `<!doctype html><script>location.replace(${JSON.stringify(offline.href).replaceAll('<', '\\u003c')})</script>`;
      return route.fulfill({ status: 200, contentType: 'text/html; charset=utf-8', body: script });
    }
    this.#tell({ is: 'trouble', why, url: url.href });
    const words = readWords(app.words, language);
    return route.fulfill({
      status: 200,
      contentType: 'text/html; charset=utf-8',
      body: troublePage(app.settings, words, why, scheme, url.href),
    });
  }

  /** Where else than in the package something is answered; `undefined` for most. */
  #standInFor({ pathname, search }: URL): string | undefined {
    const { origin, backend } = this.#store ?? {};
    if (origin !== undefined && pathname.startsWith(SHOP_PATH))
      return `${origin}/shop/${this.#around.app.id}/${pathname.slice(SHOP_PATH.length)}${search}`;
    return backend !== undefined && pathname.startsWith(BACKEND_PATH)
      ? backend + pathname + search
      : undefined;
  }

  /** Hands what a page wants of the store, or of the app's own server, to those on this computer. */
  async #handOn(route: Route, request: Request, to: string): Promise<void> {
    const body = request.postData();
    try {
      const answer = await fetch(to, {
        method: request.method(),
        ...(body === null ? {} : { body, headers: { 'content-type': 'application/json' } }),
      });
      this.#show(request, 'store', answer.status);
      await route.fulfill({
        status: answer.status,
        contentType: answer.headers.get('content-type') ?? 'application/json',
        body: Buffer.from(await answer.arrayBuffer()),
      });
    } catch {
      this.#show(request, 'nobody', 0);
      await route.fulfill({ status: 502, json: { problem: `${new URL(to).host} does not answer.` } });
    }
  }
}
