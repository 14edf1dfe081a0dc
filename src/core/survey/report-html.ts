import { formatFix, formatLocation, type SayTask } from '../errors.js';
import { countBySeverity, type Finding, SEVERITIES, type Severity } from '../finding.js';
import { sheets } from '../site/site.js';
import { type Html, html, lines, page } from '../util/html.js';
import type { FailureAnswer, PageView } from './browser-facts.js';
import { FAMILIES, type Family, familyOf } from './rule.js';
import { viewsOf } from './seen.js';
import { speedSection } from './speed/report-html.js';
import type { SpeedChange } from './speed/trend.js';
import type { SurveyReport } from './survey.js';
import { describeTarget } from './target.js';

const withCount = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;

const HEADINGS: Readonly<Record<Severity, { title: string; says: string }>> = {
  error: { title: 'Errors', says: 'The app will not work, or stores will refuse it.' },
  warning: { title: 'Warnings', says: 'Users will notice these.' },
  suggestion: { title: 'Suggestions', says: 'The app is better without these.' },
};

/** A place; an address can be opened. */
function placeOf({ location }: Finding): Html {
  const text = formatLocation(location);
  return location.url !== undefined && /^https?:\/\//.test(location.url)
    ? html`<a href="${location.url}" rel="noreferrer">${text}</a>`
    : html`${text}`;
}

interface RuleCard {
  readonly code: string;
  readonly title: string;
  readonly severity: Severity;
  readonly findings: readonly Finding[];
  /** Pages on screens where what was found can be seen. */
  readonly pictures: readonly PageView[];
}

/** What of a view shows a rule's finding. */
const SEEN_IN: Readonly<Record<string, (view: PageView) => boolean>> = {
  'fit.overflow': ({ scrollWidth, device }) => scrollWidth > device.width + 1,
  'feel.safe-area': ({ underCutout }) => underCutout.length > 0,
  'feel.bar-room': ({ underBar }) => underBar.length > 0,
};

/** Pictures in one card, at most. */
const MAX_PICTURES = 2;

const picturesFor = (code: string, views: readonly PageView[]) =>
  views.filter((view) => view.screenshot && SEEN_IN[code]?.(view)).slice(0, MAX_PICTURES);

const anchor = ({ code, severity }: RuleCard) => `${severity}-${code}`;
const placesIn = ({ findings }: RuleCard) => findings.reduce((sum, { more = 0 }) => sum + 1 + more, 0);

/** Everything that one rule found, in one card: what all places have in common is said once. */
function article(card: RuleCard, say: SayTask | undefined): Html {
  const { code, title, severity, findings } = card;
  const [first] = findings;
  const shared = (of: (finding: Finding) => string) =>
    first && findings.every((one) => of(one) === of(first)) ? of(first) : undefined;
  const impact = shared((one) => one.impact);
  const fix = shared((one) => formatFix(one.fix, say));
  const rows = findings.map((one) => {
    const more = one.more ? html` <span class="soft">and ${one.more} more</span>` : '';
    return html`<li><span class="place">${placeOf(one)}${more}</span><br><code>${one.observed}</code>${impact === undefined ? html`<br>${one.impact}` : ''}${fix === undefined ? html`<pre>${formatFix(one.fix, say)}</pre>` : ''}</li>`;
  });
  return html`<article class="${severity}" id="${anchor(card)}"><h3><span>${title}</span><code>${code}</code></h3>
${impact === undefined ? '' : html`<p>${impact}</p>`}<ul class="places">${lines(rows.slice(0, SHOWN))}</ul>
${rows.length > SHOWN ? html`<details><summary>${rows.length - SHOWN} more</summary><ul class="places">${lines(rows.slice(SHOWN))}</ul></details>` : ''}${fix === undefined ? '' : html`<pre>${fix}</pre>`}${card.pictures.length > 0 ? html`<div class="views">${lines(card.pictures.map((view) => figure(view, new URL(view.url).pathname)))}</div>` : ''}</article>`;
}

/** Places of a card that are shown at once. */
const SHOWN = 5;

/** Cards of one severity, in the order of their first findings. */
function cardsOf(
  severity: Severity,
  findings: readonly Finding[],
  titles: ReadonlyMap<string, string>,
  views: readonly PageView[],
): RuleCard[] {
  const cards = new Map<string, Finding[]>();
  for (const finding of findings) {
    if (finding.severity !== severity) continue;
    const known = cards.get(finding.code);
    if (known) known.push(finding);
    else cards.set(finding.code, [finding]);
  }
  return [...cards].map(([code, own]) => ({
    code,
    title: titles.get(code) ?? '',
    severity,
    findings: own,
    pictures: picturesFor(code, views),
  }));
}

