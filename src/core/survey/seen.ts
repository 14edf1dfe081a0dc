import type { BrowserFacts, PageView, SeenRequest } from './browser-facts.js';
import type { SurveyContext } from './rule.js';

/** What was seen in engines, whichever looked. */
type Seen = Pick<SurveyContext, 'browser' | 'webkit'>;

/** Whether pages were shown at all, in whichever engine. */
export const isSeen = ({ browser, webkit }: Seen): boolean => browser !== undefined || webkit !== undefined;

/** Whether pages were shown on screens with a cutout and bars. */
export const showsEdges = ({ browser, webkit }: Seen): boolean =>
  browser !== undefined || webkit?.watched !== undefined;

/** Pages on screens: Chromium's first. */
export const viewsOf = ({ browser, webkit }: Seen): PageView[] => [
  ...(browser?.views ?? []),
  ...(webkit?.views ?? []),
];

/** Requests to other origins, and without TLS; each address once. */
export function requestsOf({ browser, webkit }: Seen): SeenRequest[] {
  const first = browser?.requests ?? [];
  const known = new Set(first.map(({ url }) => url));
  return [...first, ...(webkit?.requests ?? []).filter(({ url }) => !known.has(url))];
}

/** Capabilities that pages asked for while they loaded; each once. */
export function askedOf({ browser, webkit }: Seen): BrowserFacts['asked'] {
  const first = browser?.asked ?? [];
  const known = new Set(first.map(({ name }) => name));
  return [...first, ...(webkit?.watched?.asked ?? []).filter(({ name }) => !known.has(name))];
}

/** A message of a page. */
export interface SeenError {
  readonly page: string;
  readonly text: string;
  readonly at?: string;
  /** Whether it comes in WebKit, and nothing like it in Chromium. */
  readonly isWebKitsAlone: boolean;
}

/** What engines say of one fault in different words: what comes before, and the kind of error, are the same. */
const kindOf = (text: string) =>
  /^.*?\b\w*Error\b/.exec(text.replace(/^Uncaught(?: \(in promise\))? /, ''))?.[0] ?? text;

/** Messages of pages while they loaded. What both engines say of the same page comes once, in Chromium's words. */
export function errorsOf({ browser, webkit }: Seen): SeenError[] {
  const first = browser?.errors ?? [];
  const known = new Set(first.map(({ page, text }) => `${page} ${kindOf(text)}`));
  // Chromium tells of missing files without their names.
  const losesFiles = new Set(
    first.filter(({ text }) => text.startsWith('Failed to load resource')).map(({ page }) => page),
  );
  const isKnown = (page: string, text: string) =>
    known.has(`${page} ${kindOf(text)}`) ||
    (text.startsWith('Failed to load resource') && losesFiles.has(page));
  const more = (webkit?.watched?.errors ?? []).filter(({ page, text }) => !isKnown(page, text));
  return [
    ...first.map((one) => ({ ...one, isWebKitsAlone: false })),
    ...more.map((one) => ({ ...one, isWebKitsAlone: browser !== undefined })),
  ];
}

/** How a finding says where something was seen: nothing where Chromium shows it too, or nobody looked there. */
export const seenIn = (engine: PageView['engine'], isSeenElsewhere: boolean): string =>
  engine === 'webkit' && !isSeenElsewhere ? ', in the engine of Apple’s devices' : '';

/** A page that the two engines show differently. */
export interface Difference {
  readonly page: string;
  readonly observed: string;
  readonly impact: string;
}

/** From which share of letters missing on, and how many, a page is another one. */
const MISSING_SHARE = 0.2;
const MISSING_LETTERS = 40;

/** Whether a page that shows so many letters has lost part of what it shows elsewhere. */
export const losesText = (here: number, there: number): boolean =>
  there - here >= MISSING_LETTERS && there - here >= there * MISSING_SHARE;

/** Pages that do not come in WebKit, or come without part of their text, though Chromium shows them. */
export function differencesOf({ browser, webkit }: Seen): Difference[] {
  if (!browser || !webkit) return [];
  const viewOf = (views: readonly PageView[], url: string) => views.find((one) => one.url === url);
  const missing = webkit.notLoaded
    .filter(({ page }, index, all) => all.findIndex((one) => one.page === page) === index)
    .filter(({ page }) => viewOf(browser.views, page) !== undefined)
    // How long something takes says more of the network than of the engine.
    .filter(({ text }) => !/time(?:d )?out/i.test(text))
    .map(({ page, text }) => ({
      page,
      observed: `The page does not load in WebKit (${text}); in Chromium it does.`,
      impact: 'Users of Apple’s devices do not see it.',
    }));
  const shorter = [...new Set(webkit.views.map(({ url }) => url))].flatMap((page): Difference[] => {
    const [here, there] = [viewOf(webkit.views, page), viewOf(browser.views, page)];
    if (!here || !there || !losesText(here.textLength, there.textLength)) return [];
    return [
      {
        page,
        observed: `The page shows ${here.textLength} letters in WebKit, and ${there.textLength} in Chromium (${here.device.name}).`,
        impact: 'Users of Apple’s devices do not see part of it.',
      },
    ];
  });
  return [...missing, ...shorter];
}
