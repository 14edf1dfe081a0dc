import type { AnswerHeaders } from './answer.js';

/**
 * Two files that say to static hosts what to send: `_headers` (a path, and below it indented header fields) and
 * `_redirects` (a path, a target and a status in each line). They are read, and not packed.
 */
export const HEADERS_FILE = '_headers';
export const REDIRECTS_FILE = '_redirects';
/** Paths of a folder that are for its host alone. */
export const HOST_FILES: ReadonlySet<string> = new Set([HEADERS_FILE, REDIRECTS_FILE]);

/** A line of such a file that is not followed. */
export interface UnfollowedLine {
  readonly line: number;
  readonly text: string;
  readonly why: string;
}

export interface HeadersFile {
  readonly headers: readonly AnswerHeaders[];
  readonly unfollowed: readonly UnfollowedLine[];
}

export interface RedirectsFile {
  /** Path of the page that answers everything that is not there. */
  readonly fallback: string | undefined;
  readonly unfollowed: readonly UnfollowedLine[];
}

/** Whether a path is meant by another, or by the beginning of one and `*`. Neither begins with a slash. */
export function pathMatches(pattern: string, path: string): boolean {
  return pattern.endsWith('*') ? path.startsWith(pattern.slice(0, -1)) : path === pattern;
}

/** A token (RFC 9110, section 5.6.2). */
const FIELD_NAME = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;
/** Fields that the device or the transfer decides on. */
const NOT_OURS =
  /^(accept-ranges|age|connection|content-(encoding|length|range|type)|date|etag|keep-alive|last-modified|link|location|server|set-cookie|strict-transport-security|te|trailer|transfer-encoding|upgrade)$/i;

/** Whether a field may be sent with packed pages. */
export function mayBeSent(name: string): boolean {
  return FIELD_NAME.test(name) && !NOT_OURS.test(name);
}

/** The path of a line, without its slash; `undefined` where the device cannot go by it. */
export function patternOf(text: string): string | undefined {
  return /^\/[^\s:*?#]*\*?$/.test(text) ? text.slice(1) : undefined;
}

export function readHeadersFile(text: string): HeadersFile {
  const headers: { path: string; fields: Record<string, string> }[] = [];
  const unfollowed: UnfollowedLine[] = [];
  let current: Record<string, string> | undefined;
  for (const [index, whole] of text.split(/\r?\n/).entries()) {
    const line = index + 1;
    const trimmed = whole.trim();
    if (trimmed === '' || trimmed.startsWith('#')) continue;
    const skip = (why: string) => unfollowed.push({ line, text: trimmed, why });
    if (!/^\s/.test(whole)) {
      const path = patternOf(trimmed);
      current = undefined;
      if (path === undefined) skip('only a path, or the beginning of one and *, is followed');
      else {
        current = {};
        headers.push({ path, fields: current });
      }
      continue;
    }
    const colon = trimmed.indexOf(':');
    const [name, value] = [trimmed.slice(0, colon).trim(), trimmed.slice(colon + 1).trim()];
    // What stands below a path that is not followed was told with it.
    if (current === undefined) continue;
    if (colon < 1 || !mayBeSent(name)) skip('packed pages are not sent with this field');
    else current[name] = current[name] === undefined ? value : `${current[name]}, ${value}`;
  }
  return { headers: headers.filter(({ fields }) => Object.keys(fields).length > 0), unfollowed };
}

export function readRedirectsFile(text: string): RedirectsFile {
  const unfollowed: UnfollowedLine[] = [];
  let fallback: string | undefined;
  for (const [index, whole] of text.split(/\r?\n/).entries()) {
    const trimmed = whole.replace(/(^|\s)#.*$/, '').trim();
    if (trimmed === '') continue;
    const [from, to, status = '301'] = trimmed.split(/\s+/);
    if (from === '/*' && to !== undefined && /^\/[^:*?#]*$/.test(to) && /^200!?$/.test(status)) {
      fallback ??= to.slice(1) === '' ? 'index.html' : to.slice(1);
    } else unfollowed.push({ line: index + 1, text: trimmed, why: 'packed pages have no redirects' });
  }
  return { fallback, unfollowed };
}
