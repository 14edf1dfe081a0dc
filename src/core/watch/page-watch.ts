import { type InspectedPage, Inspection, inspectorAddress } from '../browser/inspection.js';
import { VITALS, VITALS_SCRIPT, type Vitals } from '../browser/vitals.js';
import { asNumber, asText, isObject, type JsonObject } from '../util/json-object.js';
import type { ScriptPlace, WatchFact } from './events.js';
import { consoleText } from './remote-values.js';
import { type ProjectText, SourceMaps } from './source-maps.js';

export interface PageWatchOptions {
  /** On loopback. */
  readonly port: number;
  readonly projectText: ProjectText;
  readonly onEvent: (event: WatchFact) => void;
}

interface KnownRequest {
  readonly method: string;
  readonly url: string;
}

/** ms without a change after which vitals are reported; those of a page that is left come before. */
const SETTLED = 2500;
const LOOK = 1000;
/** Requests whose answer is still waited for. */
const MOST_REQUESTS = 5000;
const MOST_STACK = 6;
const MOST_PROPERTIES = 5;
/** Asked for first, so that what has been said before finds its source. */
const FIRST = 'Debugger.enable';

const LEVELS: Readonly<Record<string, 'error' | 'warning' | 'info'>> = {
  error: 'error',
  assert: 'error',
  warning: 'warning',
};

function placesOf(stack: unknown): ScriptPlace[] {
  const frames = isObject(stack) && Array.isArray(stack.callFrames) ? stack.callFrames.filter(isObject) : [];
  return frames.slice(0, MOST_STACK).flatMap((frame): ScriptPlace[] => {
    const url = asText(frame.url);
    if (url === '') return [];
    const name = asText(frame.functionName);
    return [
      {
        url,
        line: asNumber(frame.lineNumber) + 1,
        column: asNumber(frame.columnNumber) + 1,
        ...(name === '' ? {} : { name }),
      },
    ];
  });
}

/** An error in its own words, without the lines of its stack. */
function errorText(details: JsonObject): string {
  const exception = isObject(details.exception) ? details.exception : {};
  const description = asText(exception.description) || asText(details.text);
  const lines = description.split('\n');
  const end = lines.findIndex((line) => /^\s+at /.test(line));
  const own = (end < 0 ? lines : lines.slice(0, end)).join('\n');
  if (exception.description !== undefined) return own;
  return exception.value === undefined ? own : `${asText(details.text)} ${String(exception.value)}`;
}

/** Why a resource did not load, out of the line that engines log for it. */
const failureText = (line: string): string =>
  /(?:status of |net::)(?:\d+ \([^)]*\)|\w+)/
    .exec(line)?.[0]
    .replace('status of ', '')
    .replaceAll(/[()]/g, '')
    .trim() ?? line;

/** One page of an app on a device, from the moment when it is found until it is gone. */
export class PageWatch {
  readonly page: InspectedPage;
  readonly #options: PageWatchOptions;
  readonly #requests = new Map<string, KnownRequest>();
  #inspection: Inspection | undefined;
  #maps: SourceMaps | undefined;
  #url: string;
  /** Events are passed on in the order in which they came, though the sources of some have to be looked up. */
  #telling: Promise<void> = Promise.resolve();
  #timer: NodeJS.Timeout | undefined;
  #vitals: { readonly json: string; readonly since: number } | undefined;
  #toldVitals = '';
  #isTold = true;
  /** Whether what was said before this connection has come. */
  #isCaughtUp = false;
  /** Nobody listens any more. */
  #isLeft = false;

  constructor(page: InspectedPage, options: PageWatchOptions) {
    this.page = page;
    this.#options = options;
    this.#url = page.url;
  }

  get inspector(): string {
    return inspectorAddress(this.#options.port, this.page.id);
  }

  get url(): string {
    return this.#url;
  }

  /** Whether it still answers. */
  get isOpen(): boolean {
    return this.#inspection !== undefined;
  }

  #tell(event: WatchFact | Promise<WatchFact>): void {
    this.#telling = this.#telling.then(async () => this.#options.onEvent(await event)).catch(() => undefined);
  }

  /** Connects, and tells from now on what the page has said and says. Throws where it is gone. */
  async open(): Promise<void> {
    const inspection = await Inspection.open(
      this.#options.port,
      this.page.id,
      (method, params) => this.#take(method, params),
      () => this.#end(),
    );
    this.#inspection = inspection;
    this.#maps = new SourceMaps(inspection, this.#options.projectText);
    const isPage = this.page.type === 'page';
    // Workers lack some of these.
    const asked = [
      ...(isPage ? ([['Page.enable']] as const) : []),
      [FIRST],
      ['Network.enable'],
      ...(isPage ? ([['Page.addScriptToEvaluateOnNewDocument', { source: VITALS_SCRIPT }]] as const) : []),
      ['Runtime.evaluate', { expression: isPage ? VITALS_SCRIPT : '0' }],
      ['Runtime.enable'],
      ['Log.enable'],
    ] as readonly (readonly [string, JsonObject?])[];
    for (const [method, params] of asked) {
      await inspection.send(method, params).catch(() => undefined);
      // It may have moved since it was listed.
      if (method === 'Page.enable') await this.#findFrame();
      if (method === FIRST) this.#tellOpened(isPage);
    }
    this.#isCaughtUp = true;
    if (isPage) this.#timer = setInterval(() => void this.#lookAtVitals(), LOOK);
  }

