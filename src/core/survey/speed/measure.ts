import type { Browser, BrowserContext } from 'playwright-core';
import { scriptsAsApp } from '../../browser/app-display.js';
import {
  type BrowserOptions,
  realAddress,
  sendHeaders,
  servedAddress,
  withBrowser,
} from '../../browser/launch.js';
import type { Site } from '../../site/site.js';
import { debug } from '../../util/debug.js';
import { parseUrl } from '../../util/url-path.js';
import { DEVICES } from '../browser/devices.js';
import type { Device } from '../browser-facts.js';
import { lookCloser } from './closer-look.js';
import {
  type ByteKind,
  METRICS,
  type Metric,
  type PageSpeed,
  type SpeedFacts,
  type Spread,
  type Visit,
  type VisitKind,
} from './facts.js';
import { spreadOf } from './spread.js';
import { type SingleVisit, slowDown, visitOnce } from './visit.js';

export interface SpeedOptions {
  /** Visits of each page and kind. */
  readonly runs: number;
  /** `package` where the app holds its pages. */
  readonly reached: 'package' | 'network';
}

/** Pages that are measured: the start page, and so many more. */
const MORE_PAGES = 2;
/** Names of pages that people come to when something fails. */
const FOR_FAILURES = /\/(?:4\d\d|5\d\d|offline|not-?found|error)(?:\.html?)?$/i;

const measuredIn = (metric: Metric, { vitals }: SingleVisit): number | undefined => {
  switch (metric) {
    case 'largestPaint':
      return vitals.largestPaint?.at;
    case 'interaction':
      return vitals.interaction?.lasted;
    default:
      return vitals[metric];
  }
};

/** @param packed origin of what comes from the package; `undefined` for hosted pages */
function bytesOf({ requests }: SingleVisit, packed: string | undefined): Record<ByteKind, number> {
  const bytes: Record<ByteKind, number> = {
    document: 0,
    script: 0,
    style: 0,
    image: 0,
    font: 0,
    media: 0,
    other: 0,
  };
  for (const one of requests)
    if (packed === undefined || !one.url.startsWith(packed)) bytes[one.kind] += one.bytes;
  return bytes;
}

/**
 * The runs of one kind as one: medians, and what was seen in the run whose largest paint is the median.
 *
 * @param packed origin of what comes from the package; `undefined` for hosted pages
 */
export function summarise(
  kind: VisitKind,
  runs: readonly SingleVisit[],
  packed: string | undefined,
): Visit | undefined {
  const metrics: Partial<Record<Metric, Spread>> = {};
  for (const metric of METRICS) {
    const spread = spreadOf(runs.flatMap((one) => measuredIn(metric, one) ?? []));
    if (spread) metrics[metric] = spread;
  }
  const middle =
    runs.find((one) => measuredIn('largestPaint', one) === metrics.largestPaint?.median) ?? runs[0];
  if (middle === undefined) return undefined;
  const slowest = runs.find((one) => one.vitals.interaction?.lasted === metrics.interaction?.median);
  return {
    kind,
    metrics,
    largest: middle.vitals.largestPaint,
    shifted: middle.vitals.shifted,
    tasks: middle.vitals.tasks,
    slowest: slowest?.vitals.interaction,
    requests: middle.requests.length,
    bytes: bytesOf(middle, packed),
  };
}

/** The start page, and of the others first those that it links to. */
export function measuredPages({ pages, startPage }: Pick<Site, 'pages' | 'startPage'>): string[] {
  const [first] = pages;
  const start = startPage ?? first;
  if (start === undefined) return [];
  const links = start.facts.references.filter(({ kind }) => kind === 'link');
  const linked = links.flatMap(({ text: href }) => {
    const url = parseUrl(href, new URL(start.url));
    return url === undefined ? [] : [url.origin + url.pathname];
  });
  const rank = (url: string) => {
    const at = linked.findIndex((one) => one === url || `${one}.html` === url || `${one}/` === url);
    return at < 0 ? linked.length : at;
  };
  const others = pages
    .map(({ url }) => url)
    .filter((url) => url !== start.url && !FOR_FAILURES.test(parseUrl(url)?.pathname ?? ''))
    .map((url, index) => ({ url, rank: rank(url), index }))
    .sort((one, other) => one.rank - other.rank || one.index - other.index);
  return [start.url, ...others.slice(0, MORE_PAGES).map(({ url }) => url)];
}

