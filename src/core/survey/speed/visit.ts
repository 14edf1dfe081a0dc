import type { CDPSession, Page } from 'playwright-core';
import { VITALS, VITALS_SCRIPT, type Vitals } from '../../browser/vitals.js';
import { asNumber, asText, isObject, type JsonObject } from '../../util/json-object.js';
import { type ByteKind, PROFILE, type TimedRequest } from './facts.js';

/** One visit of a page, from its navigation until it is quiet. */
export interface SingleVisit {
  readonly vitals: Vitals;
  readonly requests: readonly TimedRequest[];
}

const GOTO = 30_000;
/** ms without a request or a long task after which a page is quiet, and how long that is waited for. */
const QUIET = 600;
const PATIENCE = 12_000;
const LOOK = 100;
const TAP = 1500;

/** What the engine calls kinds of requests, by ours. */
const KINDS: Readonly<Record<string, ByteKind>> = {
  Document: 'document',
  Script: 'script',
  Stylesheet: 'style',
  Image: 'image',
  Font: 'font',
  Media: 'media',
};

/** Seconds that an answer may be kept (RFC 9111, section 4.2.1); `undefined` where it does not say. */
export function keptFor(headers: Readonly<Record<string, string>>): number | undefined {
  const control = headers['cache-control'] ?? '';
  if (/\bno-(?:store|cache)\b/i.test(control)) return 0;
  const age = /\bmax-age\s*=\s*"?(\d+)/i.exec(control)?.[1];
  if (age !== undefined) return Number(age);
  const expires = Date.parse(headers.expires ?? '');
  const date = Date.parse(headers.date ?? '');
  if (headers.expires === undefined) return undefined;
  return Number.isNaN(expires) || Number.isNaN(date) ? 0 : Math.max(0, (expires - date) / 1000);
}

interface Open {
  readonly url: string;
  readonly kind: ByteKind;
  readonly by: string;
  readonly start: number;
  status: number;
  answered: number;
  end: number;
  bytes: number;
  unpacked: number;
  from: TimedRequest['from'];
  keptFor: number | undefined;
}

const headersOf = (value: unknown): Record<string, string> =>
  Object.fromEntries(
    Object.entries(isObject(value) ? value : {}).map(([name, one]) => [name.toLowerCase(), asText(one)]),
  );

/** What a page asks for while it loads, by the engine's own clock. */
class Traffic {
  readonly #open = new Map<string, Open>();
  readonly #done: Open[] = [];
  #began: number | undefined;
  #last = Date.now();

  listen(cdp: CDPSession): void {
    const on = (event: string, take: (params: JsonObject) => void) =>
      cdp.on(event as 'Network.loadingFinished', (params) => {
        this.#last = Date.now();
        take(params as unknown as JsonObject);
      });
    on('Network.requestWillBeSent', (params) => this.#asked(params));
    on('Network.responseReceived', (params) => this.#answered(params));
    on('Network.dataReceived', ({ requestId, dataLength }) => {
      const one = this.#open.get(asText(requestId));
      if (one) one.unpacked += asNumber(dataLength);
    });
    on('Network.requestServedFromCache', ({ requestId }) => {
      const one = this.#open.get(asText(requestId));
      if (one) one.from = 'cache';
    });
    on('Network.loadingFinished', ({ requestId, timestamp, encodedDataLength }) =>
      this.#ended(asText(requestId), asNumber(timestamp), asNumber(encodedDataLength)),
    );
    on('Network.loadingFailed', ({ requestId, timestamp }) =>
      this.#ended(asText(requestId), asNumber(timestamp), 0),
    );
  }

  #at = (timestamp: number): number => Math.round((timestamp - (this.#began ?? timestamp)) * 1000);

  #asked({ requestId, request, type, timestamp, initiator, redirectResponse }: JsonObject): void {
    if (!isObject(request) || !/^https?:/.test(asText(request.url))) return;
    this.#began ??= asNumber(timestamp);
    const id = asText(requestId);
    // What leads on is a request of its own.
    if (isObject(redirectResponse))
      this.#ended(id, asNumber(timestamp), asNumber(redirectResponse.encodedDataLength));
    this.#open.set(id, {
      url: asText(request.url),
      kind: KINDS[asText(type)] ?? 'other',
      by: isObject(initiator) ? asText(initiator.url) : '',
      start: this.#at(asNumber(timestamp)),
      ...{ status: 0, answered: 0, end: 0, bytes: 0, unpacked: 0, from: 'network', keptFor: undefined },
    });
  }

  #answered({ requestId, response, timestamp }: JsonObject): void {
    const one = this.#open.get(asText(requestId));
    if (one === undefined || !isObject(response)) return;
    one.status = asNumber(response.status);
    // The event itself comes when a busy page gets to it.
    const { timing } = response;
    one.answered = isObject(timing)
      ? this.#at(asNumber(timing.requestTime) + asNumber(timing.receiveHeadersEnd) / 1000)
      : this.#at(asNumber(timestamp));
    if (response.fromServiceWorker === true) one.from = 'worker';
    else if (response.fromDiskCache === true) one.from = 'cache';
    one.keptFor = keptFor(headersOf(response.headers));
  }

  #ended(id: string, timestamp: number, bytes: number): void {
    const one = this.#open.get(id);
    if (one === undefined) return;
    this.#open.delete(id);
    one.end = this.#at(timestamp);
    one.bytes = one.from === 'network' ? bytes : 0;
    this.#done.push(one);
  }

  /** Whether nothing has been asked for or answered for a while. */
  get isQuiet(): boolean {
    return this.#open.size === 0 && Date.now() - this.#last >= QUIET;
  }

  requests(blocking: ReadonlySet<string>): TimedRequest[] {
    const own = [...this.#done, ...this.#open.values()];
    return own
      .map((one) => ({
        ...one,
        end: one.end || one.answered || one.start,
        isBlocking: blocking.has(one.url),
      }))
      .sort((one, other) => one.start - other.start);
  }
}

