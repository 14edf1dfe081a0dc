import { join } from 'node:path';
import type { Location } from '../../errors.js';
import { pathBelow, type Site } from '../../site/site.js';
import { formatBytes } from '../../util/sizes.js';
import { parseUrl } from '../../util/url-path.js';
import { type Rule, type RuleContext, type RuleFinding, rule } from '../rule.js';
import { type BudgetKey, budgetOf } from '../speed/budgets.js';
import type { CloserLook, Metric, PageSpeed, Spread, TimedRequest, Visit } from '../speed/facts.js';
import { loadedBytes, shownAddress, shownSpread, shownTime } from '../speed/show.js';
import { pageLocation } from './pages.js';
import { withCount } from './references.js';

const VITALS_SOURCE = 'published thresholds for web vitals';
/** Bytes below which a file that is kept for too short is not worth a word. */
const WORTH_KEEPING = 5000;
const DAY = 86_400;
const MOST_NAMED = 3;

/** The file that an address of the site stands for; the address itself for one of another host. */
function fileLocation(site: Site, url: string): Location {
  if (site.pages.some((page) => page.url === url)) return pageLocation(site, url);
  const address = site.kind === 'folder' ? parseUrl(url) : undefined;
  const path = address && pathBelow(site.base, address);
  return path === undefined ? { url } : { file: join(site.name, path) };
}

/** An address without its query, as short as it can be said. */
const shortUrl = (site: Site, url: string): string => shownAddress(site, url).split('?')[0] ?? url;

/** The visit that is judged: the first one, from wherever the app has its pages. */
const judged = ({ visits }: PageSpeed): Visit | undefined => visits[0];

interface TooSlow {
  readonly page: PageSpeed;
  readonly visit: Visit;
  readonly spread: Spread;
}

/** What is said of a page whose median is over a budget. */
function* overBudget(
  { project, browser, site }: RuleContext,
  key: BudgetKey,
  metric: Metric,
  tell: (slow: TooSlow, limit: string) => Omit<RuleFinding, 'location' | 'severity'>,
  show: (value: number) => string = shownTime,
): Generator<RuleFinding> {
  const budget = budgetOf(project, key);
  for (const page of browser?.speed?.pages ?? []) {
    const visit = judged(page);
    const spread = visit?.metrics[metric];
    if (visit === undefined || spread === undefined || spread.median <= budget.limit) continue;
    const limit = `over ${budget.isOwn ? 'the budget of hull.json, ' : ''}${show(budget.limit)}`;
    yield {
      location: pageLocation(site, page.url),
      // What is under the budget at times may be the noise of this computer.
      severity: spread.least <= budget.limit ? 'suggestion' : budget.severity(spread.median),
      ...tell({ page, visit, spread }, limit),
    };
  }
}

/** What the page waited for before it was drawn: the documents and files, longest first. */
function waitedFor(site: Site, { closer }: PageSpeed): string {
  const blocking = (closer?.requests ?? []).filter(({ isBlocking }) => isBlocking);
  if (blocking.length === 0) return '';
  const named = blocking
    .sort((one, other) => other.end - one.end)
    .slice(0, MOST_NAMED)
    .map(({ url }) => shortUrl(site, url))
    .join(', ');
  return `; it waits for ${named}${blocking.length > MOST_NAMED ? ` and ${blocking.length - MOST_NAMED} more` : ''}`;
}

/** The scripts that ran in the long tasks of a visit, with the time that they took. */
function busyScripts(site: Site, { tasks }: Visit): string[] {
  const times = new Map<string, number>();
  for (const { scripts } of tasks)
    for (const { url, lasted } of scripts)
      if (url !== '') times.set(shortUrl(site, url), (times.get(shortUrl(site, url)) ?? 0) + lasted);
  return [...times]
    .sort(([, one], [, other]) => other - one)
    .slice(0, MOST_NAMED)
    .map(([url, lasted]) => `${url} ${shownTime(lasted)}`);
}

function largestPaintFinding(site: Site, { page, visit, spread }: TooSlow, limit: string) {
  const { largest } = visit;
  const what = largest?.element ? `; it is ${largest.element}` : '';
  const observed = `The largest content is there after ${shownSpread(spread)}, ${limit}${what}`;
  const impact = 'People look at an empty or half-empty page until then.';
  if (largest === undefined || largest.url === '') {
    return {
      observed: observed + waitedFor(site, page),
      impact,
      fix: 'Have the page draw its text before scripts have run: put it into the HTML, and load scripts with defer.',
    };
  }
  const name = shortUrl(site, largest.url);
  const { requested, loaded } = largest;
  const isLate = requested > largest.at / 2;
  const steps =
    loaded > 0
      ? `: ${name}, asked for after ${shownTime(requested)}, there after ${shownTime(loaded)}`
      : `: ${name}`;
  return {
    observed: observed + steps,
    impact,
    fix: isLate
      ? `Have the browser find the image sooner: name it in the HTML rather than in a script or style, without loading="lazy", and with fetchpriority="high".`
      : 'Make the image smaller: the size that it is shown in, as WebP or AVIF.',
  };
}

