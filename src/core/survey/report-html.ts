import { formatFix, formatLocation, type SayTask } from '../errors.js';
import { countBySeverity, type Finding, SEVERITIES, type Severity } from '../finding.js';
import { sheets } from '../site/site.js';
import { html, PAGE_STYLE } from '../util/html-page.js';
import type { PageView } from './browser-facts.js';
import { FAMILIES, type Family, familyOf } from './rule.js';
import type { SurveyReport } from './survey.js';

const plural = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;

const HEADINGS: Readonly<Record<Severity, { title: string; says: string }>> = {
  error: { title: 'Errors', says: 'The app will not work, or stores will refuse it.' },
  warning: { title: 'Warnings', says: 'Users will meet these.' },
  suggestion: { title: 'Suggestions', says: 'The app is better without these.' },
};

const STYLE = `${PAGE_STYLE}.counts { display: flex; flex-wrap: wrap; gap: 10px 34px; margin: 22px 0 8px; padding: 0; list-style: none; }
.counts b { font-size: 1.9rem; line-height: 1; margin-right: 8px; font-variant-numeric: tabular-nums; }
.error b, h2.error { color: var(--error); } .warning b, h2.warning { color: var(--warning); } .suggestion b, h2.suggestion { color: var(--suggestion); }
.passed b { color: var(--good); }
article { background: var(--card); border: 1px solid var(--line); border-radius: 10px; padding: 14px 18px; margin: 0 0 12px; }
article h3 { margin: 0; font-size: 1.02rem; display: flex; gap: 12px; justify-content: space-between; align-items: baseline; }
article h3 code { font-weight: 400; font-size: .84rem; color: var(--soft); white-space: nowrap; }
article p { margin: 6px 0; }
.place { font-size: .88rem; color: var(--soft); overflow-wrap: anywhere; }
pre { margin: 8px 0 0; padding: 9px 12px; border-radius: 7px; background: var(--paper); white-space: pre-wrap; overflow-wrap: anywhere; font-size: .87rem; }
details { margin-top: 8px; } summary { cursor: pointer; color: var(--soft); }
.views { display: flex; flex-wrap: wrap; gap: 22px; align-items: flex-end; margin-top: 14px; }
figure { margin: 0; } figcaption { margin-top: 7px; font-size: .88rem; color: var(--soft); max-width: 420px; }
.screen { position: relative; overflow: hidden; border-radius: 18px; outline: 6px solid #23282b; margin: 6px; }
.screen img { display: block; width: 100%; height: 100%; }
.inset { position: absolute; background: repeating-linear-gradient(45deg, #ff3d0033 0 5px, #ff3d0014 5px 10px); outline: 1px dashed #ff3d0099; }
.cut { position: absolute; background: #101314; border-radius: 50%; aspect-ratio: 1; translate: -50% -50%; }
table { border-collapse: collapse; width: 100%; font-size: .93rem; } td, th { text-align: left; padding: 5px 14px 5px 0; border-bottom: 1px solid var(--line); vertical-align: top; }
@media (max-width: 600px) { body { padding: 22px 16px; } article h3 { display: block; } }
`;

function article(finding: Finding, title: string, say: SayTask | undefined): string {
  const more = finding.more ? ` <span class="soft">and ${finding.more} more</span>` : '';
  return `<article><h3><span>${html(title)}</span><code>${html(finding.code)}</code></h3>
<p class="place">${html(formatLocation(finding.location))}${more}</p>
<p><code>${html(finding.observed)}</code></p><p>${html(finding.impact)}</p><pre>${html(formatFix(finding.fix, say))}</pre></article>`;
}

/** Diameter of a screen's hole for the camera, CSS px. */
const CUTOUT = 24;

