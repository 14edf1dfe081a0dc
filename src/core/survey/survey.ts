import { HullError, type Location, task, withTasks } from '../errors.js';
import { bySeverity, type Finding, type Severity } from '../finding.js';
import type { Engine } from '../project/config.js';
import { nearest } from '../project/nearest.js';
import type { Project } from '../project/project.js';
import { capability } from '../site/capabilities.js';
import type { Site } from '../site/site.js';
import { pointerStep } from '../util/json-locations.js';
import type { BrowserFacts, WebKitFacts } from './browser-facts.js';
import { Derived } from './derived.js';
import {
  FAMILIES,
  type Family,
  familyOf,
  type Need,
  type Rule,
  type RuleContext,
  type SurveyContext,
} from './rule.js';
import { RULES } from './rules/all.js';
import { askedOf, isSeen } from './seen.js';
import { newTarget, projectTarget, type Target } from './target.js';
import { usesOf } from './uses.js';

/** What became of one rule. */
export type Verdict =
  | { readonly rule: Rule; readonly is: 'found'; readonly count: number }
  | { readonly rule: Rule; readonly is: 'passed' }
  /** Found something, and `hull.json` says why that is meant. */
  | { readonly rule: Rule; readonly is: 'ignored'; readonly reason: string; readonly count: number }
  /** Could not be judged; never counted as passed. */
  | { readonly rule: Rule; readonly is: 'not-judged'; readonly because: string }
  /** Is about something that this app does not have. */
  | { readonly rule: Rule; readonly is: 'not-concerned'; readonly because: string };

/** A capability that the pages use, and where first. */
export interface CapabilityRow {
  readonly name: string;
  readonly does: string;
  readonly uses: number;
  readonly location: Location;
  readonly declared: boolean;
  /** Whether an app has to declare it. */
  readonly declare: boolean;
}

export interface SurveyReport {
  readonly site: Site;
  readonly project: Project | undefined;
  readonly browser: BrowserFacts | undefined;
  readonly webkit?: WebKitFacts | undefined;
  readonly target: Target;
  /** Worst first, then by family and place. */
  readonly findings: readonly Finding[];
  readonly verdicts: readonly Verdict[];
  readonly capabilities: readonly CapabilityRow[];
}

/** Why a rule is not judged, by what it lacks. */
export const BECAUSE: Readonly<Record<Need, string>> = {
  folder: 'it is about a folder, and this is a host',
  hosted: 'it is about a host, and this is a folder',
  project: 'there is no hull.json to compare with',
  'start-page': 'there is no start page',
  manifest: 'there is no web app manifest that can be read',
  worker: 'there is no service worker, or it could not be read',
  browser: 'it takes a real browser',
  view: 'it takes a real browser',
  console: 'it takes a real browser',
  engines: 'it compares the engine of Apple’s devices with a browser',
  speed: 'speed was not measured',
};
/** Needs whose lack means that the rule is about something else, rather than that it could not be judged. */
const ABOUT: ReadonlySet<Need> = new Set<Need>(['folder', 'hosted']);

function has(need: Need, { site, project, browser, webkit }: SurveyContext): boolean {
  switch (need) {
    case 'folder':
    case 'hosted':
      return site.kind === need;
    case 'project':
      return project !== undefined;
    case 'start-page':
      return site.startPage !== undefined;
    case 'manifest':
      return site.manifest?.members !== undefined;
    case 'worker':
      return site.workers.some(({ script }) => script !== undefined) || browser?.workerControls === true;
    case 'browser':
      return browser !== undefined;
    case 'view':
      return isSeen({ browser, webkit });
    case 'console':
      return browser !== undefined || webkit?.watched !== undefined;
    case 'engines':
      return browser !== undefined && webkit !== undefined;
    case 'speed':
      return (browser?.speed?.pages.length ?? 0) > 0;
  }
}

function reasonOf(need: Need, { browser, webkit }: SurveyContext): string {
  if (need === 'speed' && browser === undefined) return BECAUSE.browser;
  if (webkit === undefined) return BECAUSE[need];
  if (need === 'console') return 'the driver of WebKit does not tell what hosted pages report';
  return need === 'browser' ? `${BECAUSE.browser} of Chromium’s kind beside WebKit` : BECAUSE[need];
}

/** What has to hold for pages to run in the user's own browser, full screen. */
const BROWSER_DEMANDS: ReadonlySet<string> = new Set([
  'secure.https',
  'manifest.linked',
  'manifest.reachable',
  'manifest.parses',
  'manifest.start-url',
  'manifest.start-reachable',
  'manifest.display',
  'offline.worker',
  'offline.worker-script',
  'offline.scope',
  'offline.fetch',
  'offline.not-found',
]);

/** What of these makes a page without a network, which push messages do not need. */
const OFFLINE_DEMANDS: ReadonlySet<string> = new Set(['offline.fetch', 'offline.not-found']);

/** Whether pages ask for push messages, which an app's own view never receives. */
export const usesPush = (site: Site): boolean => usesOf(site).some(({ names }) => names.includes('push'));

/** The engine that suits a site, and the rules that speak against the browser. */
export function suitableEngine(site: Site): { readonly engine: Engine; readonly broken: readonly string[] } {
  if (site.kind === 'folder') return { engine: 'webview', broken: [] };
  const context = { site, project: undefined, browser: undefined };
  const given = { ...context, derived: new Derived(site), target: newTarget(site, 'browser') };
  const needsPush = usesPush(site);
  const broken = RULES.filter(({ id }) => BROWSER_DEMANDS.has(id) && !(needsPush && OFFLINE_DEMANDS.has(id)))
    .filter((rule) => !/^(passed|not-concerned)$/.test(judge(rule, given).is))
    .map(({ id }) => id);
  return { engine: broken.length === 0 ? 'browser' : 'webview', broken };
}

