import type { Page } from 'playwright-core';
import { asApp } from '../browser/app-page.js';
import { type BrowserOptions, servedAddress, withBrowser } from '../browser/launch.js';
import type { Finding } from '../finding.js';
import { locationIn, type Site, type SitePage } from '../site/site.js';
import { DEVICES } from '../survey/browser/devices.js';
import { MEASURE } from '../survey/browser/in-page.js';
import type { Device, PageView } from '../survey/browser-facts.js';
import type { InsetRule } from './tags.js';

/** Pages that are opened at most: each twice. */
const MAX_PAGES = 4;
/** px that rounding may take. */
const ROUNDING = 1;

/** What a browser said of tagged pages. */
export interface TagsCheck {
  /** Name and version. */
  readonly browser: string;
  /** Pages that were opened. */
  readonly pages: readonly string[];
  readonly findings: readonly Finding[];
}

interface Seen extends Pick<PageView, 'underBar'> {
  /** CSS px that the page scrolls. */
  readonly scrolls: number;
  /** CSS px of each rule's property, for the first element that it is about; `null` where there is none. */
  readonly sizes: readonly (number | null)[];
}

async function look(page: Page, device: Device, rules: readonly InsetRule[]): Promise<Seen> {
  const { insets, width, height } = device;
  const sizes = (await page.evaluate(
    `(${JSON.stringify(rules)}).map(({ selector, property }) => {
      const element = [...document.querySelectorAll(selector)].find((one) => one.getClientRects().length > 0);
      return element ? Number.parseFloat(getComputedStyle(element).getPropertyValue(property)) || 0 : null;
    })`,
  )) as Seen['sizes'];
  const scrolls = (await page.evaluate(
    'document.documentElement.scrollHeight - document.documentElement.clientHeight',
  )) as number;
  const { underBar } = (await page.evaluate(
    `(${MEASURE})(${JSON.stringify({ insets, width, height })})`,
  )) as Pick<PageView, 'underBar'>;
  return { sizes, scrolls, underBar };
}

function* differences(
  site: Site,
  page: SitePage,
  device: Device,
  rules: readonly InsetRule[],
  before: Seen,
  after: Seen,
): Generator<Finding> {
  const location = locationIn(site.kind, page.name, { line: 1, column: 1 });
  const code = (name: string) => `tags.${name}`;
  for (const [index, { selector, edge, property }] of rules.entries()) {
    const [old, now] = [before.sizes[index], after.sizes[index]];
    const wanted = device.insets[edge];
    if (old === null || old === undefined || now === null || now === undefined) continue;
    if (now - old >= wanted - ROUNDING) continue;
    yield {
      code: code('no-effect'),
      severity: 'warning',
      location,
      observed: `${selector} has a ${property} of ${Math.round(now)} px on ${device.name}, where the inset alone is ${wanted} px`,
      impact: `What is in it lies under the ${edge === 'top' ? 'status bar and the notch' : 'gesture bar'}: another rule of the page counts more than the tags.`,
      fix: `Write it in the page's own style sheet: ${property}: calc(… + env(safe-area-inset-${edge}))`,
    };
  }
  if (before.scrolls <= ROUNDING && after.scrolls > ROUNDING) {
    yield {
      code: code('scrolls'),
      severity: 'warning',
      location,
      observed: `The page fitted ${device.name}, and now scrolls by ${Math.round(after.scrolls)} px`,
      impact: 'A screen that fitted moves under the finger.',
      fix: 'Give what is as high as the screen box-sizing: border-box, so that room for the insets is part of its height.',
    };
  }
  const [covered] = after.underBar.filter(
    ({ element, text }) => !before.underBar.some((one) => one.element === element && one.text === text),
  );
  if (covered) {
    yield {
      code: code('covered'),
      severity: 'warning',
      location,
      observed: `${covered.element} “${covered.text}” lies under ${covered.bar} on ${device.name}, and did not without the tags`,
      impact: 'It cannot be scrolled into sight.',
      fix: 'Add the inset to what keeps room for the bar: calc(… + env(safe-area-inset-top)) at the top.',
    };
  }
}

/**
 * Opens tagged pages in a browser as an app on a phone shows them, with and without the tags, and says where these do not do
 * what they are for, or harm.
 *
 * @param before the pages without tags, by their names in the site
 * @throws HullError `browser.failed`
 */
export function checkTags(
  site: Site,
  before: ReadonlyMap<string, string>,
  rules: readonly InsetRule[],
  options: BrowserOptions,
): Promise<TagsCheck> {
  const [device] = DEVICES as readonly [Device, ...Device[]];
  const looked = new Set(site.styleGroups.map(({ page }) => page));
  // One page of each style says what all of it would.
  const pages = site.pages
    .filter(({ name }) => before.has(name))
    .sort((a, b) => Number(looked.has(b)) - Number(looked.has(a)))
    .slice(0, MAX_PAGES);
  return withBrowser(site, options, async ({ browser, origin }) => {
    const findings: Finding[] = [];
    const seen = new Set<string>();
    for (const page of pages) {
      options.signal?.throwIfAborted();
      options.onStep?.(new URL(page.url).pathname);
      const address = servedAddress(site, origin, page.url);
      const screen = {
        viewport: { width: device.width, height: device.height },
        ratio: device.scale,
        mode: 'standalone',
        safeArea: device.insets,
      };
      const work = (shown: Page) => look(shown, device, rules);
      const old = await asApp(browser, address, { ...screen, instead: before.get(page.name) ?? '' }, work);
      const now = await asApp(browser, address, screen, work);
      for (const finding of differences(site, page, device, rules, old, now)) {
        const key = `${finding.code} ${finding.observed}`;
        if (!seen.has(key)) findings.push(finding);
        seen.add(key);
      }
    }
    return {
      browser: `${browser.browserType().name()} ${browser.version()}`,
      pages: pages.map(({ name }) => name),
      findings,
    };
  });
}
