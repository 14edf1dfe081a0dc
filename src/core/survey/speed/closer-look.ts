import type { CDPSession, Page } from 'playwright-core';
import { asNumber, isObject } from '../../util/json-object.js';
import type { CloserLook, Frame, HeavyPicture, UnusedPart, VisitKind } from './facts.js';
import { slowDown, visitOnce } from './visit.js';

/** Frames that a filmstrip keeps, and their width in px. */
const MOST_FRAMES = 10;
const FRAME_WIDTH = 200;
/** Pictures that are looked at, and those that are encoded again to see what they could be. */
const MOST_PICTURES = 40;
const MOST_ENCODED = 12;
/** Bytes below which a picture is not worth a word. */
const SMALL = 15_000;
const LARGEST = 20 * 1024 * 1024;
const WEBP = { quality: 80 } as const;

interface Range {
  readonly start: number;
  readonly end: number;
}

/** Characters that no range of a sorted, nested list of counted ranges covers with a count. */
export function uncovered(
  length: number,
  ranges: readonly { readonly startOffset: number; readonly endOffset: number; readonly count: number }[],
): number {
  // An inner range says more than the one around it: the last that names a character decides.
  const marks = ranges.flatMap(({ startOffset, endOffset }) => [startOffset, endOffset]);
  const points = [...new Set([0, ...marks, length])].sort((one, other) => one - other);
  let unused = 0;
  for (let index = 0; index + 1 < points.length; index += 1) {
    const [start, end] = [points[index] as number, points[index + 1] as number];
    const around = ranges.filter((one) => one.startOffset <= start && one.endOffset >= end);
    const [innermost] = around.sort(
      (one, other) => one.endOffset - one.startOffset - (other.endOffset - other.startOffset),
    );
    if (innermost?.count === 0) unused += end - start;
  }
  return unused;
}

/** Joins ranges that meet. @returns how many characters they cover */
function covered(ranges: readonly Range[]): number {
  let total = 0;
  let last = 0;
  for (const { start, end } of [...ranges].sort((one, other) => one.start - other.start)) {
    total += Math.max(0, end - Math.max(start, last));
    last = Math.max(last, end);
  }
  return total;
}

async function unusedScripts(cdp: CDPSession): Promise<UnusedPart[]> {
  const { result } = await cdp.send('Profiler.takePreciseCoverage');
  await cdp.send('Profiler.stopPreciseCoverage');
  const found: UnusedPart[] = [];
  for (const { url, functions } of result) {
    if (!/^https?:/.test(url)) continue;
    const ranges = functions.flatMap((one) => one.ranges);
    const size = Math.max(0, ...ranges.map(({ endOffset }) => endOffset));
    found.push({ url, kind: 'script', size, unused: uncovered(size, ranges) });
  }
  return found;
}

async function unusedStyles(
  cdp: CDPSession,
  sheets: ReadonlyMap<string, { url: string; length: number }>,
): Promise<UnusedPart[]> {
  const { ruleUsage } = await cdp.send('CSS.stopRuleUsageTracking');
  return [...sheets].flatMap(([id, { url, length }]): UnusedPart[] => {
    const used = ruleUsage
      .filter((one) => one.styleSheetId === id && one.used)
      .map(({ startOffset, endOffset }) => ({ start: startOffset, end: endOffset }));
    return /^https?:/.test(url)
      ? [{ url, kind: 'style', size: length, unused: Math.max(0, length - covered(used)) }]
      : [];
  });
}

/** Pictures that can be seen or scrolled to, with their own size and that of their place, in device px. */
const PICTURES = `(() => {
  const name = (one) => one.id ? 'img#' + one.id : 'img' + (one.classList[0] ? '.' + one.classList[0] : '');
  return [...document.images].filter((one) => one.complete && one.naturalWidth > 0 && one.currentSrc).slice(0, ${MOST_PICTURES}).map((one) => {
    const box = one.getBoundingClientRect();
    return { url: one.currentSrc, element: name(one), width: one.naturalWidth, height: one.naturalHeight,
      shownWidth: Math.round(box.width * devicePixelRatio), shownHeight: Math.round(box.height * devicePixelRatio) };
  });
})()`;

interface SeenPicture {
  readonly url: string;
  readonly element: string;
  readonly width: number;
  readonly height: number;
  readonly shownWidth: number;
  readonly shownHeight: number;
}