/** Findings of one kind in closer looks at pages; of files that several pages have, one. */
function* eachCloser<T>(
  { browser }: RuleContext,
  itemsOf: (closer: CloserLook) => readonly T[],
  keyOf: (item: T) => string,
): Generator<{ readonly item: T; readonly page: PageSpeed; readonly more: number }> {
  const found = new Map<string, { item: T; page: PageSpeed; more: number }>();
  for (const page of browser?.speed?.pages ?? [])
    for (const item of page.closer ? itemsOf(page.closer) : []) {
      const known = found.get(keyOf(item));
      if (known === undefined) found.set(keyOf(item), { item, page, more: 0 });
      else if (known.page !== page) known.more += 1;
    }
  yield* found.values();
}

const speedRule = (parts: Omit<Parameters<typeof rule>[0], 'needs' | 'severity'>): Rule =>
  rule({ severity: 'warning', needs: ['speed'], ...parts });

export const SPEED_RULES: readonly Rule[] = [
  speedRule({
    id: 'speed.first-paint',
    title: 'It takes long until anything is seen',
    source: `W3C Paint Timing, first-contentful-paint; ${VITALS_SOURCE}`,
    why: 'Until the first text or image, people see an empty page behind the splash screen, and many think that nothing happens. It waits for the document, for style sheets, and for scripts that are not deferred.',
    *check(context) {
      yield* overBudget(context, 'first_paint_ms', 'firstPaint', ({ page, spread }, limit) => ({
        observed: `The first text or image is there after ${shownSpread(spread)}, ${limit}${waitedFor(context.site, page)}`,
        impact: 'People see nothing until then.',
        fix: 'Load scripts with defer or as modules, keep what the first screen needs of styles small, and send the document sooner.',
      }));
    },
  }),
  speedRule({
    id: 'speed.largest-paint',
    title: 'The main content comes late',
    source: `W3C Largest Contentful Paint; ${VITALS_SOURCE}`,
    why: 'The largest text or image of the first screen is what people have come for, most often; until it is there, the page is not.',
    *check(context) {
      yield* overBudget(context, 'largest_paint_ms', 'largestPaint', (slow, limit) =>
        largestPaintFinding(context.site, slow, limit),
      );
    },
  }),
  speedRule({
    id: 'speed.layout-shift',
    title: 'Content jumps while the page loads',
    source: `W3C Layout Instability; ${VITALS_SOURCE}`,
    why: 'What moves under the finger is tapped by mistake. Images without a size, content that is put in above other content, and fonts that come late do this.',
    *check(context) {
      const show = (value: number) => String(Math.round(value * 1000) / 1000);
      yield* overBudget(
        context,
        'layout_shift',
        'shift',
        ({ visit, spread }, limit) => {
          const names = visit.shifted.map(({ element }) => element).filter((one) => one !== '');
          const moved = [...new Set(names)].slice(0, MOST_NAMED).join(', ');
          return {
            observed: `The layout shifts by ${shownSpread(spread, show)}, ${limit}${moved === '' ? '' : `; what moves: ${moved}`}`,
            impact: 'People lose their place, and tap what they did not mean.',
            fix: 'Give images, frames and what scripts put in a size from the beginning: width and height, aspect-ratio or min-height.',
          };
        },
        show,
      );
    },
  }),
  speedRule({
    id: 'speed.blocked',
    title: 'Scripts keep the page from answering while it loads',
    source: `W3C Long Tasks; ${VITALS_SOURCE} (total blocking time)`,
    why: 'While a task runs, no tap is answered. Counted is what tasks take beyond 50 ms each, after the first paint, until the page is quiet.',
    *check(context) {
      yield* overBudget(context, 'blocked_ms', 'blocked', ({ visit, spread }, limit) => {
        const busy = busyScripts(context.site, visit);
        return {
          observed: `Tasks block the page for ${shownSpread(spread)}, ${limit}${busy.length === 0 ? '' : `; longest in ${busy.join(', ')}`}`,
          impact: 'Taps are not answered meanwhile.',
          fix: 'Do less before the page is there: split long tasks, load what is needed later with import(), leave work to a worker.',
        };
      });
    },
  }),
  speedRule({
    id: 'speed.interaction',
    title: 'The first control answers late',
    source: `W3C Event Timing; ${VITALS_SOURCE} (interaction to next paint)`,
    why: 'From a tap to the next frame people wait for a sign that something happens. The first control of the page is tapped once the page is quiet; links and forms do not leave it, and requests that would change something are not sent.',
    *check(context) {
      yield* overBudget(context, 'interaction_ms', 'interaction', ({ visit, spread }, limit) => {
        const { slowest } = visit;
        const parts =
          slowest === undefined
            ? ''
            : `; ${slowest.element || slowest.kind}: ${shownTime(slowest.waited)} until its handlers ran, ${shownTime(slowest.handled - slowest.waited)} in them, the rest for the frame`;
        return {
          observed: `The first control answers after ${shownSpread(spread)}, ${limit}${parts}`,
          impact: 'People tap again, or think that it is broken.',
          fix: 'Show a sign of the tap first, and do the work after the next frame.',
        };
      });
    },
  }),
  speedRule({
    id: 'speed.bytes',
    title: 'A page loads much over the network',
    source: 'W3C Resource Timing, encoded sizes',
    why: 'Every byte has to come before it is of use, and costs people on a metered line money. Packed pages have what they load in the package; of them only what comes from hosts counts.',
    *check(context) {
      const { project, browser, site } = context;
      const budget = budgetOf(project, 'page_kb');
      for (const page of browser?.speed?.pages ?? []) {
        const visit = judged(page);
        if (visit === undefined) continue;
        const bytes = loadedBytes(visit);
        if (bytes <= budget.limit * 1000) continue;
        const kinds = Object.entries(visit.bytes)
          .filter(([, size]) => size > 0)
          .sort(([, one], [, other]) => other - one)
          .slice(0, MOST_NAMED)
          .map(([kind, size]) => `${kind} ${formatBytes(size)}`);
        yield {
          location: pageLocation(site, page.url),
          severity: budget.severity(bytes / 1000),
          observed: `It loads ${formatBytes(bytes)}, over ${formatBytes(budget.limit * 1000)}: ${kinds.join(', ')}`,
          impact: 'On a slow or metered network it takes long, and costs.',
          fix: 'Leave out what the first screen does not need, and load it when it is.',
        };
      }
    },
  }),
  speedRule({
    id: 'speed.requests',
    title: 'A page makes many requests',
    source: 'W3C Resource Timing',
    why: 'Each request waits for its turn and for an answer, and each chain of them for all before.',
    *check(context) {
      const { project, browser, site } = context;
      const budget = budgetOf(project, 'requests');
      for (const page of browser?.speed?.pages ?? []) {
        const requests = judged(page)?.requests ?? 0;
        if (requests <= budget.limit) continue;
        yield {
          location: pageLocation(site, page.url),
          severity: budget.severity(requests),
          observed: `It makes ${requests} requests, over ${budget.limit}`,
          impact: 'They wait for each other.',
          fix: 'Bundle what always comes together, and load images below the first screen with loading="lazy".',
        };
      }
    },
  }),
  speedRule({
    id: 'speed.unused',
    title: 'Most of a script or style is not used while the page loads',
    source: 'Coverage of scripts and style rules by the browser',
    why: 'What is not used is loaded, read and compiled anyway, before the page is ready. It may be used later: then it can come later. What is used on none of the pages that were looked at is named with the least that any of them leaves.',
    *check(context) {
      const budget = budgetOf(context.project, 'unused_kb');
      const least = new Map<string, number>();
      for (const { closer } of context.browser?.speed?.pages ?? [])
        for (const { url, unused } of closer?.unused ?? [])
          least.set(url, Math.min(unused, least.get(url) ?? Number.POSITIVE_INFINITY));
      for (const { item, page, more } of eachCloser(
        context,
        ({ unused }) => unused,
        ({ url }) => url,
      )) {
        const unused = least.get(item.url) ?? 0;
        if (unused <= budget.limit * 1000 || unused < item.size / 2) continue;
        yield {
          location: fileLocation(context.site, item.url),
          severity: budget.severity(unused / 1000),
          observed: `${formatBytes(unused)} of ${formatBytes(item.size)} are not used while ${shortUrl(context.site, page.url)}${more > 0 ? ` and ${more} more` : ''} load${more > 0 ? '' : 's'}`,
          impact: 'The page is ready later than it could be.',
          fix:
            item.kind === 'script'
              ? 'Split it, and load with import() what only some pages or actions need.'
              : 'Leave out rules that no page uses, and give pages of their own a sheet of their own.',
        };
      }
    },
  }),
  speedRule({
    id: 'speed.pictures',
    title: 'A picture is heavier than what is shown of it',
    source: 'HTML Standard, img: natural and rendered size; the picture encoded again as WebP',
    why: 'Pictures are most of what pages load. One that has more pixels than the screen shows, or that is hardly compressed, takes time and memory for nothing. What it could be was tried: the size that it is shown in on a phone, as WebP of quality 80.',
    *check(context) {
      const budget = budgetOf(context.project, 'picture_kb');
      for (const { item, more } of eachCloser(
        context,
        ({ pictures }) => pictures,
        ({ url }) => url,
      )) {
        const saved = item.better === undefined ? 0 : item.bytes - item.better;
        if (saved <= budget.limit * 1000) continue;
        const shown =
          item.shownWidth > 0 && item.shownWidth < item.width * 0.8
            ? `, shown at ${item.shownWidth}×${item.shownHeight}`
            : '';
        yield {
          location: fileLocation(context.site, item.url),
          severity: budget.severity(saved / 1000),
          observed: `${formatBytes(item.bytes)} for ${item.width}×${item.height} px${shown}; ${formatBytes(item.better ?? 0)} would do (${item.element})`,
          impact: 'It comes later than it could, and takes memory on the device.',
          fix: 'Save it in the size that it is shown in, as WebP or AVIF; offer larger ones with srcset.',
          ...withCount(more),
        };
      }
    },
  }),
  speedRule({
    id: 'speed.caching',
    title: 'Files are loaded again on every visit',
    source: 'RFC 9111 (HTTP Caching), section 5.2; Cache-Control',
    why: 'A file that may be kept is not loaded again. One whose name changes with its content can be kept for a year. Packed pages need nothing of it, and a worker that answers does the same.',
    *check(context) {
      const budget = budgetOf(context.project, 'cache_days');
      const limit = budget.limit * DAY;
      const isFile = ({ kind, from, bytes, status }: TimedRequest) =>
        kind !== 'document' &&
        kind !== 'other' &&
        from === 'network' &&
        status === 200 &&
        bytes >= WORTH_KEEPING;
      for (const { item, more } of eachCloser(
        context,
        ({ kind, requests }) => (kind === 'first' ? requests.filter(isFile) : []),
        ({ url }) => url,
      )) {
        if (item.keptFor === undefined || item.keptFor >= limit || context.browser?.workerControls) continue;
        const days = item.keptFor / DAY;
        yield {
          location: fileLocation(context.site, item.url),
          severity: budget.isOwn ? 'warning' : 'suggestion',
          observed: `${formatBytes(item.bytes)} that may be kept for ${days >= 1 ? `${Math.round(days)} days` : item.keptFor === 0 ? 'no time' : shownTime(item.keptFor * 1000)}, under ${budget.limit} days`,
          impact: 'It is loaded or asked for again on the next visit.',
          fix: 'Put a part of its content’s digest into its name, and send Cache-Control: max-age=31536000, immutable.',
          ...withCount(more),
        };
      }
    },
  }),
  speedRule({
    id: 'speed.blocking',
    title: 'A file keeps the page from being drawn',
    source: 'W3C Resource Timing, renderBlockingStatus; HTML Standard, "blocking"',
    why: 'Scripts without defer and style sheets in the head are waited for before anything is drawn. Style sheets have to be; scripts hardly ever, and files of other hosts need a connection of their own first.',
    *check(context) {
      const { site } = context;
      const isTold = ({ isBlocking, kind, status, url }: TimedRequest) =>
        isBlocking && status < 400 && (kind === 'script' || !url.startsWith(site.base.origin));
      for (const { item, page, more } of eachCloser(
        context,
        ({ requests }) => requests.filter(isTold),
        ({ url }) => url,
      )) {
        const isForeign = !item.url.startsWith(site.base.origin);
        yield {
          location: isForeign ? pageLocation(site, page.url) : fileLocation(site, item.url),
          severity: isForeign ? 'warning' : 'suggestion',
          observed: `${shortUrl(site, item.url)} is waited for before anything is drawn, until ${shownTime(item.end)}`,
          impact: isForeign
            ? 'The page stays empty while that host does not answer.'
            : 'The page is seen later than it could be.',
          fix:
            item.kind === 'script'
              ? 'Load it with defer, or as a module.'
              : 'Serve it from the app’s own host; load fonts’ style sheets without waiting for them.',
          ...withCount(more),
        };
      }
    },
  }),
];