/** The app that a site is judged for. */
export function targetOf({
  site,
  project,
  target,
}: Pick<SurveyContext, 'site' | 'project' | 'target'>): Target {
  if (target) return target;
  return project ? projectTarget(project) : newTarget(site, suitableEngine(site).engine);
}

type Judged =
  | { readonly is: 'not-concerned' | 'not-judged'; readonly because: string }
  | { readonly is: 'passed' }
  | { readonly is: 'found'; readonly found: readonly Finding[] };

/** What one rule says of a site. */
function judge(rule: Rule, context: RuleContext): Judged {
  const { target } = context;
  if (!rule.engines.includes(target.engine)) {
    return {
      is: 'not-concerned',
      because: `it is about the engine ${rule.engines.join(', ')}; this app has ${target.engine}`,
    };
  }
  const because = rule.unless?.(target);
  if (because !== undefined) return { is: 'not-concerned', because };
  const missing = rule.needs.filter((need) => !has(need, context));
  // Engines are compared where that was asked for.
  const isAbout = (need: Need) => ABOUT.has(need) || (need === 'engines' && context.webkit === undefined);
  const about = missing.find(isAbout);
  if (about !== undefined) return { is: 'not-concerned', because: BECAUSE[about] };
  // Without a manifest at all, the rule that says so has said everything.
  const [first] = missing;
  if (first !== undefined) return { is: 'not-judged', because: reasonOf(first, context) };
  const found = [...rule.check(context)].map((item) => ({
    code: rule.id,
    ...item,
    severity: weight(rule, target, item.severity),
  }));
  if (found.length > 0) return { is: 'found', found };
  const unseen = rule.blind?.(context);
  return unseen === undefined ? { is: 'passed' } : { is: 'not-judged', because: unseen };
}

/** A package does not go by the manifest: what is wrong with it hinders nobody who has the package. */
function weight({ id, severity }: Rule, { packed, hosted }: Target, own: Severity = severity): Severity {
  if (!packed || familyOf(id) !== 'manifest') return own;
  return hosted && own !== 'suggestion' ? 'warning' : 'suggestion';
}

/** Rules that `hull.json` ignores. Throws `config.bad-value` for a name that no rule has. */
function ignored(project: Project | undefined): ReadonlyMap<string, string> {
  const entries = Object.entries(project?.settings.survey.ignore ?? {});
  for (const [id] of entries) {
    if (RULES.some((rule) => rule.id === id)) continue;
    const near = nearest(
      id,
      RULES.map((rule) => rule.id),
    );
    throw new HullError('config.bad-value', `There is no rule "${id}".`, {
      ...(project ? { location: project.json.locationOfKey(`/survey/ignore/${pointerStep(id)}`) } : {}),
      fix:
        near === undefined ? withTasks`${task('explainRules')} lists every rule.` : `Did you mean "${near}"?`,
    });
  }
  return new Map(entries);
}

const FAMILY_ORDER = Object.keys(FAMILIES) as Family[];
const byFamily = (a: Finding, b: Finding) =>
  FAMILY_ORDER.indexOf(familyOf(a.code)) - FAMILY_ORDER.indexOf(familyOf(b.code));

/** Capabilities in the order in which they are first used. */
function capabilityRows({ site, project, browser, webkit }: SurveyContext): CapabilityRow[] {
  const rows = new Map<string, { uses: number; location: Location }>();
  const declared = project?.settings.permissions ?? {};
  for (const { names, location } of usesOf(site)) {
    for (const name of names) {
      const known = rows.get(name);
      if (known) known.uses += 1;
      else rows.set(name, { uses: 1, location });
    }
  }
  for (const { name, page } of askedOf({ browser, webkit }))
    if (!rows.has(name)) rows.set(name, { uses: 1, location: { url: page } });
  return [...rows].map(([name, { uses, location }]) => ({
    name,
    does: capability(name)?.does ?? name,
    uses,
    location,
    declared: Object.hasOwn(declared, name),
    declare: capability(name)?.declare ?? false,
  }));
}

/**
 * Judges a site by every rule. A rule that finds something is reported; one that could not be judged is reported as such, and
 * never counts as passed.
 *
 * @throws HullError `config.bad-value` where `survey.ignore` names no rule
 */
export function surveySite(context: SurveyContext): SurveyReport {
  const { project } = context;
  const reasons = ignored(project);
  const target = targetOf(context);
  const given: RuleContext = { ...context, target, derived: new Derived(context.site) };
  const findings: Finding[] = [];
  const verdicts = RULES.map((rule): Verdict => {
    const judged = judge(rule, given);
    if (judged.is !== 'found') return { rule, ...judged };
    const { found } = judged;
    const reason = reasons.get(rule.id);
    if (reason !== undefined) return { rule, is: 'ignored', reason, count: found.length };
    for (const one of found) findings.push(one);
    return { rule, is: 'found', count: found.length };
  });
  const ordered = bySeverity(findings.sort(byFamily));
  return { ...context, target, findings: ordered, verdicts, capabilities: capabilityRows(context) };
}

/** A rule by its id. */
export function findRule(id: string): Rule {
  const rule = RULES.find((item) => item.id === id);
  if (rule) return rule;
  const near = nearest(
    id,
    RULES.map((item) => item.id),
  );
  throw new HullError('survey.no-rule', `There is no rule "${id}".`, {
    location: { option: 'explain' },
    fix:
      near === undefined ? withTasks`${task('explainRules')} lists every rule.` : `Did you mean "${near}"?`,
  });
}
