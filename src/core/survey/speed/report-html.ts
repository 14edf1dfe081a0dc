import type { Site } from '../../site/site.js';
import { type Html, html, lines } from '../../util/html.js';
import { formatBytes } from '../../util/sizes.js';
import {
  type CloserLook,
  type Frame,
  METRICS,
  type PageSpeed,
  profileText,
  type SpeedFacts,
  type TimedRequest,
  type Visit,
} from './facts.js';
import {
  loadedBytes,
  METRIC_NAMES,
  shownAddress,
  shownMetric,
  shownRange,
  shownTime,
  VISITS,
} from './show.js';
import type { SpeedChange } from './trend.js';

/** ms by which the clocks of pictures and paints may differ. */
const CLOCKS = 20;
/** Requests that a waterfall draws. */
const MOST_ROWS = 60;

function visitRow(visit: Visit): Html {
  const cells = METRICS.map((metric) => {
    const spread = visit.metrics[metric];
    if (spread === undefined) return html`<td>–</td>`;
    const { median, least, most } = spread;
    const range =
      least === most
        ? ''
        : html` <small>${shownRange(least, most, (value) => shownMetric(metric, value))}</small>`;
    return html`<td>${shownMetric(metric, median)}${range}</td>`;
  });
  return html`<tr><th scope="row">${VISITS[visit.kind]}</th>${cells}<td>${visit.requests}</td><td>${formatBytes(loadedBytes(visit))}</td></tr>`;
}

function frameFigure(
  { at, image }: Frame,
  index: number,
  frames: readonly Frame[],
  closer: CloserLook,
): Html {
  // A picture comes after what it shows: the first that is not before it has it, and the last has all that is later.
  const before = (frames[index - 1]?.at ?? Number.NEGATIVE_INFINITY) + CLOCKS;
  const isLast = index === frames.length - 1;
  const holds = (time: number | undefined) =>
    time !== undefined && before < time && (time <= at + CLOCKS || isLast);
  const marks = [
    ...(holds(closer.firstPaint) ? ['first paint'] : []),
    ...(holds(closer.largestPaint) ? ['largest paint'] : []),
  ];
  return html`<li><img src="data:image/jpeg;base64,${Buffer.from(image).toString('base64')}" alt="The page after ${shownTime(at)}"><span>${shownTime(at)}</span>${marks.length > 0 ? html`<b>${marks.join(', ')}</b>` : ''}</li>`;
}

/** Where something is on a time axis, in percent of its end. */
const share = (at: number, end: number): string =>
  `${Math.max(0, Math.min(100, (at / end) * 100)).toFixed(2)}%`;

function requestRow(one: TimedRequest, site: Site, end: number): Html {
  const from = one.from === 'network' ? '' : `, from the ${one.from}`;
  const size = one.bytes > 0 ? formatBytes(one.bytes) : `${formatBytes(one.unpacked)}${from}`;
  const answered = one.answered === 0 ? one.end : Math.min(one.end, Math.max(one.start, one.answered));
  const name = shownAddress(site, one.url);
  return html`<tr><th scope="row" title="${one.url}">${name.length > 70 ? `…${name.slice(-68)}` : name}</th><td>${one.kind}${one.isBlocking ? html` <span class="blocks">blocks drawing</span>` : ''}${one.status >= 400 || one.status === 0 ? html` <span class="blocks">${one.status === 0 ? 'no answer' : one.status}</span>` : ''}</td><td class="number">${size}</td><td class="number">${shownTime(one.end - one.start)}</td><td class="bars"><i class="wait" style="left:${share(one.start, end)};width:${share(answered - one.start, end)}"></i><i class="load ${one.kind}" style="left:${share(answered, end)};width:${share(Math.max(one.end - answered, end / 400), end)}"></i></td></tr>`;
}

function waterfall(closer: CloserLook, site: Site): Html {
  const rows = closer.requests.slice(0, MOST_ROWS);
  const end = Math.max(1, ...closer.requests.map((one) => one.end), closer.largestPaint ?? 0);
  const line = (name: string, at: number | undefined) =>
    at === undefined
      ? ''
      : html`<i class="line" style="left:${share(at, end)}" title="${name} after ${shownTime(at)}"></i>`;
  const left = closer.requests.length - rows.length;
  return html`<div class="waterfall"><table><thead><tr><th scope="col">request</th><th scope="col">kind</th><th scope="col">size</th><th scope="col">time</th><th scope="col" class="bars axis">${[0, 0.25, 0.5, 0.75].map((part) => html`<span style="left:${part * 100}%">${shownTime(end * part)}</span>`)}${line('first paint', closer.firstPaint)}${line('largest paint', closer.largestPaint)}</th></tr></thead>
<tbody>${lines(rows.map((one) => requestRow(one, site, end)))}</tbody></table></div>${left > 0 ? html`<p class="soft">And ${left} more requests.</p>` : ''}`;
}

function pageSection(page: PageSpeed, site: Site): Html {
  const { closer, visits } = page;
  const heads = [...METRICS.map((metric) => METRIC_NAMES[metric]), 'requests', 'network'];
  return html`<section class="speed"><h3>${shownAddress(site, page.url)}</h3>
<div class="wide"><table class="times"><thead><tr><th scope="col">visit</th>${heads.map((one) => html`<th scope="col">${one}</th>`)}</tr></thead><tbody>${visits.map(visitRow)}</tbody></table></div>
${closer && closer.frames.length > 0 ? html`<ol class="filmstrip" tabindex="0" aria-label="What is seen, ${VISITS[closer.kind]}">${closer.frames.map((one, index) => frameFigure(one, index, closer.frames, closer))}</ol>` : ''}
${closer && closer.requests.length > 0 ? html`<details open><summary>${closer.requests.length} requests, ${VISITS[closer.kind]}</summary>${waterfall(closer, site)}</details>` : ''}</section>`;
}

/** How fast pages came: times with their spread, what was seen when, and every request on one axis. */
export function speedSection(speed: SpeedFacts, site: Site, changes: readonly SpeedChange[] = []): Html {
  if (speed.pages.length === 0) return html``;
  const rows = changes.map(
    ({ page, kind, metric, before, now, is }) =>
      html`<li class="${is}">${shownAddress(site, page)}, ${VISITS[kind]}: ${METRIC_NAMES[metric]} ${shownMetric(metric, now.median)}, before ${shownMetric(metric, before.median)}: ${is}</li>`,
  );
  return html`<h2 id="speed">How fast it feels</h2>
<p>As a mid-range phone would see it: ${profileText()}; pages from the package come without a network. ${speed.runs === 1 ? 'One visit of each.' : `Medians of ${speed.runs} visits, with the least and the most.`} The pictures and requests are of a visit of its own.</p>
${rows.length > 0 ? html`<ul class="changes">${rows}</ul>` : ''}
${lines(speed.pages.map((page) => pageSection(page, site)))}`;
}