class Stopwatch {
  readonly #browser: Browser;
  readonly #device: Device;
  readonly #options: BrowserOptions;

  constructor(browser: Browser, options: BrowserOptions) {
    this.#browser = browser;
    this.#device = DEVICES[0] as Device;
    this.#options = options;
  }

  async #context(): Promise<BrowserContext> {
    const { width, height, scale } = this.#device;
    const context = await this.#browser.newContext({
      viewport: { width, height },
      deviceScaleFactor: scale,
      hasTouch: true,
      isMobile: true,
    });
    await sendHeaders(context, this.#options.headers ? { headers: this.#options.headers } : {});
    await context.addInitScript(scriptsAsApp('standalone'));
    return context;
  }

  async #visit(context: BrowserContext, url: string, kind: VisitKind): Promise<SingleVisit> {
    const page = await context.newPage();
    try {
      const cdp = await context.newCDPSession(page);
      const isPacked = kind === 'package' || kind === 'package-again';
      await slowDown(cdp, isPacked ? 'none' : 'slow');
      return await visitOnce(page, cdp, url, 'tap');
    } finally {
      await page.close();
    }
  }

  /** All visits of a page: each first one in a browser that has nothing kept, the next in the same. */
  async page(url: string, served: string, { runs, reached }: SpeedOptions): Promise<PageSpeed> {
    const packed = reached === 'package' ? new URL(served).origin : undefined;
    const kinds: readonly [VisitKind, VisitKind] =
      reached === 'package' ? ['package', 'package-again'] : ['first', 'again'];
    const seen: [SingleVisit[], SingleVisit[]] = [[], []];
    for (let run = 0; run < runs; run += 1) {
      this.#options.signal?.throwIfAborted();
      this.#options.onStep?.(`speed of ${new URL(url).pathname}, visit ${run + 1} of ${runs}`);
      const context = await this.#context();
      try {
        seen[0].push(await this.#visit(context, served, kinds[0]));
        seen[1].push(await this.#visit(context, served, kinds[1]));
      } finally {
        await context.close();
      }
    }
    const context = await this.#context();
    try {
      return {
        url,
        visits: kinds.flatMap((kind, index) => summarise(kind, seen[index] ?? [], packed) ?? []),
        closer: await lookCloser(await context.newPage(), served, kinds[0]).catch((error: unknown) => {
          debug('a closer look at %s: %s', url, error);
          return undefined;
        }),
      };
    } finally {
      await context.close();
    }
  }
}

/**
 * Measures how fast the start page and two more come and answer, as a mid-range phone would see them.
 *
 * @throws HullError `browser.failed`
 */
export function measureSpeed(site: Site, options: BrowserOptions, speed: SpeedOptions): Promise<SpeedFacts> {
  return withBrowser(site, options, async ({ browser, origin }) => {
    const stopwatch = new Stopwatch(browser, options);
    const pages: PageSpeed[] = [];
    for (const url of measuredPages(site)) {
      try {
        const served = servedAddress(site, origin, url);
        pages.push(withRealAddresses(await stopwatch.page(url, served, speed), site, origin));
      } catch (error) {
        options.signal?.throwIfAborted();
        // A page that does not load is a finding of other rules.
        debug('speed of %s: %s', url, error);
      }
    }
    return { runs: speed.runs, pages };
  });
}

/** The same page with the site's own addresses in place of those that it was served at. */
function withRealAddresses(page: PageSpeed, site: Site, origin: string): PageSpeed {
  const real = (url: string) => realAddress(site, origin, url);
  const { closer } = page;
  return {
    ...page,
    visits: page.visits.map((visit) => ({
      ...visit,
      largest: visit.largest && { ...visit.largest, url: real(visit.largest.url) },
      tasks: visit.tasks.map((task) => ({
        ...task,
        scripts: task.scripts.map((one) => ({ ...one, url: real(one.url), name: real(one.name) })),
      })),
    })),
    closer: closer && {
      ...closer,
      requests: closer.requests.map((one) => ({ ...one, url: real(one.url), by: real(one.by) })),
      unused: closer.unused.map((one) => ({ ...one, url: real(one.url) })),
      pictures: closer.pictures.map((one) => ({ ...one, url: real(one.url) })),
    },
  };
}
