import { isObject } from '../../util/json-object.js';
import { METRICS, type Metric, type SpeedFacts, type Spread, type VisitKind } from './facts.js';

/** How a metric of a page has changed since an earlier report. */
export interface SpeedChange {
  readonly page: string;
  readonly kind: VisitKind;
  readonly metric: Metric;
  readonly before: Spread;
  readonly now: Spread;
  readonly is: 'better' | 'worse';
}

function spreadIn(value: unknown): Spread | undefined {
  if (!isObject(value)) return undefined;
  const { median, least, most } = value;
  return typeof median === 'number' && typeof least === 'number' && typeof most === 'number'
    ? { median, least, most }
    : undefined;
}

/** Below this a change is of no consequence: ms, and for a shift without a unit. */
const TOO_SMALL = { time: 50, shift: 0.02 };

/** Whether two spreads have nothing in common, and differ by something that matters: then it is not the noise of a busy computer. */
function compare(metric: Metric, before: Spread, now: Spread): SpeedChange['is'] | undefined {
  const least = metric === 'shift' ? TOO_SMALL.shift : TOO_SMALL.time;
  if (now.least > before.most && now.median - before.median > least) return 'worse';
  if (now.most < before.least && before.median - now.median > least) return 'better';
  return undefined;
}

/** What has changed since the speed that an earlier report's document has; nothing where it has none. */
export function changesSince(report: unknown, speed: SpeedFacts | undefined): SpeedChange[] {
  const earlier = isObject(report) && isObject(report.speed) ? report.speed.pages : undefined;
  if (!Array.isArray(earlier) || speed === undefined) return [];
  return speed.pages.flatMap(({ url, visits }) => {
    const page = earlier.find((one) => isObject(one) && one.url === url);
    const before = isObject(page) && Array.isArray(page.visits) ? page.visits.filter(isObject) : [];
    return visits.flatMap(({ kind, metrics }) => {
      const old = before.find((one) => one.kind === kind)?.metrics;
      return METRICS.flatMap((metric): SpeedChange[] => {
        const then = isObject(old) ? spreadIn(old[metric]) : undefined;
        const now = metrics[metric];
        const is = then && now && compare(metric, then, now);
        return then && now && is ? [{ page: url, kind, metric, before: then, now, is }] : [];
      });
    });
  });
}