/** What a picture would take as WebP, no larger than it is shown. `undefined` for what cannot be read. */
async function asWebp(bytes: Uint8Array, { width, shownWidth }: SeenPicture): Promise<number | undefined> {
  try {
    const { default: sharp } = await import('sharp');
    const fitted = shownWidth > 0 && shownWidth < width ? shownWidth : undefined;
    const image = sharp(bytes, { limitInputPixels: 100_000_000 });
    return (await (fitted === undefined ? image : image.resize({ width: fitted })).webp(WEBP).toBuffer())
      .length;
  } catch {
    return undefined;
  }
}

async function heavyPictures(
  page: Page,
  cdp: CDPSession,
  ids: ReadonlyMap<string, string>,
): Promise<HeavyPicture[]> {
  const seen: unknown = await page.evaluate(PICTURES).catch(() => []);
  const pictures = (Array.isArray(seen) ? seen : []).filter(isObject) as unknown as SeenPicture[];
  const found: HeavyPicture[] = [];
  let encoded = 0;
  for (const picture of pictures) {
    const id = ids.get(picture.url);
    if (id === undefined || /\.svg(?:[?#]|$)/.test(picture.url)) continue;
    const body = await cdp.send('Network.getResponseBody', { requestId: id }).catch(() => undefined);
    const bytes = body && Buffer.from(body.body, body.base64Encoded ? 'base64' : 'utf8');
    if (bytes === undefined || bytes.length < SMALL || bytes.length > LARGEST) continue;
    const isTried = encoded < MOST_ENCODED;
    if (isTried) encoded += 1;
    found.push({
      ...picture,
      bytes: bytes.length,
      better: isTried ? await asWebp(bytes, picture) : undefined,
    });
  }
  return found;
}

/** So many of the frames, the first and the last among them, evenly over their time. */
function filmstrip(frames: readonly Frame[]): Frame[] {
  const last = frames.at(-1);
  if (last === undefined || frames.length <= MOST_FRAMES) return [...frames];
  const chosen = new Set<Frame>();
  for (let index = 0; index < MOST_FRAMES; index += 1) {
    const at = (last.at * index) / (MOST_FRAMES - 1);
    // What is seen at that time is the frame before it.
    const shown = frames.filter((one) => one.at <= at).at(-1) ?? frames[0];
    if (shown) chosen.add(shown);
  }
  chosen.add(last);
  return [...chosen].sort((one, other) => one.at - other.at);
}

/** Visits a page once more and looks at everything that would slow a visit whose time is taken. */
export async function lookCloser(page: Page, url: string, kind: VisitKind): Promise<CloserLook> {
  const cdp = await page.context().newCDPSession(page);
  await slowDown(cdp, kind === 'package' ? 'none' : 'slow');
  const ids = new Map<string, string>();
  cdp.on('Network.requestWillBeSent', ({ requestId, request }) => ids.set(request.url, requestId));
  const sheets = new Map<string, { url: string; length: number }>();
  cdp.on('CSS.styleSheetAdded', ({ header }) =>
    sheets.set(header.styleSheetId, { url: header.sourceURL, length: header.length }),
  );
  await cdp.send('DOM.enable');
  await cdp.send('CSS.enable');
  await cdp.send('CSS.startRuleUsageTracking');
  await cdp.send('Profiler.enable');
  await cdp.send('Profiler.startPreciseCoverage', { callCount: false, detailed: true });
  const frames: { readonly time: number; readonly image: Uint8Array }[] = [];
  cdp.on('Page.screencastFrame', ({ data, metadata, sessionId }) => {
    frames.push({ time: asNumber(metadata.timestamp) * 1000, image: Buffer.from(data, 'base64') });
    void cdp.send('Page.screencastFrameAck', { sessionId }).catch(() => undefined);
  });
  await cdp.send('Page.startScreencast', {
    format: 'jpeg',
    quality: 60,
    maxWidth: FRAME_WIDTH,
    maxHeight: FRAME_WIDTH * 3,
  });
  const { vitals, requests } = await visitOnce(page, cdp, url, 'look-only');
  await cdp.send('Page.stopScreencast').catch(() => undefined);
  const began = asNumber(await page.evaluate('performance.timeOrigin').catch(() => 0));
  const unused = [...(await unusedScripts(cdp)), ...(await unusedStyles(cdp, sheets))];
  const pictures = await heavyPictures(page, cdp, ids);
  // A window shows the page before until the next one is drawn.
  const own = frames
    .map(({ time, image }) => ({ at: Math.round(time - began), image }))
    .filter(({ at }) => at >= 0);
  return {
    kind,
    firstPaint: vitals.firstPaint,
    largestPaint: vitals.largestPaint?.at,
    requests,
    frames: filmstrip(own),
    unused,
    pictures,
  };
}
