import type { Finding } from '../../../finding.js';
import { DEBUG_ENTITLEMENT } from '../app/entitlements.js';
import { REASON_CATEGORIES } from '../app/privacy.js';
import type { IpaFacts } from './facts.js';

type Parts = Pick<Finding, 'observed' | 'impact' | 'fix'>;

/**
 * What a store refuses of a package, and what users would meet (App Store Connect Help, "Maximum build file sizes";
 * Information Property List; "Describing use of required reason API").
 *
 * @param imports names that the program uses and does not define
 */
export function refusals(facts: IpaFacts, imports: readonly string[]): Finding[] {
  const found: Finding[] = [];
  const add = (name: string, severity: Finding['severity'], parts: Parts, entry = 'Info.plist') =>
    found.push({ code: `ipa.${name}`, severity, location: { file: facts.file, entry }, ...parts });
  const STORE = 'The store refuses the package; devices do not mind.';
  if (facts.sdk === undefined) {
    add('no-sdk', 'warning', {
      observed: 'It does not say which SDK built it.',
      impact: STORE,
      fix: 'For the store, archive the source project with Apple’s own tools.',
    });
  }
  if (!facts.hasCatalog) {
    add('no-catalog', 'warning', {
      observed: 'Its icons are loose pictures: there is no asset catalog.',
      impact: `${STORE} Dark and tinted icons are missing.`,
      fix: 'For the store, archive the source project with Apple’s own tools.',
    });
  }
  const see = facts.icons.filter(({ hasAlpha }) => hasAlpha).map(({ path }) => path);
  if (see.length > 0) {
    add('icon-alpha', 'warning', {
      observed: `${see.length === 1 ? 'An icon has' : `${see.length} icons have`} an alpha channel: ${see.slice(0, 3).join(', ')}.`,
      impact: 'Devices show black where the icon is transparent; the store refuses it.',
      fix: 'Draw the icons on an opaque background.',
    });
  }
  if (facts.icons.length === 0 && !facts.hasCatalog) {
    add('no-icon', 'error', {
      observed: 'It has no icon.',
      impact: 'Home screens show a blank tile.',
      fix: 'Name icons in CFBundleIcons, and add their files.',
    });
  }
  if (facts.entitlements.some(({ key, value }) => key === DEBUG_ENTITLEMENT && value === 'true')) {
    add('debuggable', 'warning', {
      observed: 'Debuggers may attach to it (get-task-allow).',
      impact: STORE,
      fix: 'Sign it with a distribution certificate and profile for anything but development.',
    });
  }
  for (const { key, value, allowed } of facts.entitlements) {
    if (allowed !== false) continue;
    add('entitlement', 'error', {
      observed: `Its profile does not allow the entitlement ${key} with ${value}.`,
      impact: 'Devices refuse to install it.',
      fix: 'Sign it again with a profile that allows it.',
    });
  }
  if (facts.profile?.fault !== undefined) {
    add('profile', 'error', {
      observed: `Its profile cannot be trusted: ${facts.profile.fault}.`,
      impact: 'Devices refuse to install it.',
      fix: 'Sign it again with a profile of the developer account.',
    });
  }
  if (facts.profile?.expires !== undefined && new Date(facts.profile.expires) < new Date()) {
    add('profile-expired', 'error', {
      observed: `Its profile expired on ${facts.profile.expires.slice(0, 10)}.`,
      impact: 'Devices no longer install or open it.',
      fix: 'Sign it again with a new profile.',
    });
  }
  if (facts.transport.arbitrary) {
    add('arbitrary-loads', 'warning', {
      observed: 'It allows plain http to every host (NSAllowsArbitraryLoads).',
      impact: 'Anyone on the same network can read and change what it loads; reviewers ask why.',
      fix: 'Name the hosts that have no TLS, and no others.',
    });
  }
  if (facts.privacy === undefined) {
    add('no-privacy-manifest', 'warning', {
      observed: 'It has no privacy manifest.',
      impact: 'The store asks for one where the app calls functions that need a reason.',
      fix: 'Add a PrivacyInfo.xcprivacy.',
    });
  }
  for (const [category, names] of Object.entries(REASON_CATEGORIES)) {
    const used = names.filter((name) => imports.includes(name));
    const isNamed = facts.privacy?.reasons.some((one) => one.category === category && one.reasons.length > 0);
    if (used.length === 0 || isNamed) continue;
    add(
      'no-reason',
      'warning',
      {
        observed: `It uses ${used.map((name) => name.replace(/^_(?:OBJC_CLASS_\$_)?/, '')).join(', ')}, and its privacy manifest gives no reason of the category ${category}.`,
        impact: STORE,
        fix: 'Name the category with one of its reasons under NSPrivacyAccessedAPITypes.',
      },
      'PrivacyInfo.xcprivacy',
    );
  }
  for (const { key, reason } of facts.permissions) {
    if (reason.trim().length >= 8) continue;
    add('vague-reason', 'warning', {
      observed: `${key} says "${reason}".`,
      impact: 'The system shows this text in its question; reviewers refuse texts that give no reason.',
      fix: 'Say what the user gets.',
    });
  }
  return found;
}
