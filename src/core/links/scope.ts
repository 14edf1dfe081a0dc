import type { LinkUrl } from './link-url.js';

/** Whether an address lies in a scope: same origin, and a path that begins alike (Web Application Manifest, "within scope"). */
export function withinScope(link: LinkUrl, scope: URL): boolean {
  return link.url.origin === scope.origin && link.url.pathname.startsWith(scope.pathname);
}

/** An origin of a manifest's `scope_extensions`: every host below it where a `*.` is before. */
export interface ScopeExtension {
  /** Without the wildcard. */
  readonly origin: URL;
  readonly wildcard: boolean;
}

/** Whether an address belongs to an origin that extends a scope. */
export function extensionMatches({ origin, wildcard }: ScopeExtension, link: LinkUrl): boolean {
  if (!wildcard) return link.url.origin === origin.origin;
  return (
    link.url.protocol === origin.protocol &&
    link.url.port === origin.port &&
    link.host.endsWith(`.${origin.hostname}`)
  );
}
