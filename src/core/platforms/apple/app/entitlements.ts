import type { App } from '../../../app/app.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { associatedDomains } from '../../../links/associated-domains.js';
import type { AppleOptions } from './options.js';

/** What debuggers need, and a store refuses. */
export const DEBUG_ENTITLEMENT = 'get-task-allow';
export const DOMAINS_ENTITLEMENT = 'com.apple.developer.associated-domains';
export const APP_ID_ENTITLEMENT = 'application-identifier';
export const TEAM_ENTITLEMENT = 'com.apple.developer.team-identifier';
const KEYCHAIN_ENTITLEMENT = 'keychain-access-groups';

/**
 * What the app may do (Apple, "Entitlements"): who it is, and the hosts of its links.
 *
 * @param prefix of the app ID; the team for all but old apps
 * @param kind debuggers attach to what is signed for development
 */
export function entitlementsOf(
  app: Pick<App, 'links'>,
  options: Pick<AppleOptions, 'bundleId' | 'clip'>,
  {
    team,
    prefix,
    kind,
  }: { readonly team: string; readonly prefix: string; readonly kind: 'development' | 'other' },
): PlistDict {
  const domains = associatedDomains(app.links, { clip: options.clip === undefined ? 'none' : 'has' });
  const id = `${prefix}.${options.bundleId}`;
  return {
    [APP_ID_ENTITLEMENT]: id,
    ...(domains.length > 0 ? { [DOMAINS_ENTITLEMENT]: domains } : {}),
    [TEAM_ENTITLEMENT]: team,
    [DEBUG_ENTITLEMENT]: kind === 'development',
    [KEYCHAIN_ENTITLEMENT]: [id],
  };
}
