import { formatFix, formatLocation, type SayTask } from '../errors.js';
import { countBySeverity, type Finding, SEVERITIES, type Severity } from '../finding.js';
import { sheets } from '../site/site.js';
import { type Html, html, lines, page } from '../util/html.js';
import type { PageView } from './browser-facts.js';
import { FAMILIES, type Family, familyOf } from './rule.js';
import type { SurveyReport } from './survey.js';
import { describeTarget } from './target.js';

const withCount = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;

const HEADINGS: Readonly<Record<Severity, { title: string; says: string }>> = {
  error: { title: 'Errors', says: 'The app will not work, or stores will refuse it.' },
  warning: { title: 'Warnings', says: 'Users will notice these.' },
  suggestion: { title: 'Suggestions', says: 'The app is better without these.' },
};

function article(finding: Finding, title: string, say: SayTask | undefined): Html {
  const more = finding.more ? html` <span class="soft">and ${finding.more} more</span>` : '';
  return html`<article><h3><span>${title}</span><code>${finding.code}</code></h3>
<p class="place">${formatLocation(finding.location)}${more}</p>
<p><code>${finding.observed}</code></p><p>${finding.impact}</p><pre>${formatFix(finding.fix, say)}</pre></article>`;
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

function figure(view: PageView): Html {
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
  return html`<figure><div class="screen" style="width:${shownWidth}px;aspect-ratio:${device.width}/${device.height}"><img src="${image}" alt="The start page on a ${device.name}">${insets(view)}</div>
<figcaption>${device.name}, ${device.width} × ${device.height} px${said.length > 0 ? html`<br>${said.join('; ')}` : ''}</figcaption></figure>`;
}

function failureRows({ browser }: SurveyReport): Html {
  if (!browser) return html``;
  const row = (what: string, { answered, own, status, title, error }: typeof browser.offline) =>
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

/** The report as one page that needs nothing else: no script, no request, pictures inside it. */
export function reportHtml(report: SurveyReport, say?: SayTask): string {
  const { site, findings, verdicts, browser, capabilities } = report;
  const counts = countBySeverity(findings);
  const passed = verdicts.filter(({ is }) => is === 'passed').length;
  const left = verdicts.filter(({ is }) => is === 'not-judged').length;
  const titles = new Map(verdicts.map(({ rule }) => [rule.id as string, rule.title]));
  const sections = SEVERITIES.filter((severity) => counts[severity] > 0).map((severity) => {
    const own = findings.filter((finding) => finding.severity === severity);
    const { title, says } = HEADINGS[severity];
    return html`<h2 class="${severity}">${title}</h2><p>${says}</p>
${lines(own.map((finding) => article(finding, titles.get(finding.code) ?? '', say)))}`;
  });
  const shown = browser?.views.filter(({ screenshot }) => screenshot) ?? [];
  const body = html`<h1>Survey of ${site.name}</h1>
<div class="soft">${withCount(site.pages.length, 'page')}, ${withCount(site.scripts.length, 'script')}, ${withCount(sheets(site).length, 'style sheet')}${browser ? `; seen in ${browser.browser}` : '; not seen in a browser'}<br>Judged as it would be ${describeTarget(report.target)}</div>
<ul class="counts">${SEVERITIES.map((severity) => html`<li class="${severity}"><b>${counts[severity]}</b>${HEADINGS[severity].title.toLowerCase()}</li>`)}
<li class="passed"><b>${passed}</b>rules passed</li><li><b>${left}</b>not judged</li></ul>
${lines(sections)}
${findings.length === 0 ? html`<p>No problems found.</p>` : ''}
${shown.length > 0 ? html`<h2>The start page</h2><p>Hatched: what status bar, cutout and gesture bar cover.</p><div class="views">${lines(shown.map(figure))}</div>` : ''}
${failureRows(report)}
${capabilities.length > 0 ? html`<h2>What the pages use of the device</h2><p>Where each is used first.</p><table>${capabilities.map(({ name, does, location, declare, declared }) => html`<tr><td><code>${name}</code></td><td>${does}</td><td class="place">${formatLocation(location)}</td><td>${declared ? 'declared' : declare ? 'to be declared' : ''}</td></tr>`)}</table>` : ''}
<h2>Rules</h2><p>A rule that was not judged has not passed.</p>${judgedRows(report)}`;
  return page(`Survey of ${site.name}`, ['survey'], body);
}