/** Has a page be as slow as the phone; the network only where the page does not come from a package. */
export async function slowDown(cdp: CDPSession, network: 'slow' | 'none'): Promise<void> {
  await cdp.send('Emulation.setCPUThrottlingRate', { rate: PROFILE.processor });
  await cdp.send('Network.enable');
  if (network === 'none') return;
  await cdp.send('Network.emulateNetworkConditions', {
    offline: false,
    latency: PROFILE.latency,
    downloadThroughput: PROFILE.down / 8,
    uploadThroughput: PROFILE.up / 8,
  });
}

/** Addresses that the page was not drawn before. */
const BLOCKING = `performance.getEntriesByType('resource').filter((one) => one.renderBlockingStatus === 'blocking').map((one) => one.name)`;

/** The first control that can be seen and does not lead away; a tap on it changes nothing outside of the page. */
const FIND_CONTROL = `(() => {
  const stop = (event) => { if (event.type === 'submit' || event.target.closest?.('a[href]')) event.preventDefault(); };
  for (const type of ['click', 'submit']) addEventListener(type, stop, true);
  const fits = (one) => {
    const box = one.getBoundingClientRect();
    if (box.width < 8 || box.height < 8 || box.top < 0 || box.bottom > innerHeight || box.left < 0 || box.right > innerWidth) return false;
    const hit = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
    return hit !== null && (one.contains(hit) || hit.contains(one));
  };
  const found = [...document.querySelectorAll('button:not([disabled]), [role=button], [role=tab], summary, input[type=checkbox], select, input, a[href]')].find(fits);
  if (!found) return null;
  const box = found.getBoundingClientRect();
  return { x: box.left + box.width / 2, y: box.top + box.height / 2 };
})()`;

/** Taps the first control; what it would send that changes something is not sent. */
async function tapFirstControl(page: Page, cdp: CDPSession): Promise<void> {
  const place: unknown = await page.evaluate(FIND_CONTROL).catch(() => null);
  if (!isObject(place)) return;
  await page.route('**/*', (route) =>
    /^(?:GET|HEAD|OPTIONS)$/.test(route.request().method()) && !route.request().isNavigationRequest()
      ? // The route of the context adds the header fields of the host.
        route.fallback()
      : route.abort('aborted'),
  );
  const touchPoints = [{ x: asNumber(place.x), y: asNumber(place.y) }];
  await cdp.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints });
  await cdp.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
  // An entry comes with the frame after it.
  const end = Date.now() + TAP;
  for (;;) {
    await page.waitForTimeout(LOOK * 2);
    if ((await vitalsOf(page)).interaction !== undefined || Date.now() > end) break;
  }
  await page.unroute('**/*').catch(() => undefined);
}

async function vitalsOf(page: Page): Promise<Vitals> {
  const json: unknown = await page.evaluate(`self.${VITALS} && self.${VITALS}()`).catch(() => undefined);
  const empty: Vitals = { firstByte: 0, shift: 0, shifted: [], blocked: 0, tasks: [] };
  return typeof json === 'string' ? (JSON.parse(json) as Vitals) : empty;
}

/**
 * Loads a page once in a window, and waits until it is quiet.
 *
 * @param tap whether its first control is touched at the end
 */
export async function visitOnce(
  page: Page,
  cdp: CDPSession,
  url: string,
  tap: 'tap' | 'look-only',
): Promise<SingleVisit> {
  const traffic = new Traffic();
  traffic.listen(cdp);
  await page.addInitScript(VITALS_SCRIPT);
  await page.goto(url, { waitUntil: 'load', timeout: GOTO });
  const end = Date.now() + PATIENCE;
  let tasks = '';
  let since = Date.now();
  for (;;) {
    await page.waitForTimeout(LOOK);
    const now = JSON.stringify((await vitalsOf(page)).tasks);
    if (now !== tasks) since = Date.now();
    tasks = now;
    if ((traffic.isQuiet && Date.now() - since >= QUIET) || Date.now() > end) break;
  }
  const blocking: unknown = await page.evaluate(BLOCKING).catch(() => []);
  const before = await vitalsOf(page);
  if (tap === 'tap') await tapFirstControl(page, cdp);
  const { interaction } = tap === 'tap' ? await vitalsOf(page) : before;
  return {
    // What the tap has moved or blocked is no part of how the page came.
    vitals: { ...before, ...(interaction === undefined ? {} : { interaction }) },
    requests: traffic.requests(new Set(Array.isArray(blocking) ? blocking.map(String) : [])),
  };
}