/** The parts of a screen that the system covers, drawn over its picture; sides in percent of the screen. */
function insets({ device: { width, height, insets: given } }: PageView): string {
  const part = (style: string) => `<span class="inset" style="${style}"></span>`;
  const hole = (style: string) => `<span class="cut" style="${style}"></span>`;
  const y = (px: number) => `${((px / height) * 100).toFixed(2)}%`;
  const x = (px: number) => `${((px / width) * 100).toFixed(2)}%`;
  return [
    given.top > 0 ? part(`left:0;right:0;top:0;height:${y(given.top)}`) : '',
    given.bottom > 0 ? part(`left:0;right:0;bottom:0;height:${y(given.bottom)}`) : '',
    given.left > 0 ? part(`top:0;bottom:0;left:0;width:${x(given.left)}`) : '',
    given.right > 0 ? part(`top:0;bottom:0;right:0;width:${x(given.right)}`) : '',
    given.top > 40 ? hole(`left:50%;top:${y(given.top / 2)};width:${x(CUTOUT)}`) : '',
    given.left > 40 ? hole(`top:50%;left:${x(given.left / 2)};width:${x(CUTOUT)}`) : '',
  ].join('');
}

function figure(view: PageView): string {
  if (!view.screenshot) return '';
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
  return `<figure><div class="screen" style="width:${shownWidth}px;aspect-ratio:${device.width}/${device.height}"><img src="${image}" alt="The start page on a ${html(device.name)}">${insets(view)}</div>
<figcaption>${html(device.name)}, ${device.width} × ${device.height} px${said.length > 0 ? `<br>${html(said.join('; '))}` : ''}</figcaption></figure>`;
}

function failureRows({ browser }: SurveyReport): string {
  if (!browser) return '';
  const row = (what: string, { answered, own, status, title, error }: typeof browser.offline) =>
    `<tr><td>${html(what)}</td><td>${html(error ?? `${own ? 'a page of the app' : 'a foreign page'}${title ? `: “${title}”` : ''}`)}</td><td>${answered && status !== undefined ? `status ${status}` : ''}</td></tr>`;
  return `<h2>When something fails</h2><p>As a real browser showed it.</p><table>
${row('Without a network', browser.offline)}${row('A page that is not there', browser.notFound)}${row('A server in trouble (503)', browser.serverError)}</table>`;
}

function judgedRows(report: SurveyReport): string {
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
        return `<tr><td><code>${html(verdict.rule.id)}</code></td><td>${html(verdict.rule.title)}</td><td>${text[verdict.is]}${why ? ` <span class="soft">(${html(why)})</span>` : ''}</td></tr>`;
      }),
  );
  return `<details><summary>All ${report.verdicts.length} rules, and how each was judged</summary><table>${rows.join('\n')}</table></details>`;
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
    return `<h2 class="${severity}">${title}</h2><p>${says}</p>\n${own.map((finding) => article(finding, titles.get(finding.code) ?? '', say)).join('\n')}`;
  });
  const shown = browser?.views.filter(({ screenshot }) => screenshot) ?? [];
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Survey of ${html(site.name)}</title><style>${STYLE}</style></head><body>
<h1>Survey of ${html(site.name)}</h1>
<div class="soft">${plural(site.pages.length, 'page')}, ${plural(site.scripts.length, 'script')}, ${plural(sheets(site).length, 'style sheet')}${browser ? `; looked at with ${html(browser.browser)}` : '; not looked at with a browser'}</div>
<ul class="counts">${SEVERITIES.map((severity) => `<li class="${severity}"><b>${counts[severity]}</b>${HEADINGS[severity].title.toLowerCase()}</li>`).join('')}
<li class="passed"><b>${passed}</b>rules passed</li><li><b>${left}</b>not judged</li></ul>
${sections.join('\n')}
${findings.length === 0 ? '<p>Nothing was found.</p>' : ''}
${shown.length > 0 ? `<h2>The start page</h2><p>Hatched: what status bar, cutout and gesture bar cover.</p><div class="views">${shown.map(figure).join('\n')}</div>` : ''}
${failureRows(report)}
${capabilities.length > 0 ? `<h2>What the pages use of the device</h2><p>Where each is used first.</p><table>${capabilities.map(({ name, does, location, declare, declared }) => `<tr><td><code>${html(name)}</code></td><td>${html(does)}</td><td class="place">${html(formatLocation(location))}</td><td>${declared ? 'declared' : declare ? 'to be declared' : ''}</td></tr>`).join('')}</table>` : ''}
<h2>Rules</h2><p>A rule that was not judged has not passed.</p>${judgedRows(report)}
</body></html>
`;
}
