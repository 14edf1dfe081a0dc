import type { BrowserOptions } from '../browser/launch.js';
import { HullError } from '../errors.js';
import type { Project } from '../project/project.js';
import { readTextFile } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { decodePath } from '../util/url-path.js';

/** How hosts are reached that are not public yet, or want to be asked slowly. */
export interface HostAccess {
  /** `host:port` → `address:port`. */
  readonly resolve?: ReadonlyMap<string, string> | undefined;
  /** PEM of a certificate authority to trust as well. */
  readonly ca?: string | undefined;
  /** Header fields for the host that is named, and for no other: for a sign-in before a test server. */
  readonly headers?: ReadonlyMap<string, string> | undefined;
  /** Requests a second, at most. */
  readonly rate?: number | undefined;
  /** Seconds that one answer may take. */
  readonly timeout?: number | undefined;
}

/** Header fields that hold secrets, which `hull.json` never does. */
const SECRET = new Set(['authorization', 'cookie', 'proxy-authorization']);

/** A certificate authority’s PEM. Throws `survey.bad-option`, `file.missing`. */
export function readAuthority(file: string, option?: string): string {
  const text = readTextFile(file);
  if (text.includes('-----BEGIN CERTIFICATE-----')) return text;
  throw new HullError('survey.bad-option', 'There is no certificate in this file.', {
    location: { ...(option === undefined ? {} : { option }), file },
    fix: 'Give the authority’s certificate as PEM (-----BEGIN CERTIFICATE-----).',
  });
}

function ownHeaders(project: Project): [string, string][] {
  return Object.entries(project.settings.web.access.headers ?? {}).map(([name, value]) => {
    if (SECRET.has(name.toLowerCase())) {
      throw new HullError('config.bad-value', `${name} is a secret, and hull.json is no place for one.`, {
        location: project.location(`/web/access/headers/${pointerStep(name)}`),
        fix: `Set HULL_HEADERS="${name}: …" in the environment instead.`,
      });
    }
    return [name.toLowerCase(), value];
  });
}

/**
 * How a project's host is reached: what is given counts before what `web.access` says.
 *
 * @throws HullError `config.bad-value`, `survey.bad-option`, `file.missing`
 */
export function accessOf<A extends HostAccess>(project: Project | undefined, given: A): A {
  if (project === undefined) return given;
  const own = project.settings.web.access;
  const resolve = Object.entries(own.resolve ?? {}).map(([host, to]): [string, string] => [
    /:\d+$/.test(host) ? host.toLowerCase() : `${host.toLowerCase()}:443`,
    to,
  ]);
  const ca = given.ca ?? (own.ca === undefined ? undefined : readAuthority(project.resolve(own.ca)));
  return {
    ...given,
    resolve: new Map([...resolve, ...(given.resolve ?? [])]),
    ...(ca === undefined ? {} : { ca }),
    headers: new Map([...ownHeaders(project), ...(given.headers ?? [])]),
    rate: given.rate ?? own.rate,
    timeout: given.timeout ?? own.timeout,
  };
}

/** A browser that reaches a host as the crawl does: under the same address, with the same authority and header fields. */
export function browserAccess(
  browser: BrowserOptions,
  host: URL,
  { resolve, ca, headers }: HostAccess,
): BrowserOptions {
  const { fields } = signedIn(host);
  const all = new Map([...fields, ...(headers ?? [])]);
  return {
    ...browser,
    ...(resolve ? { resolve } : {}),
    ...(ca === undefined ? {} : { trustCrawled: true }),
    ...(all.size > 0 ? { headers: { for: host, fields: all } } : {}),
  };
}

/** An address without the name and password in it, and the header field that carries them (RFC 7617). */
export function signedIn(address: URL): {
  readonly url: URL;
  readonly fields: readonly [string, string][];
} {
  if (address.username === '' && address.password === '') return { url: address, fields: [] };
  const url = new URL(address);
  url.username = '';
  url.password = '';
  const decoded = (part: string) => decodePath(part) ?? part;
  const text = `${decoded(address.username)}:${decoded(address.password)}`;
  return { url, fields: [['authorization', `Basic ${Buffer.from(text).toString('base64')}`]] };
}
