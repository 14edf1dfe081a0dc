import { HullError, type Location } from '../errors.js';
import type { LinkPathConfig } from '../project/config.js';
import type { Project } from '../project/project.js';
import { pointerStep } from '../util/json-locations.js';
import { decodePath } from '../util/url-path.js';
import { isHostFault, readHostName } from './host.js';
import { normalizeEncoding } from './link-url.js';
import { compileWildcard } from './wildcard.js';

/** One rule about the links of a host: `*` stands for any run of characters. */
export interface PathRule {
  readonly allow: boolean;
  /** Percent-encoded (RFC 3986); every `*` in it is a wildcard. */
  readonly pattern: string;
  /** Names that the query has to have, each with a pattern of its value; `*` alone is any that is not empty. */
  readonly query?: readonly (readonly [string, string])[];
  readonly fragment?: string;
  readonly comment?: string;
}

/** A host whose links open in the app. */
export interface AppLink {
  /** In ASCII; `*.` before it stands for every host below it. */
  readonly host: string;
  /** Never empty; what an excluding rule matches is left to the browser, whatever else matches. */
  readonly rules: readonly PathRule[];
  /** Whether passwords that are kept for the host may be used in the app. */
  readonly credentials: boolean;
}

/** Rules with what is left out before what is in: the order for those who let the first match decide. */
export function excludedFirst(rules: readonly PathRule[]): PathRule[] {
  return [...rules.filter(({ allow }) => !allow), ...rules.filter(({ allow }) => allow)];
}

/** Whether rules say more than which paths are in: something left out, a query, a fragment. */
export function sayMoreThanPaths(rules: readonly PathRule[]): boolean {
  return rules.some(({ allow, query, fragment }) => !allow || query !== undefined || fragment !== undefined);
}

/** A rule as people write it in short: `!/admin/*`, `/show?code=*`. */
export function ruleText({ allow, pattern, query, fragment }: PathRule): string {
  const items = query?.map(([name, value]) => `${name}=${value}`).join('&');
  return `${allow ? '' : '!'}${pattern}${items === undefined ? '' : `?${items}`}${fragment === undefined ? '' : `#${fragment}`}`;
}

/** Whether a pattern matches a text; `*` is any run of characters. */
export function pathMatches(pattern: string, text: string): boolean {
  return compileWildcard(pattern, { caseSensitive: true }).test(text);
}

function badPath(text: string, location: Location, fix: string): HullError {
  return new HullError('links.bad-path', `"${text}" is not a path of a link.`, { location, fix });
}

