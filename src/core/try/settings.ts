import type { App } from '../app/app.js';
import { hostMatches } from '../links/host.js';
import { lenientDecode } from '../links/link-url.js';
import { pathMatches } from '../links/links.js';
import { type CompiledPattern, patternMatches } from '../project/url-pattern.js';
import type { AnswerHeaders, AnswerRules } from '../site/answer.js';
import { MEDIA_TYPES } from '../site/media-types.js';
import { isObject, type JsonObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';

/** A rule about links, as a shell compares it: decoded. */
export interface ShellLinkRule {
  readonly allow: boolean;
  readonly pattern: string;
  readonly query: Readonly<Record<string, string>>;
  readonly fragment: string | undefined;
}

/** What other apps may share with the app (Web Share Target): where it goes, and under which names. */
export interface ShareSettings {
  readonly action: URL;
  readonly isPost: boolean;
  readonly isMultipart: boolean;
  readonly title: string | undefined;
  readonly text: string | undefined;
  readonly url: string | undefined;
  readonly files: readonly { readonly name: string; readonly accept: readonly string[] }[];
}

/** Who answers when a page cannot be shown: the shell where it says so, else the page itself. */
export interface ErrorSettings {
  /** A packed page. */
  readonly offline: URL | undefined;
  readonly notFound: boolean;
  readonly server: boolean;
}

/** What a package tells its shell (`hull/shell.json`), as far as its pages are run here. */
export interface PackedSettings {
  readonly name: string;
  readonly start: URL;
  /** Origin and rules of the packed pages; `undefined` for a hosted app. */
  readonly packed: { readonly origin: string; readonly rules: AnswerRules } | undefined;
  readonly inside: readonly CompiledPattern[];
  readonly display: App['display'];
  readonly light: { readonly theme: string; readonly background: string };
  readonly dark: { readonly theme: string; readonly background: string };
  readonly pullsToEdges: boolean;
  /** Why the app asks, by capability. */
  readonly permissions: ReadonlyMap<string, string>;
  readonly links: readonly { readonly host: string; readonly rules: readonly ShellLinkRule[] }[];
  readonly types: Readonly<Record<string, string>>;
  /** `undefined` where nothing can be shared with the app. */
  readonly share: ShareSettings | undefined;
  readonly errors: ErrorSettings;
  /** Whether the settings are ours, or were made up for a package without any. */
  readonly isOurs: boolean;
}

const DEFAULT_COLOR = '#ffffff';
const DISPLAYS = ['standalone', 'fullscreen', 'minimal-ui'] as const;

const objects = (value: unknown): JsonObject[] => (Array.isArray(value) ? value.filter(isObject) : []);
const text = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);
const strings = (value: unknown): Record<string, string> =>
  Object.fromEntries(
    Object.entries(isObject(value) ? value : {}).filter(
      (entry): entry is [string, string] => typeof entry[1] === 'string',
    ),
  );

/** A colour that can be put into a style sheet; what is none is white. */
const colorOf = (value: unknown): string =>
  /^#[0-9a-f]{6,8}$/i.test(text(value) ?? '') ? (value as string) : DEFAULT_COLOR;

const colorsOf = (value: JsonObject) => ({
  theme: colorOf(value.themeColor),
  background: colorOf(value.backgroundColor),
});

function headersOf(value: unknown): AnswerHeaders[] {
  return objects(value).flatMap(({ path, fields }): AnswerHeaders[] =>
    typeof path === 'string' ? [{ path, fields: strings(fields) }] : [],
  );
}

function packedOf(value: unknown): PackedSettings['packed'] {
  if (!isObject(value)) return undefined;
  const origin = parseUrl(text(value.origin) ?? '')?.origin;
  if (origin === undefined) return undefined;
  return {
    origin,
    rules: {
      base: text(value.base) ?? '/',
      network: value.network === true,
      fallback: text(value.fallback),
      except: (Array.isArray(value.except) ? value.except : []).filter((one) => typeof one === 'string'),
      headers: headersOf(value.headers),
    },
  };
}

const PATTERN_KEYS = ['protocol', 'hostname', 'port', 'pathname', 'search'] as const;

/** A rule of `inside`: its parts are expressions, which a damaged package may have wrong. */
function patternOf(value: JsonObject): CompiledPattern[] {
  const parts = Object.fromEntries(PATTERN_KEYS.map((key) => [key, text(value[key]) ?? '']));
  try {
    for (const part of Object.values(parts)) new RegExp(part);
  } catch {
    return [];
  }
  return [parts as unknown as CompiledPattern];
}

function linkRuleOf(value: JsonObject): ShellLinkRule[] {
  const pattern = text(value.pattern);
  return pattern === undefined
    ? []
    : [{ allow: value.allow === true, pattern, query: strings(value.query), fragment: text(value.fragment) }];
}

function shareOf(value: unknown): ShareSettings | undefined {
  if (!isObject(value)) return undefined;
  const action = parseUrl(text(value.action) ?? '');
  if (action === undefined || !/^(?:https?|hull):$/.test(action.protocol)) return undefined;
  return {
    action,
    isPost: value.method === 'POST',
    isMultipart: value.multipart === true,
    title: text(value.title),
    text: text(value.text),
    url: text(value.url),
    files: objects(value.files).flatMap(({ name, accept }) =>
      typeof name === 'string'
        ? [{ name, accept: (Array.isArray(accept) ? accept : []).filter((one) => typeof one === 'string') }]
        : [],
    ),
  };
}

