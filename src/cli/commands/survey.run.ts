import { HullError } from '../../core/errors.js';
import { countBySeverity, type Finding, reaches, SEVERITIES, type Severity } from '../../core/finding.js';
import { sheets } from '../../core/site/site.js';
import { type Baseline, newFindings, readBaseline } from '../../core/survey/baseline.js';
import { FAMILIES, type Family, familyOf, type Rule } from '../../core/survey/rule.js';
import { RULES } from '../../core/survey/rules/all.js';
import { viewsOf } from '../../core/survey/seen.js';
import { type Metric, PROFILE, profileText, type SpeedFacts } from '../../core/survey/speed/facts.js';
import {
  loadedBytes,
  METRIC_NAMES,
  shownAddress,
  shownMetric,
  VISITS,
} from '../../core/survey/speed/show.js';
import { changesSince, type SpeedChange } from '../../core/survey/speed/trend.js';
import { BECAUSE, findRule, type SurveyReport } from '../../core/survey/survey.js';
import { describeTarget } from '../../core/survey/target.js';
import { surveyProject } from '../../core/tasks/survey-project.js';
import { readTextFile } from '../../core/util/files.js';
import { formatBytes } from '../../core/util/sizes.js';
import { VERSION } from '../../core/util/version.js';
import type { OptionsOf } from '../define-command.js';
import { browserEnvironment, browserOptions, installedBrowser, installedWebKit } from '../options/browser.js';
import { numberBetween } from '../options/numbers.js';
import { reportForm, writeReport } from '../options/report.js';
import { siteReading } from '../options/site.js';
import type { SurveyOutput } from '../outputs.js';
import { colorOf, findingText } from '../terminal/findings.js';
import { columns, columnsOrStacks, count, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFinding, jsonLocation } from '../terminal/json.js';
import { knownPassword } from '../terminal/passwords.js';
import { openProgress } from '../terminal/progress.js';
import { fixText, locationText, sayTask } from '../terminal/say-task.js';
import type { declare } from './survey.js';

type SurveyOptions = OptionsOf<typeof declare>;

/** Of each visit; the rest is in the document and in the page. */
const SHOWN_METRICS: readonly Metric[] = ['firstPaint', 'largestPaint', 'shift', 'blocked', 'interaction'];

/** Findings that are shown of one rule before the rest is counted. */
const SHOWN = 3;

const HEADINGS: Readonly<Record<Severity, string>> = {
  error: 'Errors: the app will not work, or stores will refuse it',
  warning: 'Warnings: users will notice these',
  suggestion: 'Suggestions',
};

/** The engine that --browser names, and what is surveyed: a folder may follow the option, or come before it. */
function engineAndTarget(
  { browser }: SurveyOptions,
  target: string | undefined,
): { readonly engine: 'chromium' | 'webkit' | undefined; readonly target: string | undefined } {
  if (browser === undefined) return { engine: undefined, target };
  if (browser === 'chromium' || browser === 'webkit') return { engine: browser, target };
  if (target === undefined) return { engine: 'chromium', target: browser };
  throw new HullError('cli.usage', `"${browser}" is no engine that pages are looked at in.`, {
    location: { option: '--browser' },
    fix: 'Write --browser, or --browser webkit.',
  });
}