/** A pattern of a path, in one way of writing it. Throws `links.bad-path`. */
function readPattern(text: string, pattern: string, location: Location): string {
  const fail = (fix: string): never => {
    throw badPath(text, location, fix);
  };
  if (!pattern.startsWith('/') || /[?#\s]/.test(pattern)) {
    fail(
      'Begin with a slash, and leave query and fragment out: /timetable/*, or !/admin/* to leave some out. A query: { "path": "/tickets", "query": { "code": "*" } }',
    );
  }
  if (decodePath(pattern) === undefined) fail('Write a percent sign in a path as %25.');
  if (/%(2F|2A)/i.test(pattern)) {
    fail(
      'Links cannot tell an encoded slash or star from a plain one on every platform: choose another path.',
    );
  }
  if (/\/\.{1,2}(\/|$)/.test(pattern))
    fail('Write the path without . and .. as steps; no link arrives with them.');
  if (/\$\(/.test(pattern))
    fail('Write the dollar sign as %24: some platforms take $( for the name of a list.');
  return normalizeEncoding(pattern).replaceAll(/\*{2,}/g, '*');
}

/** A pattern of a query's value or of a fragment: it must not match what is empty. */
function readText(text: string, location: Location): string {
  const pattern = normalizeEncoding(text).replaceAll(/\*{2,}/g, '*');
  if (!/[?&#]|\$\(|%(2A|26|3B)|;/i.test(text)) return pattern;
  throw badPath(
    text,
    location,
    'Use letters, digits and * for any run of characters; nothing that parts a query.',
  );
}

function pathRule(
  given: string | LinkPathConfig,
  location: Location,
  locationOf: (key: string) => Location,
): PathRule {
  if (typeof given === 'string') {
    const allow = !given.startsWith('!');
    return { allow, pattern: readPattern(given, allow ? given : given.slice(1), location) };
  }
  const { path, query = {}, fragment, exclude = false, comment } = given;
  const names = Object.entries(query).map(([name, value]): readonly [string, string] => [
    readText(name, locationOf(`query/${pointerStep(name)}`)),
    readText(value, locationOf(`query/${pointerStep(name)}`)),
  ]);
  return {
    allow: !exclude,
    pattern: readPattern(path, path, locationOf('path')),
    ...(names.length === 0 ? {} : { query: names }),
    ...(fragment === undefined ? {} : { fragment: readText(fragment, locationOf('fragment')) }),
    ...(comment === undefined ? {} : { comment }),
  };
}

/** A pattern as a text that stands for all that it matches: whatever matches both of these, matches every one. */
const samples = (pattern: string): string[] => [pattern.replaceAll('*', 'x'), pattern.replaceAll('*', '')];

/** Whether every link that one rule is about is also what another is about. */
function covers(wide: PathRule, narrow: PathRule): boolean {
  const value = (name: string) => narrow.query?.find(([own]) => own === name)?.[1];
  return (
    samples(narrow.pattern).every((path) => pathMatches(wide.pattern, path)) &&
    (wide.query ?? []).every(([name, pattern]) => value(name) === pattern) &&
    (wide.fragment === undefined || wide.fragment === narrow.fragment)
  );
}

function checkReachable(rules: readonly PathRule[], locationOf: (index: number) => Location): void {
  rules.forEach((rule, index) => {
    if (!rule.allow || !rules.some((other) => !other.allow && covers(other, rule))) return;
    throw new HullError(
      'links.matches-nothing',
      `${rule.pattern} matches nothing: another rule leaves all of it out.`,
      { location: locationOf(index), fix: 'Remove one of the two.' },
    );
  });
}

/** Rules that another one says already, by their places in the list of `hull.json`. */
export function repeatedRules(
  rules: readonly PathRule[],
): { readonly rule: PathRule; readonly by: PathRule }[] {
  return rules.flatMap((rule, index) => {
    const by = rules.find(
      (other, at) =>
        at !== index &&
        other.allow === rule.allow &&
        covers(other, rule) &&
        !(covers(rule, other) && at > index),
    );
    return by === undefined ? [] : [{ rule, by }];
  });
}

const EVERYTHING: PathRule = { allow: true, pattern: '/*' };

/** Reads the hosts whose links open in the app. Throws `links.*`. */
export function readLinks(project: Project): AppLink[] {
  const seen = new Set<string>();
  return project.settings.links.map(({ host, paths, credentials }, index) => {
    const at = `/links/${index}`;
    const fail = (observed: string, fix: string): never => {
      throw new HullError('links.bad-host', observed, { location: project.location(`${at}/host`), fix });
    };
    const read = readHostName(host);
    if (isHostFault(read)) return fail(read.observed, read.fix);
    const name = `${read.wildcard ? '*.' : ''}${read.name}`;
    if (seen.has(name)) fail(`The host "${host}" is named twice.`, 'Put all its paths into one entry.');
    seen.add(name);
    const own = (paths ?? ['/*']).map((given, each) => {
      const pointer = `${at}/paths/${each}`;
      return pathRule(given, project.location(pointer), (key) => project.location(`${pointer}/${key}`));
    });
    checkReachable(own, (each) => project.location(`${at}/paths/${each}`));
    const rules = own.some(({ allow }) => allow) ? own : [EVERYTHING, ...own];
    return { host: name, rules, credentials: credentials ?? false };
  });
}
