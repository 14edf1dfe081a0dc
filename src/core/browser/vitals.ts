/** What a page's own clock says of how it came to be seen and how it answers; in milliseconds since its navigation began. */
export interface Vitals {
  /** First byte of the document (Navigation Timing, `responseStart`). */
  readonly firstByte: number;
  /** First text or image (Paint Timing, `first-contentful-paint`). */
  readonly firstPaint?: number;
  /** The largest text or image so far (Largest Contentful Paint). */
  readonly largestPaint?: LargestPaint;
  /** The worst burst of layout shifts (Layout Instability): at most 5 s long, no gap of 1 s in it. No unit. */
  readonly shift: number;
  /** What was moved, worst first. */
  readonly shifted: readonly ShiftedElement[];
  /** The slowest answer to a touch or key (Event Timing); of more than 50, one in 50 is left out. */
  readonly interaction?: SlowInteraction;
  /** What tasks took beyond 50 ms each after the first paint (Long Tasks). */
  readonly blocked: number;
  /** The longest tasks, with the scripts that ran in them where the browser says so (Long Animation Frames). */
  readonly tasks: readonly LongTask[];
}

export interface LargestPaint {
  readonly at: number;
  /** As in `main img.hero`. */
  readonly element: string;
  /** Of its image; empty for text. */
  readonly url: string;
  /** When the image was asked for, and when it had come; 0 where the page may not know. */
  readonly requested: number;
  readonly loaded: number;
}

export interface ShiftedElement {
  readonly element: string;
  /** Its shift's score. */
  readonly by: number;
}

export interface SlowInteraction {
  /** From the touch to the next frame. */
  readonly lasted: number;
  /** Until its handlers began, and until they had run. */
  readonly waited: number;
  readonly handled: number;
  /** As in `pointerup`. */
  readonly kind: string;
  readonly element: string;
}

export interface LongTask {
  readonly at: number;
  readonly lasted: number;
  readonly scripts: readonly { readonly url: string; readonly name: string; readonly lasted: number }[];
}

/** Name under which the page gives its vitals as JSON. */
export const VITALS = '__hullVitals';

/**
 * Has a page note its vitals; run before its own scripts, or later, since browsers keep what they have measured. In what it says,
 * an element is a short selector.
 */
export const VITALS_SCRIPT = `(() => {
  if (self.${VITALS} || self !== self.top || !self.PerformanceObserver) return;
  const MOST = 8;
  const own = (one) => one.id ? '#' + one.id : one.tagName.toLowerCase() + (one.classList && one.classList[0] ? '.' + one.classList[0] : '');
  const name = (node) => {
    const element = node && node.nodeType === 3 ? node.parentElement : node;
    if (!element || !element.tagName) return '';
    const parent = element.parentElement;
    return (parent && parent !== document.body && parent !== document.documentElement ? own(parent) + ' ' : '') + own(element);
  };
  const round = (value) => Math.round(value * 10) / 10;
  const observe = (type, take, more) => {
    try {
      new PerformanceObserver((list) => { for (const entry of list.getEntries()) take(entry); }).observe({ type, buffered: true, ...more });
    } catch {}
  };
  let first;
  let largest;
  observe('paint', (entry) => { if (entry.name === 'first-contentful-paint') first = entry.startTime; });
  observe('largest-contentful-paint', (entry) => {
    const seen = entry.url ? performance.getEntriesByName(entry.url).pop() : undefined;
    largest = { at: entry.startTime, element: name(entry.element), url: entry.url, requested: seen ? seen.startTime : 0, loaded: entry.loadTime };
  });
  let worst = 0;
  let current = 0;
  let began = 0;
  let last = 0;
  let shifts = [];
  observe('layout-shift', (entry) => {
    if (entry.hadRecentInput) return;
    if (current > 0 && entry.startTime - last < 1000 && entry.startTime - began < 5000) current += entry.value;
    else { current = entry.value; began = entry.startTime; }
    last = entry.startTime;
    worst = Math.max(worst, current);
    const element = (entry.sources || []).map((one) => name(one.node)).find(Boolean) || '';
    shifts.push({ element, by: entry.value });
    shifts = shifts.sort((one, other) => other.by - one.by).slice(0, MOST);
  });
  const interactions = new Map();
  observe('event', (entry) => {
    if (!entry.interactionId) return;
    const known = interactions.get(entry.interactionId);
    if (known && known.lasted >= entry.duration) return;
    interactions.set(entry.interactionId, {
      lasted: entry.duration, waited: entry.processingStart - entry.startTime, handled: entry.processingEnd - entry.startTime,
      kind: entry.name, element: name(entry.target),
    });
  }, { durationThreshold: 16 });
  const longTasks = [];
  observe('longtask', (entry) => longTasks.push({ at: entry.startTime, lasted: entry.duration }));
  const frames = [];
  observe('long-animation-frame', (entry) => {
    frames.push({ at: entry.startTime, end: entry.startTime + entry.duration, scripts: entry.scripts.map((one) => ({
      url: one.sourceURL, name: one.sourceFunctionName || one.invoker || '', lasted: round(one.duration),
    })) });
  });
  self.${VITALS} = () => {
    const [navigation] = performance.getEntriesByType('navigation');
    const slow = [...interactions.values()].sort((one, other) => other.lasted - one.lasted);
    const slowest = slow[Math.floor(slow.length / 50)];
    const blocking = longTasks.filter(({ at, lasted }) => first !== undefined && at + lasted > first);
    return JSON.stringify({
      firstByte: round(navigation ? navigation.responseStart : 0),
      firstPaint: first === undefined ? undefined : round(first),
      largestPaint: largest && { ...largest, at: round(largest.at), requested: round(largest.requested), loaded: round(largest.loaded) },
      shift: Math.round(worst * 1000) / 1000,
      shifted: shifts.map(({ element, by }) => ({ element, by: Math.round(by * 1000) / 1000 })),
      interaction: slowest && { ...slowest, lasted: round(slowest.lasted), waited: round(slowest.waited), handled: round(slowest.handled) },
      blocked: round(blocking.reduce((sum, { lasted }) => sum + Math.max(0, lasted - 50), 0)),
      tasks: [...longTasks].sort((one, other) => other.lasted - one.lasted).slice(0, MOST).map(({ at, lasted }) => ({
        at: round(at), lasted: round(lasted),
        scripts: (frames.find((frame) => at >= frame.at - 1 && at < frame.end) || { scripts: [] }).scripts.slice(0, MOST),
      })),
    });
  };
})();`;