export async function run(io: Io, options: SurveyOptions, named: string | undefined): Promise<number> {
  if (options.explain !== undefined) {
    explain(io, options.explain);
    return 0;
  }
  const { engine, target } = engineAndTarget(options, named);
  const form = reportForm(io, options);
  const webkit = engine === 'webkit' ? installedWebKit(io, '--browser') : undefined;
  const executable = engine && chromiumFor(io, webkit !== undefined);
  const reading = siteReading(io, options);
  const looking = engine && showSteps(io);
  if (looking && executable !== undefined) io.note(io.paint.dim(`using ${executable}`));
  if (looking && webkit) io.note(io.paint.dim(`using ${webkit.driver}`));
  const report = await surveyProject({
    ...reading,
    project: options.project,
    target,
    knownPassword: (name) => knownPassword(io, {}, name),
    ...(options.speed ? { speed: { runs: numberBetween(options.runs, '--runs', [1, 25], 3) } } : {}),
    ...(looking && executable !== undefined
      ? { browser: { ...browserOptions(io, executable, options), ...looking } }
      : {}),
    ...(looking && webkit
      ? {
          webkit: {
            programs: webkit,
            environment: browserEnvironment(io.env),
            signal: io.signal,
            onStep: looking.onStep,
          },
        }
      : {}),
  }).finally(() => {
    reading.end();
    looking?.end();
  });
  const baseline =
    options.baseline === undefined
      ? undefined
      : readBaseline(options.baseline, readTextFile(options.baseline));
  const fresh = baseline ? sinceBaseline(io, report, baseline) : report.findings;
  const changes = baseline ? changesSince(baseline.document, report.browser?.speed) : [];
  const ok = !reaches(fresh, options.failOn);
  const shown = { ...report, findings: fresh };
  const print = (inner: Io, text: string | undefined) => {
    if (text === undefined) emit(inner, 'survey', surveyDocument(inner, report, new Set(fresh), changes), ok);
    else inner.out(text);
  };
  const other = form === 'sarif' || form === 'html' ? await otherForm(shown, form, changes) : undefined;
  const step = form === undefined || form === 'text' ? await nextStep(io, report) : undefined;
  const reportOf = (inner: Io) =>
    print(
      inner,
      form === 'json'
        ? undefined
        : (other ?? reportText(inner, shown, changes, report.findings.length - fresh.length, step)),
    );
  if (options.out === undefined) reportOf(io);
  else {
    await writeReport(io, options.out, reportOf);
    if (io.json) print(io, undefined);
    else io.out(`${closing(io, shown)}.`);
  }
  return ok ? 0 : 1;
}

/** Findings that an earlier report has not. */
function sinceBaseline(io: Io, { findings }: SurveyReport, baseline: Baseline): readonly Finding[] {
  const placeOf = ({ location }: Finding) => {
    const { file: path, url } = jsonLocation(io, location);
    return path ?? url ?? '';
  };
  return newFindings(findings, baseline.findings, placeOf);
}

/** Chromium, or another browser of its kind; beside WebKit, one that is missing is only noted. */
function chromiumFor(io: Io, isBesideWebKit: boolean): string | undefined {
  try {
    return installedBrowser(io, '--browser');
  } catch (error) {
    const isMissing = error instanceof HullError && error.code === 'browser.missing';
    if (!isBesideWebKit || !isMissing || io.env.HULL_BROWSER) throw error;
    io.note(
      `${io.paint.warn('note')} ${error.message} Nothing is compared with WebKit, and what happens without a network is not judged.`,
    );
    return undefined;
  }
}

/** Pages that are opened, as they are. */
function showSteps(io: Io) {
  const progress = openProgress(io, { doing: 'opening', what: 'pages', openWhat: 'pages', from: 0 });
  let opened = 0;
  return {
    onStep: (what: string) => {
      opened += 1;
      if (io.verbose) io.note(io.paint.dim(`  ${what}`));
      else progress.update(opened, Number.POSITIVE_INFINITY);
    },
    end: progress.end,
  };
}

async function otherForm(
  report: SurveyReport,
  form: 'sarif' | 'html',
  changes: readonly SpeedChange[],
): Promise<string> {
  if (form === 'html') {
    const { reportHtml } = await import('../../core/survey/report-html.js');
    return reportHtml(report, sayTask, new Date(), changes).trimEnd();
  }
  const { reportSarif } = await import('../../core/survey/report-sarif.js');
  return JSON.stringify(reportSarif(report, VERSION, process.cwd(), sayTask), undefined, 2);
}