/** What there is, with links to it; boxes beside the headings leave a severity out. */
function contents(cards: readonly RuleCard[]): Html {
  if (cards.length < 2) return html``;
  const of = (severity: Severity) => cards.filter((card) => card.severity === severity);
  const filters = SEVERITIES.filter((severity) => of(severity).length > 0).map(
    (severity) =>
      html`<label class="${severity}"><input type="checkbox" id="show-${severity}" checked> ${HEADINGS[severity].title}</label>`,
  );
  const rows = cards.map(
    (card) =>
      html`<li class="${card.severity}"><a href="#${anchor(card)}">${card.title}</a> <span class="soft">${placesIn(card)}</span></li>`,
  );
  return html`<nav aria-label="Contents"><div class="filters">${filters}</div><ul>${lines(rows)}</ul></nav>`;
}

/** Diameter of a screen's hole for the camera, CSS px. */
const CUTOUT = 24;

/** The parts of a screen that the system covers, drawn over its picture; sides in percent of the screen. */
function insets({ device: { width, height, insets: given } }: PageView): Html {
  const part = (style: string) => html`<span class="inset" style="${style}"></span>`;
  const hole = (style: string) => html`<span class="cut" style="${style}"></span>`;
  const y = (px: number) => `${((px / height) * 100).toFixed(2)}%`;
  const x = (px: number) => `${((px / width) * 100).toFixed(2)}%`;
  return html`${[
    given.top > 0 ? part(`left:0;right:0;top:0;height:${y(given.top)}`) : '',
    given.bottom > 0 ? part(`left:0;right:0;bottom:0;height:${y(given.bottom)}`) : '',
    given.left > 0 ? part(`top:0;bottom:0;left:0;width:${x(given.left)}`) : '',
    given.right > 0 ? part(`top:0;bottom:0;right:0;width:${x(given.right)}`) : '',
    given.top > 40 ? hole(`left:50%;top:${y(given.top / 2)};width:${x(CUTOUT)}`) : '',
    given.left > 40 ? hole(`top:50%;left:${x(given.left / 2)};width:${x(CUTOUT)}`) : '',
  ]}`;
}

const ENGINES = { chromium: 'Chromium', webkit: 'WebKit' } as const;

/** Pictures of one screen beside each other. */
function sideBySide(views: readonly PageView[]): PageView[] {
  const screens = [...new Set(views.map(({ device }) => device.name))];
  return screens.flatMap((name) => views.filter(({ device }) => device.name === name));
}

function figure(view: PageView, name = 'The start page'): Html {
  if (!view.screenshot) return html``;
  const { device } = view;
  const shownWidth = device.width > device.height ? 480 : device.width > 500 ? 300 : 210;
  const image = `data:image/jpeg;base64,${Buffer.from(view.screenshot).toString('base64')}`;
  const said = [
    view.scrollWidth > device.width + 1 ? `${view.scrollWidth} px wide: scrolls sideways` : '',
    view.small.length > 0 ? `${view.small.length} control${view.small.length > 1 ? 's' : ''} too small` : '',
    view.underCutout.length > 0
      ? `${view.underCutout.length} text${view.underCutout.length > 1 ? 's' : ''} covered`
      : '',
  ].filter((text) => text !== '');
  return html`<figure><div class="screen" style="width:${shownWidth}px;aspect-ratio:${device.width}/${device.height}"><img src="${image}" alt="${name} on a ${device.name}, in ${ENGINES[view.engine]}">${insets(view)}</div>
<figcaption>${ENGINES[view.engine]}, ${device.name}, ${device.width} × ${device.height} px${said.length > 0 ? html`<br>${said.join('; ')}` : ''}</figcaption></figure>`;
}

function failureRows({ browser }: SurveyReport): Html {
  if (!browser) return html``;
  const row = (what: string, { answered, own, status, title, error }: FailureAnswer) =>
    html`<tr><td>${what}</td><td>${error ?? `${own ? 'a page of the app' : 'a foreign page'}${title ? `: “${title}”` : ''}`}</td><td>${answered && status !== undefined ? `status ${status}` : ''}</td></tr>`;
  return html`<h2>When something fails</h2><p>As a real browser showed it.</p><table>
${row('Without a network', browser.offline)}${row('A page that is not there', browser.notFound)}${row('A server in trouble (503)', browser.serverError)}</table>`;
}