function errorsOf(value: unknown): ErrorSettings {
  const errors = isObject(value) ? value : {};
  return {
    offline: parseUrl(text(errors.offline) ?? ''),
    notFound: errors.notFound === 'shell',
    server: errors.server === 'shell',
  };
}

/**
 * The settings of a package. Nothing in it is trusted: what is not as it should be is left out.
 *
 * @returns `undefined` where they say no first page
 */
export function readPackedSettings(json: unknown): PackedSettings | undefined {
  if (!isObject(json)) return undefined;
  const start = parseUrl(text(json.start) ?? '');
  if (start === undefined || !/^(?:https?|hull):$/.test(start.protocol)) return undefined;
  const dark = isObject(json.dark) ? json.dark : json;
  const permissions = Object.entries(isObject(json.permissions) ? json.permissions : {});
  return {
    name: text(json.name) ?? '',
    start,
    packed: packedOf(json.packed),
    inside: objects(json.inside).flatMap(patternOf),
    display: DISPLAYS.find((one) => one === json.display) ?? 'standalone',
    light: colorsOf(json),
    dark: colorsOf(dark),
    pullsToEdges: isObject(json.window) && json.window.edges === 'cover',
    permissions: new Map(
      permissions.map(([name, value]) => [name, (isObject(value) ? text(value.reason) : undefined) ?? '']),
    ),
    links: objects(json.links).flatMap(({ host, rules }) =>
      typeof host === 'string' ? [{ host, rules: objects(rules).flatMap(linkRuleOf) }] : [],
    ),
    types: { ...MEDIA_TYPES, ...strings(json.types) },
    share: shareOf(json.share),
    errors: errorsOf(json.errors),
    isOurs: true,
  };
}

/** The origin under which pages are answered that belong to no address. */
export const NOWHERE = 'https://app.invalid';

/** What is taken for a package without settings of ours: its pages alone, nothing inside but them. */
export function assumedSettings(name: string): PackedSettings {
  return {
    name,
    start: new URL(`${NOWHERE}/`),
    packed: { origin: NOWHERE, rules: { base: '/', network: false, fallback: 'index.html' } },
    inside: [
      { protocol: 'https', hostname: 'app\\.invalid', port: '', pathname: '/.*', search: '.*' },
    ] as never,
    display: 'standalone',
    light: { theme: DEFAULT_COLOR, background: DEFAULT_COLOR },
    dark: { theme: DEFAULT_COLOR, background: DEFAULT_COLOR },
    pullsToEdges: false,
    permissions: new Map(),
    links: [],
    types: MEDIA_TYPES,
    share: undefined,
    errors: { offline: undefined, notFound: false, server: false },
    isOurs: false,
  };
}

/** Whether an address is shown in the app: it is a page of its own, or a rule of `inside` fits. */
export const isInside = ({ inside, packed }: PackedSettings, url: URL): boolean =>
  (packed !== undefined && url.origin === packed.origin) ||
  inside.some((pattern) => patternMatches(pattern, url));

/** A text that has to be there; alone, `*` stands for any that is not empty. */
const textMatches = (pattern: string, value: string | null): boolean =>
  value !== null && (pattern === '*' ? value !== '' : pathMatches(pattern, value));

function ruleMatches({ pattern, query, fragment }: ShellLinkRule, url: URL): boolean {
  if (!pathMatches(pattern, lenientDecode(url.pathname) || '/')) return false;
  if (
    fragment !== undefined &&
    !textMatches(fragment, url.hash === '' ? null : lenientDecode(url.hash.slice(1)))
  )
    return false;
  return Object.entries(query).every(([name, wanted]) => textMatches(wanted, url.searchParams.get(name)));
}

/** What becomes of a link in another app, and why. */
export type LinkVerdict =
  | { readonly opens: 'app'; readonly why: string }
  | { readonly opens: 'browser'; readonly why: string };

/** Where a link of another app opens, as far as the package says: the host has to name the app as well. */
export function linkVerdict({ links }: PackedSettings, url: URL): LinkVerdict {
  if (url.protocol !== 'https:' && url.protocol !== 'http:')
    return { opens: 'browser', why: `${url.protocol} is no address of a page` };
  const own = links.find(({ host }) => hostMatches(host, url.hostname));
  if (own === undefined) return { opens: 'browser', why: `the package claims no links of ${url.hostname}` };
  const fitting = own.rules.filter((rule) => ruleMatches(rule, url));
  const refused = fitting.find(({ allow }) => !allow);
  if (refused) return { opens: 'browser', why: `the rule "!${refused.pattern}" leaves it out` };
  const [allowed] = fitting;
  return allowed === undefined
    ? { opens: 'browser', why: `no rule for ${own.host} fits` }
    : {
        opens: 'app',
        why: `the rule "${allowed.pattern}" for ${own.host} fits, once the host names the app`,
      };
}