/** The report as a document: everything that the terminal shows, and every finding in full. */
function surveyDocument(
  io: Io,
  report: SurveyReport,
  fresh: ReadonlySet<Finding>,
  changes: readonly SpeedChange[],
): SurveyOutput {
  const { site, browser, webkit, target, findings, verdicts, capabilities } = report;
  const of = (is: string) => verdicts.filter((verdict) => verdict.is === is);
  const titles = new Map(RULES.map(({ id, title }) => [id as string, title]));
  return {
    site: {
      kind: site.kind,
      name: site.name,
      base: site.base.href,
      start: site.start.href,
      pages: site.pages.length,
      scripts: site.scripts.length,
      styles: sheets(site).length,
      files: site.folder?.files.length ?? null,
      manifest: site.manifest?.name ?? null,
      workers: site.workers.map(({ url, scope }) => ({ url: url?.href ?? null, scope: scope?.href ?? null })),
    },
    target,
    browser: browser?.browser ?? null,
    webkit: webkit?.browser ?? null,
    counts: {
      ...countBySeverity(findings),
      ignored: of('ignored').length,
      passed: of('passed').length,
      notJudged: of('not-judged').length,
    },
    findings: findings.map((finding) => ({
      ...jsonFinding(io, finding),
      isNew: fresh.has(finding),
      title: titles.get(finding.code) ?? '',
      family: familyOf(finding.code),
    })),
    capabilities: capabilities.map((row) => ({ ...row, location: jsonLocation(io, row.location) })),
    rules: verdicts.map((verdict) => ({
      code: verdict.rule.id,
      verdict: verdict.is,
      ...('because' in verdict ? { because: verdict.because } : {}),
      ...('reason' in verdict ? { reason: verdict.reason } : {}),
    })),
    ...(browser || webkit
      ? { views: viewsOf(report).map(({ screenshot: _screenshot, ...view }) => view) }
      : {}),
    ...(browser?.speed ? { speed: speedDocument(browser.speed, changes) } : {}),
    ...(browser
      ? {
          failures: {
            offline: browser.offline,
            notFound: browser.notFound,
            serverError: browser.serverError,
          },
        }
      : {}),
  };
}

/** Speed as a document has it, without the pictures. */
const speedDocument = (
  { runs, pages }: SpeedFacts,
  changes: readonly SpeedChange[],
): NonNullable<SurveyOutput['speed']> => ({
  runs,
  profile: PROFILE,
  pages: pages.map(({ url, visits, closer }) => ({
    url,
    visits: visits.map(({ largest, slowest, ...visit }) => ({
      ...visit,
      largest: largest ?? null,
      slowest: slowest ?? null,
    })),
    requests: (closer?.requests ?? []).map(({ keptFor, ...one }) => ({ ...one, keptFor: keptFor ?? null })),
  })),
  changes,
});

/** How fast pages came, a line for each kind of visit, and what has changed since an earlier report. */
function speedLines(io: Io, { browser, site }: SurveyReport, changes: readonly SpeedChange[]): string[] {
  const { speed } = browser ?? {};
  if (speed === undefined || speed.pages.length === 0) return [];
  const path = (url: string) => safe(shownAddress(site, url));
  const rows = speed.pages.flatMap(({ url, visits }) =>
    visits.map((visit, index) => [
      index === 0 ? io.paint.name(path(url)) : '',
      VISITS[visit.kind],
      ...SHOWN_METRICS.map((metric) => {
        const spread = visit.metrics[metric];
        return spread === undefined ? '–' : shownMetric(metric, spread.median);
      }),
      formatBytes(loadedBytes(visit)),
    ]),
  );
  const heads = ['', '', ...SHOWN_METRICS.map((metric) => METRIC_NAMES[metric]), 'network'];
  const changed = changes.map(({ page, kind, metric, before, now, is }) =>
    wrap(
      `${(is === 'worse' ? io.paint.bad : io.paint.good)(is)}  ${path(page)}, ${VISITS[kind]}: ${METRIC_NAMES[metric]} ${shownMetric(metric, now.median)}, before ${shownMetric(metric, before.median)}`,
      io.width - 2,
      '         ',
    ),
  );
  return [
    '',
    io.paint.bold('How fast it feels'),
    io.paint.dim(
      `  ${wrap(`${profileText()}; ${speed.runs === 1 ? 'one visit of each' : `medians of ${speed.runs} visits`}`, io.width - 2, '  ')}`,
    ),
    columns([heads.map((one) => io.paint.dim(one)), ...rows], [2, 3, 4, 5, 6, 7]),
    ...changed.map((line) => `  ${line}`),
  ];
}

