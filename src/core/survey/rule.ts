import type { HostVerdict } from '../domains/verify.js';
import type { Finding, Severity } from '../finding.js';
import type { Engine } from '../project/config.js';
import type { Project } from '../project/project.js';
import type { Site } from '../site/site.js';
import type { BrowserFacts, WebKitFacts } from './browser-facts.js';
import type { Derived } from './derived.js';
import type { Concern, Target } from './target.js';

/** Subjects, in the order in which a report tells them. */
export const FAMILIES = {
  secure: 'Secure',
  manifest: 'Web app manifest',
  offline: 'Offline and errors',
  feel: 'Feels native',
  fit: 'Fits every screen',
  files: 'Folder and files',
  permission: 'Permissions',
  store: 'Stores',
  link: 'Links',
  run: 'In a browser',
  speed: 'How fast it feels',
  read: 'Could not be read',
} as const;
export type Family = keyof typeof FAMILIES;

/** What a rule cannot judge without. */
export type Need =
  | 'folder'
  | 'hosted'
  | 'project'
  | 'start-page'
  | 'manifest'
  | 'worker'
  /** Chromium, which can be left without a network. */
  | 'browser'
  /** Any engine. */
  | 'view'
  /** An engine that tells what pages report. */
  | 'console'
  /** Chromium and WebKit. */
  | 'engines'
  /** Measured times. */
  | 'speed';

export type Platform = 'android' | 'apple' | 'web';

/** What a rule says of one location; the rule itself has the code and the severity. */
export type RuleFinding = Omit<Finding, 'code' | 'severity'> & {
  /** Where it weighs less than the rule says. */
  readonly severity?: Severity;
};

/** Everything that rules look at. */
export interface SurveyContext {
  readonly site: Site;
  readonly project: Project | undefined;
  readonly browser: BrowserFacts | undefined;
  /** What the engine of Apple's devices showed; `undefined` where that was not asked. */
  readonly webkit?: WebKitFacts | undefined;
  /** The app that it is judged for; without one, what the project makes, or a new project would. */
  readonly target?: Target;
  /** What the hosts of links say of the app; `undefined` where that was not asked. */
  readonly association?: readonly HostVerdict[];
}

/** What a rule is given. */
export interface RuleContext extends SurveyContext {
  readonly target: Target;
  readonly derived: Derived;
}

/** One rule of the survey. */
export interface Rule {
  /** `family.name`, stable. */
  readonly id: `${Family}.${string}`;
  /** The fault, in a few words. */
  readonly title: string;
  readonly severity: Severity;
  readonly needs: readonly Need[];
  readonly platforms: readonly Platform[];
  readonly engines: readonly Engine[];
  /** Which apps it is not about. */
  readonly unless?: Concern;
  /** The standard or platform document that it comes from. */
  readonly source: string;
  /** The whole reasoning. */
  readonly why: string;
  /** Why it cannot be judged although nothing that it needs is missing; a rule that finds something has judged. */
  blind?(context: RuleContext): string | undefined;
  check(context: RuleContext): Iterable<RuleFinding>;
}

export const ALL_PLATFORMS: readonly Platform[] = ['android', 'apple', 'web'];
export const ALL_ENGINES: readonly Engine[] = ['webview', 'browser'];

/** A rule that concerns every platform and engine, unless it says otherwise. */
export function rule(
  parts: Omit<Rule, 'platforms' | 'engines' | 'needs'> &
    Partial<Pick<Rule, 'platforms' | 'engines' | 'needs'>>,
): Rule {
  return { platforms: ALL_PLATFORMS, engines: ALL_ENGINES, needs: [], ...parts };
}

/** The subject of a rule, by its id. */
export function familyOf(id: string): Family {
  return id.slice(0, id.indexOf('.')) as Family;
}
