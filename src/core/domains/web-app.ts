import type { ScopeExtension } from '../links/scope.js';
import { manifestList, manifestText, type Site } from '../site/site.js';
import { baseOf, parseUrl } from '../util/url-path.js';

/** What an installed web app is known by, and which addresses are its own. */
export interface WebApp {
  /** Absolute (Web Application Manifest, "id member"). */
  readonly id: string;
  readonly scope: URL;
  readonly extensions: readonly ScopeExtension[];
  /** Path or address of the manifest. */
  readonly manifest: string;
}

function readExtension(item: unknown): ScopeExtension[] {
  const text = typeof item === 'object' && item !== null && 'origin' in item ? item.origin : undefined;
  if (typeof text !== 'string') return [];
  const wildcard = /^https:\/\/\*\./.test(text);
  const origin = parseUrl(wildcard ? text.replace('*.', '') : text);
  return origin?.protocol === 'https:' ? [{ origin, wildcard }] : [];
}

/** The web app of a site; `undefined` where it has no manifest, or is hosted nowhere that is known. */
export function webAppOf(site: Site): WebApp | undefined {
  const { manifest } = site;
  if (manifest?.members === undefined || !site.baseIsKnown) return undefined;
  const from = new URL(manifest.url);
  const start = parseUrl(manifestText(site, 'start_url') ?? '', from) ?? site.start;
  const named = manifestText(site, 'id');
  const id =
    named === undefined ? new URL(start) : (parseUrl(named, new URL(start.origin)) ?? new URL(start));
  id.hash = '';
  const scope = parseUrl(manifestText(site, 'scope') ?? '', from);
  return {
    id: id.href,
    scope: manifestText(site, 'scope') !== undefined && scope ? scope : baseOf(start),
    extensions: manifestList(site, 'scope_extensions').flatMap(readExtension),
    manifest: manifest.name,
  };
}