function ruleBlock(io: Io, rule: Rule, severity: Severity, findings: readonly Finding[]): string {
  const color = colorOf(io, severity);
  const shown = io.verbose ? findings : findings.slice(0, SHOWN);
  const rest = findings.length - shown.length;
  return [
    `  ${color(io.paint.bold(rule.title))}  ${io.paint.dim(rule.id)}`,
    ...shown.map((finding) => findingText(io, finding, '    ')),
    ...(rest > 0 ? [`    ${io.paint.dim(`and in ${count(rest, 'more place')}; --verbose shows all`)}`] : []),
  ].join('\n');
}

function seen({ site, browser, webkit }: SurveyReport): string {
  const engines = [browser?.browser, webkit?.browser].filter((name) => name !== undefined);
  return [
    count(site.pages.length, 'page'),
    count(site.scripts.length, 'script'),
    count(sheets(site).length, 'style sheet'),
    site.manifest?.members ? 'a manifest' : site.manifest ? 'a manifest that cannot be read' : 'no manifest',
    site.workers.length > 0 ? 'a service worker' : 'no service worker',
    ...(engines.length > 0 ? [`seen in ${engines.join(' and ')}`] : []),
  ].join(', ');
}

function closing(io: Io, { findings, verdicts }: SurveyReport): string {
  const counts = countBySeverity(findings);
  const of = (is: string) => verdicts.filter((verdict) => verdict.is === is).length;
  const part = (severity: Severity, text: string) =>
    counts[severity] > 0 ? colorOf(io, severity)(text) : text;
  const ignored = of('ignored');
  return [
    part('error', count(counts.error, 'error')),
    part('warning', count(counts.warning, 'warning')),
    part('suggestion', count(counts.suggestion, 'suggestion')),
    `${count(of('passed'), 'rule')} passed`,
    ...(ignored > 0 ? [`${ignored} ignored`] : []),
    ...(of('not-judged') > 0 ? [`${of('not-judged')} not judged`] : []),
  ].join(', ');
}

function reportText(
  io: Io,
  report: SurveyReport,
  changes: readonly SpeedChange[],
  known: number,
  step: string | undefined,
): string {
  const { findings, verdicts, site } = report;
  const { paint } = io;
  const lines = [
    `${paint.bold(`Survey of ${safe(site.name)}`)}  ${paint.dim(wrap(seen(report), io.width, ''))}`,
    paint.dim(wrap(`judged as it would be ${describeTarget(report.target)}`, io.width, '')),
  ];
  for (const severity of SEVERITIES) {
    const blocks = verdicts.flatMap(({ rule, is }) => {
      const own =
        is === 'found'
          ? findings.filter((finding) => finding.code === rule.id && finding.severity === severity)
          : [];
      return own.length > 0 ? [ruleBlock(io, rule, severity, own)] : [];
    });
    if (blocks.length > 0) lines.push('', paint.bold(HEADINGS[severity]), blocks.join('\n\n'));
  }
  lines.push(...speedLines(io, report, changes));
  lines.push(...capabilityLines(io, report), ...ignoredLines(io, report), ...notJudgedLines(io, report));
  const left = known > 0 ? ` ${count(known, 'finding')} of the baseline not shown.` : '';
  lines.push('', `${closing(io, report)}.${left}`, next(io, report, step));
  return lines.join('\n');
}

function capabilityLines(io: Io, { capabilities, project }: SurveyReport): string[] {
  if (capabilities.length === 0) return [];
  const rows = capabilities.map(({ name, does, location, uses, declare, declared }) => [
    io.paint.name(name),
    does,
    safe(locationText(location)) + (uses > 1 ? io.paint.dim(` and ${uses - 1} more`) : ''),
    project
      ? declared
        ? io.paint.good('declared')
        : declare
          ? io.paint.bad('not declared')
          : ''
      : declare
        ? io.paint.dim('to be declared')
        : '',
  ]);
  return ['', io.paint.bold('What the pages use of the device'), columnsOrStacks(rows, io.width)];
}

