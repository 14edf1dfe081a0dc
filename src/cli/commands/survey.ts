import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { findBrowser } from '../../core/browser/find.js';
import type { HostProof } from '../../core/domains/prove.js';
import { formatPlace, HullError } from '../../core/errors.js';
import { CONFIG_FILE } from '../../core/project/config.js';
import { type Project, readProject } from '../../core/project/project.js';
import { type Site, sheets } from '../../core/site/site.js';
import {
  FAMILIES,
  type Family,
  type Finding,
  familyOf,
  type Rule,
  SEVERITIES,
  type Severity,
} from '../../core/survey/rule.js';
import { RULES } from '../../core/survey/rules/all.js';
import {
  countBySeverity,
  findRule,
  reaches,
  type SurveyReport,
  surveySite,
} from '../../core/survey/survey.js';
import { replaceFile } from '../../core/util/files.js';
import { baseOf, parseUrl } from '../../core/util/url-path.js';
import { browserBasics } from '../browser-options.js';
import { columns, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { readHost, readWebFolder, resolutions, type SiteOptions } from '../site-options.js';
import { VERSION } from '../version.js';

export interface SurveyOptions extends CommonOptions, SiteOptions {
  readonly browser?: boolean;
  readonly format?: 'text' | 'json' | 'sarif' | 'html';
  readonly out?: string;
  readonly failOn?: Severity | 'never';
  readonly explain?: string;
}

const WIDTH = 96;
/** Places that are shown of one rule before the rest is counted. */
const SHOWN = 3;

const HEADINGS: Readonly<Record<Severity, string>> = {
  blocker: 'Blockers: the app will not work, or will be refused',
  warning: 'Warnings: users will meet these',
  advice: 'Advice: better with it',
};

/** What is surveyed: the target that was named, else the project’s folder or address. */
interface Target {
  readonly folder?: string;
  readonly url?: URL;
  readonly project?: Project;
}

/** What the hosts of the project's links say of the app; `undefined` where there are none, or nothing to ask. */
async function associationOf(
  io: Io,
  options: SurveyOptions,
  { project, url }: Target,
): Promise<HostProof[] | undefined> {
  if ((project?.config.links ?? []).length === 0) return undefined;
  const { surveyAssociation } = await import('../survey-association.js');
  return surveyAssociation(io, options, url);
}

function projectHere(dir: string): Project | undefined {
  return existsSync(join(dir, CONFIG_FILE)) ? readProject(dir) : undefined;
}

function chooseTarget(named: string | undefined, projectDir: string): Target {
  const project = projectHere(projectDir);
  const own = project && {
    folder: project.config.web.folder === undefined ? undefined : project.resolve(project.config.web.folder),
    url: project.config.web.url === undefined ? undefined : parseUrl(project.config.web.url),
  };
  if (named === undefined) {
    // Says that hull.json is missing, and how to make one.
    const { config } = project ?? readProject(projectDir);
    if (own?.folder !== undefined)
      return {
        folder: join(projectDir === '.' ? '' : projectDir, config.web.folder ?? ''),
        ...(project ? { project } : {}),
      };
    if (own?.url !== undefined) return { url: own.url, ...(project ? { project } : {}) };
    throw new HullError(
      'config.bad-value',
      'Neither web.folder nor web.url is set: there is nothing to survey.',
      {
        ...(project ? { place: project.place('/web') } : {}),
        remedy: 'Name the folder of built files, or the address where the app is hosted.',
      },
    );
  }
  if (/^https?:\/\//i.test(named)) {
    const url = parseUrl(named);
    if (url === undefined) {
      throw new HullError('cli.usage', `"${named}" is not an address.`, {
        remedy: 'Write it as in https://ferry.saltmarsh.example/',
      });
    }
    const isOwn =
      own?.url !== undefined &&
      own.url.origin === url.origin &&
      url.pathname.startsWith(baseOf(own.url).pathname);
    return { url, ...(project && isOwn ? { project } : {}) };
  }
  const isOwn = own?.folder !== undefined && resolve(named) === resolve(own.folder);
  return { folder: named, ...(project && isOwn ? { project } : {}) };
}

function readSite(io: Io, target: Target, options: SurveyOptions): Promise<Site> {
  if (target.folder === undefined) return readHost(io, target.url as URL, options);
  return readWebFolder(io, target.folder, target.project, options);
}

async function browse(io: Io, site: Site, options: SurveyOptions, map: ReadonlyMap<string, string>) {
  if (!options.browser) return undefined;
  const executable = findBrowser(io.env.HULL_BROWSER, io.env.PATH ?? '');
  const { browseSite } = await import('../../core/survey/browser/run.js');
  io.note(io.paint.dim(`looking with ${executable}`));
  return browseSite(site, {
    executable,
    resolve: map,
    trustCrawled: options.ca !== undefined,
    ...browserBasics(io),
    ...(io.verbose ? { onStep: (what: string) => io.note(io.paint.dim(`  ${what}`)) } : {}),
  });
}

export async function survey(io: Io, options: SurveyOptions, named?: string): Promise<number> {
  if (options.explain !== undefined) {
    explain(io, options.explain);
    return 0;
  }
  const map = resolutions(options.resolve);
  const target = chooseTarget(named, options.project ?? '.');
  const site = await readSite(io, target, options);
  const browser = await browse(io, site, options, map);
  const association = await associationOf(io, options, target);
  const report = surveySite({
    site,
    project: target.project,
    browser,
    ...(association ? { association } : {}),
  });
  const format = io.json ? 'json' : (options.format ?? 'text');
  const text = await render(io, report, format);
  if (options.out !== undefined) {
    await replaceFile(resolve(options.out), new TextEncoder().encode(`${text}\n`));
    if (io.json) io.out(text);
    else io.out(`${io.paint.bold(options.out)} written: ${closing(io, report)}`);
  } else io.out(text);
  return reaches(report.findings, options.failOn ?? 'blocker') ? 1 : 0;
}

async function render(
  io: Io,
  report: SurveyReport,
  format: NonNullable<SurveyOptions['format']>,
): Promise<string> {
  switch (format) {
    case 'json':
      return JSON.stringify(
        (await import('../../core/survey/report-json.js')).reportJson(report),
        undefined,
        2,
      );
    case 'sarif':
      return JSON.stringify(
        (await import('../../core/survey/report-sarif.js')).reportSarif(report, VERSION, process.cwd()),
        undefined,
        2,
      );
    case 'html':
      return (await import('../../core/survey/report-html.js')).reportHtml(report).trimEnd();
    case 'text':
      return reportText(io, report);
  }
}

function colorOf(io: Io, severity: Severity): (text: string) => string {
  const { paint } = io;
  return severity === 'blocker' ? paint.bad : severity === 'warning' ? paint.warn : paint.name;
}

function findingLines(io: Io, finding: Finding): string {
  const { paint } = io;
  const remedy = finding.remedy.split('\n').map(safe).join('\n');
  const more = finding.more ? paint.dim(`  and ${finding.more} more`) : '';
  return [
    `    ${paint.bold(safe(formatPlace(finding.place)))}${more}`,
    `      ${wrap(safe(finding.saw), WIDTH, '      ')}`,
    `      ${wrap(safe(finding.means), WIDTH, '      ')}`,
    `      ${paint.dim('fix')} ${wrap(remedy, WIDTH - 4, '          ')}`,
  ].join('\n');
}

function ruleBlock(io: Io, rule: Rule, findings: readonly Finding[]): string {
  const color = colorOf(io, rule.severity);
  const shown = io.verbose ? findings : findings.slice(0, SHOWN);
  const rest = findings.length - shown.length;
  return [
    `  ${color(io.paint.bold(rule.id))}  ${io.paint.dim(`expected: ${rule.title}`)}`,
    ...shown.map((finding) => findingLines(io, finding)),
    ...(rest > 0
      ? [`    ${io.paint.dim(`and at ${rest} more place${rest > 1 ? 's' : ''}; --verbose shows all`)}`]
      : []),
  ].join('\n');
}

const count = (n: number, one: string, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;

function seen({ site, browser }: SurveyReport): string {
  return [
    count(site.pages.length, 'page'),
    count(site.scripts.length, 'script'),
    count(sheets(site).length, 'style sheet'),
    site.manifest?.members ? 'a manifest' : site.manifest ? 'a manifest that cannot be read' : 'no manifest',
    site.workers.length > 0 ? 'a service worker' : 'no service worker',
    ...(browser ? [`looked at with ${browser.browser}`] : []),
  ].join(', ');
}

function closing(io: Io, { findings, verdicts }: SurveyReport): string {
  const counts = countBySeverity(findings);
  const of = (is: string) => verdicts.filter((verdict) => verdict.is === is).length;
  const part = (severity: Severity, text: string) =>
    counts[severity] > 0 ? colorOf(io, severity)(text) : text;
  const ignored = of('ignored');
  return [
    part('blocker', count(counts.blocker, 'blocker')),
    part('warning', count(counts.warning, 'warning')),
    part('advice', `${counts.advice} advice`),
    `${count(of('passed'), 'rule')} passed`,
    ...(ignored > 0 ? [`${ignored} ignored`] : []),
    ...(of('not-judged') > 0 ? [`${of('not-judged')} not judged`] : []),
  ].join(', ');
}

function reportText(io: Io, report: SurveyReport): string {
  const { findings, verdicts, site } = report;
  const { paint } = io;
  const lines = [`${paint.bold(`Survey of ${safe(site.name)}`)}  ${paint.dim(seen(report))}`];
  for (const severity of SEVERITIES) {
    const blocks = verdicts.flatMap(({ rule, is }) => {
      const own =
        is === 'found' && rule.severity === severity
          ? findings.filter((finding) => finding.rule === rule.id)
          : [];
      return own.length > 0 ? [ruleBlock(io, rule, own)] : [];
    });
    if (blocks.length > 0) lines.push('', paint.bold(HEADINGS[severity]), blocks.join('\n\n'));
  }
  lines.push(...capabilityLines(io, report), ...ignoredLines(io, report), ...notJudgedLines(io, report));
  lines.push('', `${closing(io, report)}.`, next(io, report));
  return lines.join('\n');
}

function capabilityLines(io: Io, { capabilities, project }: SurveyReport): string[] {
  if (capabilities.length === 0) return [];
  const rows = capabilities.map(({ name, does, place, uses, declare, declared }) => [
    io.paint.name(name),
    does,
    safe(formatPlace(place)) + (uses > 1 ? io.paint.dim(` and ${uses - 1} more`) : ''),
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
  return ['', io.paint.bold('What the pages use of the device'), columns(rows)];
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
    return `  ${because}\n    ${io.paint.dim(wrap(names, WIDTH, '    '))}`;
  });
  return ['', io.paint.bold('Not judged'), ...lines];
}

function next(io: Io, { findings, project, site }: SurveyReport): string {
  const [first] = findings;
  const command = first
    ? `hull survey --explain ${first.rule}`
    : project
      ? 'hull pack apk'
      : `hull begin ${site.name}`;
  const more = first && !project && first.severity !== 'blocker' ? `, or hull begin ${site.name}` : '';
  return io.paint.dim(`next: ${command}${more}`);
}

function explain(io: Io, id: string): void {
  const { paint } = io;
  if (id === 'all') {
    if (io.json) outJson(io, RULES.map(facts));
    else listRules(io);
    return;
  }
  const rule = findRule(id);
  if (io.json) {
    outJson(io, facts(rule));
    return;
  }
  io.out(`${paint.bold(rule.id)}  ${colorOf(io, rule.severity)(rule.severity)}`);
  io.out(`  ${rule.title}`);
  io.out(`\n  ${wrap(rule.why, WIDTH, '  ')}\n`);
  io.out(
    columns([
      [paint.dim('family'), FAMILIES[familyOf(rule)]],
      [paint.dim('concerns'), `${rule.platforms.join(', ')}; engine ${rule.engines.join(' and ')}`],
      [paint.dim('needs'), rule.needs.length === 0 ? 'nothing but the pages' : rule.needs.join(', ')],
      [paint.dim('source'), wrap(rule.source, WIDTH - 12, '            ')],
      [paint.dim('ignore'), `"survey": { "ignore": { "${rule.id}": "<why it is meant>" } } in hull.json`],
    ]),
  );
}

function listRules(io: Io): void {
  for (const family of Object.keys(FAMILIES) as Family[]) {
    io.out(io.paint.bold(FAMILIES[family]));
    const own = RULES.filter((rule) => familyOf(rule) === family);
    io.out(
      columns(
        own.map(({ id, severity, title }) => [io.paint.name(id), colorOf(io, severity)(severity), title]),
      ),
    );
  }
}

function facts({ check: _check, ...rule }: Rule): object {
  return { ...rule, family: FAMILIES[familyOf(rule)] };
}
