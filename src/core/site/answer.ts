import { pathMatches } from './host-files.js';
import { extensionOf, MEDIA_TYPES } from './media-types.js';

/** How packed pages answer on a device. The shells hold the same rules; `shell/vectors/answers.json` binds both. */
export interface AnswerRules {
  /** Path that the pages lie below: begins and ends with a slash. */
  readonly base: string;
  /** Whether what is not packed is asked of the network at the same origin. */
  readonly network: boolean;
  /** Page for navigations that nothing else answers: its path below the base. */
  readonly fallback?: string | undefined;
  /** Beginnings of paths below the base that the fallback never answers. */
  readonly except?: readonly string[];
  /** What is sent with the answers to some paths below the base. */
  readonly headers?: readonly AnswerHeaders[];
}

export interface AnswerHeaders {
  /** A path below the base, or the beginning of one and `*`. */
  readonly path: string;
  /** By field name, as it is written. */
  readonly fields: Readonly<Record<string, string>>;
}

/** What answers a request. */
export type Answer =
  | { readonly is: 'file'; readonly path: string; readonly status: 200 | 404 }
  /** The same address with a slash at its end. */
  | { readonly is: 'slash' }
  /** The same address without the slash at its end, so that the page's relative addresses are right. */
  | { readonly is: 'bare' }
  | { readonly is: 'nothing'; readonly status: 404 | 405 }
  | { readonly is: 'network' };

export interface AnswerRequest {
  readonly method: string;
  /** Path of the address, its percent-encoding undone. */
  readonly path: string;
  /** Whether a page is asked for: the request accepts `text/html`. */
  readonly page: boolean;
}

/** A path that leaves the folder, or that no file can have. */
function climbs(name: string): boolean {
  return /[\0\\]/.test(name) || name.split('/').some((step) => step === '.' || step === '..');
}

/** Files that may answer a path below the base, in order. */
function filesForPath(path: string): string[] {
  if (path === '') return ['index.html'];
  if (!path.endsWith('/')) return [path, `${path}.html`];
  return [`${path}index.html`, `${path.slice(0, -1)}.html`];
}

/** Files that a path below the base leads to, the last by way of a slash at its end. */
export function filesLedTo(path: string): string[] {
  const own = filesForPath(path);
  return path === '' || path.endsWith('/') ? own : [...own, `${path}/index.html`];
}

/** Whether a path may be one that an app routes by itself: it does not end as the name of a file does. */
function mayBeRoute(path: string): boolean {
  return MEDIA_TYPES[extensionOf(path)] === undefined;
}

/** Whether the fallback page answers a navigation to a path below the base that nothing else answers. */
export function isRouted({ fallback, except = [] }: AnswerRules, path: string): boolean {
  return fallback !== undefined && mayBeRoute(path) && !except.some((start) => path.startsWith(start));
}

/**
 * What answers a request on the device.
 *
 * @param has whether there is a file at a path below the base
 */
export function answerOf(rules: AnswerRules, has: (path: string) => boolean, request: AnswerRequest): Answer {
  const { method, path, page } = request;
  if (!`${path}/`.startsWith(rules.base)) return { is: 'network' };
  if (method !== 'GET' && method !== 'HEAD') {
    return rules.network ? { is: 'network' } : { is: 'nothing', status: 405 };
  }
  if (!path.startsWith(rules.base)) return { is: 'slash' };
  const name = path.slice(rules.base.length);
  if (climbs(name)) return { is: 'nothing', status: 404 };
  const found = filesForPath(name).find(has);
  if (page && found?.endsWith('.html') && name === `${found.slice(0, -'.html'.length)}/`)
    return { is: 'bare' };
  if (found !== undefined) return { is: 'file', path: found, status: 200 };
  if (name !== '' && !name.endsWith('/') && has(`${name}/index.html`)) return { is: 'slash' };
  if (page && rules.fallback !== undefined && isRouted(rules, name)) {
    return { is: 'file', path: rules.fallback, status: 200 };
  }
  if (rules.network) return { is: 'network' };
  return page && has('404.html')
    ? { is: 'file', path: '404.html', status: 404 }
    : { is: 'nothing', status: 404 };
}

/** Where an answer sends its request on to, as a reference to the same host; `undefined` where it does not. */
export function movedTo({ is }: Answer, { pathname, search }: URL): string | undefined {
  if (is === 'slash') return `${pathname}/${search}`;
  return is === 'bare' ? pathname.replace(/\/$/, '') + search : undefined;
}

/** Fields that are sent with the answer to a path below the base; of two with one name, the later. */
export function headersOf({ headers = [] }: AnswerRules, path: string): Record<string, string> {
  const fields = new Map<string, readonly [string, string]>();
  for (const { path: pattern, fields: own } of headers) {
    if (!pathMatches(pattern, path)) continue;
    for (const [name, value] of Object.entries(own)) fields.set(name.toLowerCase(), [name, value]);
  }
  return Object.fromEntries(fields.values());
}

/** Pages that nobody opens by their address. */
const ASIDE = /^(404|500|offline|error)\.html$/;

/**
 * The page for navigations that nothing answers, where `hull.json` names none: `200.html`, or the only page that there is.
 * An app of one page routes by itself, or has no other addresses.
 */
export function defaultFallback(paths: readonly string[]): string | undefined {
  if (paths.includes('200.html')) return '200.html';
  const pages = paths.filter((path) => /\.html?$/.test(path) && !ASIDE.test(path));
  return pages.length === 1 && pages[0] === 'index.html' ? 'index.html' : undefined;
}