function ignoredLines(io: Io, { verdicts }: SurveyReport): string[] {
  const rows = verdicts.flatMap((verdict) =>
    verdict.is === 'ignored'
      ? [[io.paint.name(verdict.rule.id), count(verdict.count, 'finding'), safe(verdict.reason)]]
      : [],
  );
  return rows.length === 0 ? [] : ['', io.paint.bold('Ignored in hull.json'), columns(rows)];
}

/** Rules that could not be judged, by the reason. */
function notJudgedLines(io: Io, { verdicts }: SurveyReport): string[] {
  const groups = new Map<string, string[]>();
  for (const verdict of verdicts) {
    if (verdict.is !== 'not-judged') continue;
    groups.set(verdict.because, [...(groups.get(verdict.because) ?? []), verdict.rule.id]);
  }
  if (groups.size === 0) return [];
  const lines = [...groups].map(([because, ids]) => {
    const names =
      io.verbose || ids.length <= 10
        ? ids.join(', ')
        : `${ids.slice(0, 10).join(', ')} and ${ids.length - 10} more`;
    const how = because === BECAUSE.browser ? ': run again with --browser' : '';
    return `  ${because}${how}\n    ${io.paint.dim(wrap(names, io.width - 4, '    '))}`;
  });
  return ['', io.paint.bold('Not judged'), ...lines];
}

/** What comes next: to understand the first finding, and what the project lacks. */
function next(io: Io, { findings }: SurveyReport, step: string | undefined): string {
  const [first] = findings;
  const explain = first ? `hull survey --explain ${first.code}` : undefined;
  const then = first?.severity === 'error' ? undefined : step;
  const both = [explain, then].filter((one) => one !== undefined).join('; then: ');
  return both === '' ? '' : io.paint.dim(`next: ${wrap(safe(both), io.width - 6, '      ')}`);
}

/** What the project needs next, or how one is begun. */
async function nextStep(io: Io, { project, site }: SurveyReport): Promise<string | undefined> {
  if (project === undefined) return `hull begin ${site.name}`;
  try {
    const { projectState } = await import('../../core/tasks/project-state.js');
    return fixText((await projectState(io.projectDir)).next);
  } catch (error) {
    // What is wrong with the project is reported by the command that needs it right.
    if (error instanceof HullError) return undefined;
    throw error;
  }
}

/** A rule as a document has it. */
const ruleFacts = ({ id, title, severity, needs, platforms, engines, source, why }: Rule) => ({
  code: id,
  family: FAMILIES[familyOf(id)],
  title,
  severity,
  needs,
  platforms,
  engines,
  source,
  why,
});

function explain(io: Io, id: string): void {
  const rules = id === 'all' ? RULES : [findRule(id)];
  if (io.json) {
    emit(io, 'survey', { rules: rules.map(ruleFacts) });
    return;
  }
  const [rule] = rules;
  if (id === 'all' || rule === undefined) listRules(io);
  else explainRule(io, rule);
}

function explainRule(io: Io, rule: Rule): void {
  const { paint } = io;
  io.out(`${paint.bold(rule.id)}  ${colorOf(io, rule.severity)(rule.severity)}`);
  io.out(`  ${rule.title}`);
  io.out(`\n  ${wrap(rule.why, io.width - 4, '  ')}\n`);
  io.out(
    columns([
      [paint.dim('family'), FAMILIES[familyOf(rule.id)]],
      [paint.dim('concerns'), `${rule.platforms.join(', ')}; engine ${rule.engines.join(' and ')}`],
      [paint.dim('needs'), rule.needs.length === 0 ? 'nothing but the pages' : rule.needs.join(', ')],
      [paint.dim('source'), wrap(rule.source, io.width - 14, '            ')],
      [paint.dim('ignore'), `"survey": { "ignore": { "${rule.id}": "<why it is meant>" } } in hull.json`],
    ]),
  );
}

function listRules(io: Io): void {
  for (const family of Object.keys(FAMILIES) as Family[]) {
    io.out(io.paint.bold(FAMILIES[family]));
    const own = RULES.filter((rule) => familyOf(rule.id) === family);
    io.out(
      columns(
        own.map(({ id, severity, title }) => [io.paint.name(id), colorOf(io, severity)(severity), title]),
      ),
    );
  }
}