  /** A page that is not there yet is reported once it is. */
  #tellOpened(isPage: boolean): void {
    this.#isTold = this.#url !== 'about:blank';
    if (!this.#isTold) return;
    const state = isPage ? 'opened' : 'worker';
    this.#tell({ is: 'page', state, page: this.#url, inspector: this.inspector });
  }

  async #findFrame(): Promise<void> {
    if (this.#maps === undefined) return;
    const { frameTree } = (await this.#inspection?.send('Page.getFrameTree').catch(() => ({}))) as JsonObject;
    const frame = isObject(frameTree) && isObject(frameTree.frame) ? frameTree.frame : {};
    this.#maps.frame = asText(frame.id) || undefined;
    const url = `${asText(frame.url)}${asText(frame.urlFragment)}`;
    if (url !== '') this.#url = url;
  }

  #take(method: string, params: JsonObject): void {
    switch (method) {
      case 'Debugger.scriptParsed':
        this.#maps?.learn({
          url: asText(params.url),
          id: asText(params.scriptId),
          map: asText(params.sourceMapURL),
        });
        break;
      case 'Debugger.paused':
        // A "debugger" statement would stop the app in its user's hands.
        void this.#inspection?.send('Debugger.resume').catch(() => undefined);
        break;
      case 'Runtime.consoleAPICalled':
        this.#console(params);
        break;
      case 'Runtime.exceptionThrown':
        this.#exception(params);
        break;
      case 'Log.entryAdded':
        this.#logged(params);
        break;
      case 'Network.requestWillBeSent':
        this.#asked(params);
        break;
      case 'Network.responseReceived':
        this.#answered(params);
        break;
      case 'Network.loadingFailed':
        this.#failed(params);
        break;
      case 'Network.loadingFinished':
        this.#requests.delete(asText(params.requestId));
        break;
      case 'Page.frameNavigated':
        this.#navigated(params);
        break;
      case 'Page.navigatedWithinDocument':
        if (asText(params.frameId) === this.#maps?.frame) this.#went(asText(params.url));
        break;
      case 'Inspector.targetCrashed':
        this.#tell({ is: 'page', state: 'crashed', page: this.#url, inspector: this.inspector });
        break;
    }
  }

  async #located(places: readonly ScriptPlace[]): Promise<ScriptPlace[]> {
    return Promise.all(places.map(async (place) => (await this.#maps?.locate(place)) ?? place));
  }

  #console({ type, args, stackTrace }: JsonObject): void {
    if (type === 'clear' || type === 'endGroup') return;
    const level = LEVELS[asText(type)] ?? 'info';
    const page = this.#url;
    const places = placesOf(stackTrace).slice(0, 1);
    const event = async (): Promise<WatchFact> => {
      const [place] = await this.#located(places);
      const values = await Promise.all((Array.isArray(args) ? args : []).map((one) => this.#previewed(one)));
      return { is: 'console', level, page, text: consoleText(values), ...(place ? { place } : {}) };
    };
    this.#tell(event());
  }

  /** A value with its preview; what was said before this connection comes without one. */
  async #previewed(value: unknown): Promise<unknown> {
    if (
      !isObject(value) ||
      value.type !== 'object' ||
      value.objectId === undefined ||
      isObject(value.preview)
    )
      return value;
    if (value.subtype === 'error' || value.subtype === 'null') return value;
    const found = await this.#inspection
      ?.send('Runtime.getProperties', { objectId: value.objectId, ownProperties: true })
      .catch(() => undefined);
    const own = (Array.isArray(found?.result) ? found.result.filter(isObject) : []).filter(
      ({ enumerable, value: one }) => enumerable === true && isObject(one),
    );
    if (own.length === 0) return value;
    const properties = own.slice(0, MOST_PROPERTIES).map(({ name, value: one }) => {
      const { type, subtype, value: shown, description } = one as JsonObject;
      return { name, type, subtype, value: String(shown ?? description ?? type) };
    });
    return {
      ...value,
      preview: { subtype: value.subtype, properties, overflow: own.length > MOST_PROPERTIES },
    };
  }

  #exception({ exceptionDetails }: JsonObject): void {
    if (!isObject(exceptionDetails)) return;
    const page = this.#url;
    const stack = placesOf(exceptionDetails.stackTrace);
    const url = asText(exceptionDetails.url);
    const own: ScriptPlace[] =
      stack.length > 0 || url === ''
        ? stack
        : [
            {
              url,
              line: asNumber(exceptionDetails.lineNumber) + 1,
              column: asNumber(exceptionDetails.columnNumber) + 1,
            },
          ];
    const event = async (): Promise<WatchFact> => ({
      is: 'error',
      page,
      text: errorText(exceptionDetails),
      stack: await this.#located(own),
    });
    this.#tell(event());
  }

  /** What the engine itself has to say; of the network, the requests have said it. */
  #logged({ entry }: JsonObject): void {
    if (!isObject(entry) || entry.source === 'javascript') return;
    const url = asText(entry.url);
    if (entry.source === 'network') {
      // What failed before this connection has no request of its own here.
      if (!this.#isCaughtUp && url !== '' && !url.endsWith('/favicon.ico'))
        this.#tell({ is: 'request', page: this.#url, method: '', url, why: failureText(asText(entry.text)) });
      return;
    }
    this.#tell({
      is: 'console',
      level: LEVELS[asText(entry.level)] ?? 'info',
      page: this.#url,
      text: asText(entry.text),
      ...(url === '' ? {} : { place: { url, line: asNumber(entry.lineNumber) + 1, column: 1 } }),
    });
  }

  #asked({ requestId, request }: JsonObject): void {
    if (!isObject(request)) return;
    if (this.#requests.size >= MOST_REQUESTS) this.#requests.clear();
    this.#requests.set(asText(requestId), { method: asText(request.method), url: asText(request.url) });
  }

  #fails(id: string, why: string): void {
    const request = this.#requests.get(id);
    // Browsers look for it unasked; an app's view does not.
    if (request === undefined || request.url.endsWith('/favicon.ico')) return;
    this.#requests.delete(id);
    this.#tell({ is: 'request', page: this.#url, ...request, why });
  }

  #answered({ requestId, response }: JsonObject): void {
    if (!isObject(response) || asNumber(response.status) < 400) return;
    this.#fails(asText(requestId), `${asNumber(response.status)} ${asText(response.statusText)}`.trim());
  }

  #failed({ requestId, errorText: why, canceled, blockedReason, corsErrorStatus }: JsonObject): void {
    if (canceled === true) {
      this.#requests.delete(asText(requestId));
      return;
    }
    const cors = isObject(corsErrorStatus) ? asText(corsErrorStatus.corsError) : '';
    const more = asText(blockedReason) || cors;
    this.#fails(asText(requestId), more === '' ? asText(why) : `${asText(why)} (${more})`);
  }

  #navigated({ frame }: JsonObject): void {
    if (!isObject(frame) || frame.parentId !== undefined) return;
    if (this.#maps) this.#maps.frame = asText(frame.id) || undefined;
    this.#tellVitals();
    this.#vitals = undefined;
    this.#toldVitals = '';
    this.#went(`${asText(frame.url)}${asText(frame.urlFragment)}`);
  }

  #went(url: string): void {
    if (url === '' || url === this.#url) return;
    this.#url = url;
    this.#tell({ is: 'page', state: this.#isTold ? 'went' : 'opened', page: url, inspector: this.inspector });
    this.#isTold = true;
  }

  async #lookAtVitals(): Promise<void> {
    const said = await this.#inspection
      ?.send('Runtime.evaluate', { expression: `self.${VITALS} && self.${VITALS}()`, returnByValue: true })
      .catch(() => undefined);
    const json = isObject(said?.result) ? asText(said.result.value) : '';
    if (json === '') return;
    if (json !== this.#vitals?.json) this.#vitals = { json, since: Date.now() };
    else if (Date.now() - this.#vitals.since >= SETTLED) this.#tellVitals();
  }

  /** Tells what the page's clock said last, unless it has been told. */
  #tellVitals(): void {
    const { json } = this.#vitals ?? {};
    if (json === undefined || json === this.#toldVitals) return;
    this.#toldVitals = json;
    const vitals = JSON.parse(json) as Vitals;
    // A page that nobody has seen yet has none.
    if (vitals.firstPaint !== undefined) this.#tell({ is: 'vitals', page: this.#url, vitals });
  }

  #end(): void {
    clearInterval(this.#timer);
    if (this.#isLeft) return;
    this.#tellVitals();
    this.#inspection = undefined;
    this.#tell({ is: 'page', state: 'closed', page: this.#url, inspector: this.inspector });
  }

  /** PNG of what the page shows now. Throws where it does not answer. */
  async picture(): Promise<Uint8Array> {
    if (this.#inspection === undefined) throw new Error('The page is gone.');
    const { data } = await this.#inspection.send('Page.captureScreenshot', { format: 'png' });
    return Buffer.from(asText(data), 'base64');
  }

  /** Ends it, once what came before has been told. */
  async close(): Promise<void> {
    clearInterval(this.#timer);
    this.#tellVitals();
    this.#isLeft = true;
    await this.#telling;
    const inspection = this.#inspection;
    this.#inspection = undefined;
    inspection?.close();
  }
}
