import type { AppLink } from './links.js';

/**
 * The entitlement of an Apple app for its hosts (Apple, "Associated Domains Entitlement").
 *
 * @param options `clip`: whether there is an app clip; `developer`: devices in developer mode then ask the hosts themselves
 */
export function associatedDomains(
  links: readonly AppLink[],
  {
    clip = 'none',
    mode = 'release',
  }: { readonly clip?: 'none' | 'has'; readonly mode?: 'release' | 'developer' } = {},
): string[] {
  const ending = mode === 'developer' ? '?mode=developer' : '';
  return links.flatMap(({ host, credentials }) => [
    `applinks:${host}${ending}`,
    ...(credentials ? [`webcredentials:${host}${ending}`] : []),
    ...(clip === 'none' ? [] : [`appclips:${host}${ending}`]),
  ]);
}
