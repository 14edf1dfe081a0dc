import { X509Certificate } from 'node:crypto';
import type { Location } from '../../../errors.js';
import type { Finding } from '../../../finding.js';
import type { PlistDict, PlistValue } from '../../../formats/plist/types.js';
import {
  APP_ID_ENTITLEMENT,
  DEBUG_ENTITLEMENT,
  DOMAINS_ENTITLEMENT,
  TEAM_ENTITLEMENT,
} from '../app/entitlements.js';
import { certificateKind, teamOf } from './authority.js';
import { chainFindings, endFindings } from './judge-certificate.js';
import type { Profile } from './profile.js';

/** What is to be signed, and with what. */
export interface ProfileUse {
  readonly profile: Profile;
  readonly bundleId: string;
  /** `apple.team`, where it is set. */
  readonly team: string | undefined;
  /** Of the identity: DER, its own first. */
  readonly certificates: readonly Uint8Array[];
  readonly entitlements: PlistDict;
  /** SHA-256 of the root that has to be trusted, in hexadecimal. */
  readonly root: string;
  readonly now: Date;
  /** Where the profile, the identity and the bundle identifier are named. */
  readonly locations: {
    readonly profile: Location;
    readonly identity: Location;
    readonly bundleId: Location;
    readonly team: Location;
    readonly links: Location;
  };
}

/** Whether a profile's value lets an app's through: `*` at its end stands for anything, an array for any of its members. */
export function allows(granted: PlistValue | undefined, wanted: PlistValue): boolean {
  if (granted === undefined) return wanted === false;
  if (Array.isArray(wanted)) return wanted.every((one: PlistValue) => allows(granted, one));
  if (Array.isArray(granted)) return granted.some((one: PlistValue) => allows(one, wanted));
  if (typeof granted === 'string' && typeof wanted === 'string') {
    return granted.endsWith('*') ? wanted.startsWith(granted.slice(0, -1)) : granted === wanted;
  }
  if (typeof granted === 'boolean') return granted || wanted === false;
  return JSON.stringify(granted) === JSON.stringify(wanted);
}

/** Entitlements that others of these findings are about. */
const JUDGED_APART = [APP_ID_ENTITLEMENT, TEAM_ENTITLEMENT, DEBUG_ENTITLEMENT];

const quoted = (value: PlistValue | undefined) =>
  typeof value === 'string' ? `"${value}"` : JSON.stringify(value);

/**
 * Holds profile, identity and app against each other before anything is packed: each mismatch is one that a device, or the
 * installer on it, would refuse without saying which.
 */
export function judgeProfile(use: ProfileUse): Finding[] {
  const { profile, bundleId, now, locations } = use;
  const found: Finding[] = [];
  const add = (
    code: string,
    severity: Finding['severity'],
    location: Location,
    parts: Pick<Finding, 'observed' | 'impact' | 'fix'>,
  ) => found.push({ code: `profile.${code}`, severity, location, ...parts });
  const again = 'Download it again from the developer account.';
  if (profile.fault !== undefined) {
    add('signature', 'error', locations.profile, {
      observed: `The profile cannot be trusted: ${profile.fault}.`,
      impact: 'Devices refuse the app.',
      fix: again,
    });
  }
  const { expires } = profile;
  if (expires)
    found.push(...endFindings({ what: 'The profile', end: expires, location: locations.profile }, now));
  const [own] = use.certificates;
  const certificate = own && new X509Certificate(own);
  if (own === undefined || certificate === undefined) return found;
  const end = new Date(certificate.validTo);
  found.push(...endFindings({ what: 'The certificate', end, location: locations.identity }, now));
  identity(own, certificate);
  application();
  for (const [key, wanted] of Object.entries(use.entitlements)) entitlement(key, wanted);
  return found;

  function identity(der: Uint8Array, leaf: X509Certificate): void {
    const kind = certificateKind(der);
    if (kind === undefined) {
      add('certificate-kind', 'error', locations.identity, {
        observed: 'The certificate is not one for signing apps: it has no marker of the developer programme.',
        impact: 'Devices refuse the app.',
        fix: 'Use a certificate "Apple Development" or "Apple Distribution" of the developer account, with its private key.',
      });
    }
    found.push(...chainFindings(use.certificates, use.root, locations.identity));
    if (!profile.certificates.some((one) => Buffer.from(one).equals(der))) {
      add('certificate', 'error', locations.profile, {
        observed: 'The profile does not contain this certificate.',
        impact: 'Devices refuse an app that is signed by anyone the profile does not name.',
        fix: 'Add the certificate to the profile in the developer account, and download it again.',
      });
    }
    if (kind === 'distribution' && profile.kind === 'development')
      mixed('a distribution certificate', 'development');
    if (kind === 'development' && profile.kind !== 'development')
      mixed('a development certificate', profile.kind);
    const team = teamOf(leaf);
    if (team !== profile.team) {
      add('team', 'error', locations.profile, {
        observed: `The certificate is of team ${team ?? '(none)'}, the profile of team ${profile.team ?? '(none)'}.`,
        impact: 'Devices refuse the app.',
        fix: 'Take both from the same team.',
      });
    } else if (use.team !== undefined && use.team !== team) {
      add('team', 'error', locations.team, {
        observed: `apple.team is ${use.team}; certificate and profile are of team ${team}.`,
        impact: 'Association documents name apple.team: links would not open in this app.',
        fix: `Write "team": "${team}"; or use certificate and profile of ${use.team}.`,
      });
    }
  }

  function mixed(what: string, kind: string): void {
    add('kind', 'error', locations.profile, {
      observed: `The app would be signed with ${what}, and the profile is for ${kind}.`,
      impact: 'Devices refuse the app.',
      fix: 'Use a profile and a certificate of the same kind.',
    });
  }

  function application(): void {
    if (profile.prefixes.some((prefix) => allows(profile.appId, `${prefix}.${bundleId}`))) return;
    add('app-id', 'error', locations.bundleId, {
      observed: `The profile is for "${profile.appId}", and the app is "${bundleId}".`,
      impact: 'Devices refuse the app.',
      fix: 'Make a profile for this app ID; or correct apple.id.',
    });
  }

  function entitlement(key: string, wanted: PlistValue): void {
    if (JUDGED_APART.includes(key) || allows(profile.entitlements[key], wanted)) return;
    const isDomains = key === DOMAINS_ENTITLEMENT;
    add('entitlement', 'error', isDomains ? locations.links : locations.profile, {
      observed: `The profile does not allow the entitlement ${key} with ${quoted(wanted)}.`,
      impact: isDomains
        ? 'Devices refuse the app; without it, links would not open in the app.'
        : 'Devices refuse the app.',
      fix: isDomains
        ? 'Turn on Associated Domains for the app ID in the developer account, make the profile again, and download it.'
        : 'Turn on the capability for the app ID in the developer account, make the profile again, and download it.',
    });
  }
}

/** Whether a device may install what the profile is for; `undefined` where the profile names none. */
export function isRegistered(profile: Profile, device: string): boolean | undefined {
  if (profile.kind === 'enterprise') return true;
  return profile.devices?.some((one) => one.toLowerCase() === device.toLowerCase());
}