function judgedRows(report: SurveyReport): Html {
  const families = Object.keys(FAMILIES) as Family[];
  const text = {
    passed: 'passed',
    found: 'found',
    ignored: 'ignored',
    'not-judged': 'not judged',
    'not-concerned': 'not concerned',
  };
  const rows = families.flatMap((family) =>
    report.verdicts
      .filter(({ rule }) => familyOf(rule.id) === family)
      .map((verdict) => {
        const why = 'because' in verdict ? verdict.because : 'reason' in verdict ? verdict.reason : '';
        return html`<tr><td><code>${verdict.rule.id}</code></td><td>${verdict.rule.title}</td><td>${text[verdict.is]}${why ? html` <span class="soft">(${why})</span>` : ''}</td></tr>`;
      }),
  );
  return html`<details><summary>All ${report.verdicts.length} rules, and how each was judged</summary><table>${lines(rows)}</table></details>`;
}

/**
 * The report as one page that needs nothing else: no script, no request, pictures inside it.
 *
 * @param made when the survey was made, where the page is to say so
 * @param changes since an earlier report
 */
export function reportHtml(
  report: SurveyReport,
  say?: SayTask,
  made?: Date,
  changes: readonly SpeedChange[] = [],
): string {
  const { site, findings, verdicts, browser, webkit, capabilities } = report;
  const views = viewsOf(report);
  const counts = countBySeverity(findings);
  const passed = verdicts.filter(({ is }) => is === 'passed').length;
  const left = verdicts.filter(({ is }) => is === 'not-judged').length;
  const titles = new Map(verdicts.map(({ rule }) => [rule.id as string, rule.title]));
  const cards = SEVERITIES.flatMap((severity) => cardsOf(severity, findings, titles, views));
  const sections = SEVERITIES.filter((severity) => counts[severity] > 0).map((severity) => {
    const { title, says } = HEADINGS[severity];
    const own = cards.filter((card) => card.severity === severity);
    return html`<section class="${severity}"><h2 class="${severity}">${title}</h2><p>${says}</p>
${lines(own.map((card) => article(card, say)))}</section>`;
  });
  const first = views[0]?.url;
  const shown = sideBySide(views.filter(({ screenshot, url }) => screenshot && url === first));
  const engines = [browser?.browser, webkit?.browser].filter((name) => name !== undefined);
  const body = html`<h1>Survey of ${site.name}</h1>
<div class="soft">${withCount(site.pages.length, 'page')}, ${withCount(site.scripts.length, 'script')}, ${withCount(sheets(site).length, 'style sheet')}${engines.length > 0 ? `; seen in ${engines.join(' and ')}` : '; not seen in a browser'}<br>Judged as it would be ${describeTarget(report.target)}${made ? html`<br>${made.toISOString().slice(0, 16).replace('T', ' ')} UTC` : ''}</div>
<ul class="counts">${SEVERITIES.map((severity) => html`<li class="${severity}"><b>${counts[severity]}</b>${HEADINGS[severity].title.toLowerCase()}</li>`)}
<li class="passed"><b>${passed}</b>rules passed</li><li><b>${left}</b>not judged</li></ul>
${contents(cards)}
${lines(sections)}
${findings.length === 0 ? html`<p>No problems found.</p>` : ''}
${shown.length > 0 ? html`<h2>The start page</h2>${shown.some(({ device: { insets: at } }) => at.top + at.right + at.bottom + at.left > 0) ? html`<p>Hatched: what status bar, cutout and gesture bar cover.</p>` : ''}<div class="views">${lines(shown.map((view) => figure(view)))}</div>` : ''}
${browser?.speed ? speedSection(browser.speed, site, changes) : ''}
${failureRows(report)}
${capabilities.length > 0 ? html`<h2>What the pages use of the device</h2><p>Where each is used first.</p><table>${capabilities.map(({ name, does, location, declare, declared }) => html`<tr><td><code>${name}</code></td><td>${does}</td><td class="place">${formatLocation(location)}</td><td>${declared ? 'declared' : declare ? 'to be declared' : ''}</td></tr>`)}</table>` : ''}
<h2>Rules</h2><p>A rule that was not judged has not passed.</p>${judgedRows(report)}`;
  return page(`Survey of ${site.name}`, ['survey'], body);
}
