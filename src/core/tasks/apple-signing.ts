import { X509Certificate } from 'node:crypto';
import type { App } from '../app/app.js';
import { fromSystemError, HullError, type Location, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import type { PlistDict } from '../formats/plist/types.js';
import type { SigningIdentity } from '../keys/signing-identity.js';
import { entitlementsOf } from '../platforms/apple/app/entitlements.js';
import type { AppleOptions } from '../platforms/apple/app/options.js';
import { sha256Hex, VENDOR_ROOT } from '../platforms/apple/signing/authority.js';
import { judgeProfile } from '../platforms/apple/signing/judge-profile.js';
import { type Profile, readProfileFile } from '../platforms/apple/signing/profile.js';
import type { Project } from '../project/project.js';
import { readRegularFile } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { openKey, type PasswordOf } from './passwords.js';

export interface AppleSigningOptions {
  /** Key of `hull.json`; by default `apple.key`. */
  readonly key?: string | undefined;
  /** File of the provisioning profile; by default `apple.profile`. */
  readonly profile?: string | undefined;
  readonly password: PasswordOf;
  readonly now?: Date | undefined;
}

/** A profile that was read, and identity and profile that are still being opened and judged. */
export interface AppleSigningOpening {
  readonly profileBytes: Uint8Array;
  readonly signing: Promise<AppleSigning>;
}

export interface AppleSigning {
  readonly identity: SigningIdentity;
  readonly team: string;
  readonly profile: Profile;
  readonly entitlements: PlistDict;
  /** SHA-256 of the root that has to be trusted. */
  readonly root: string;
  /** Whether that is a test authority's. */
  readonly isTest: boolean;
  /** What does not fit; with an error among them devices would refuse the app. */
  readonly findings: readonly Finding[];
}

/** The root that profiles and certificates have to lead to: the vendor's, or that of `apple.root`. */
export function trustedRoot(project: Project): { readonly root: string; readonly isTest: boolean } {
  const named = project.settings.apple.root;
  if (named === undefined) return { root: VENDOR_ROOT, isTest: false };
  const file = project.resolve(named);
  try {
    return { root: sha256Hex(new X509Certificate(readRegularFile(file)).raw), isTest: true };
  } catch (error) {
    const known = fromSystemError(error, file);
    if (known instanceof HullError) throw known;
    throw new HullError('keys.bad-certificate', 'This is not a certificate.', {
      location: { file },
      fix: 'Name a certificate in PEM or DER form; or remove apple.root, so that Apple’s own counts.',
      cause: error,
    });
  }
}

function profileFile(project: Project, given: string | undefined): string {
  if (given !== undefined) return given;
  const { profile } = project.settings.apple;
  if (profile !== undefined) return project.resolve(profile);
  throw new HullError('apple.no-profile', 'There is no provisioning profile.', {
    location: project.location('/apple'),
    fix: withTasks`Download one from the developer account and name it in hull.json: "apple": { "profile": "apple/ferry.mobileprovision" }. To try packing without an account: ${task('makeTeam')}. A package for simulators needs none.`,
  });
}

function identityKey(project: Project, wanted: string | undefined) {
  const name = wanted ?? project.settings.apple.key;
  const keys = project.settings.keys;
  const config = name !== undefined && Object.hasOwn(keys, name) ? keys[name] : undefined;
  if (name === undefined || config?.file === undefined) {
    throw new HullError(
      'apple.no-identity',
      name === undefined
        ? 'apple.key names no signing identity.'
        : `There is no signing identity named "${name}" in hull.json.`,
      {
        location: project.location(name === undefined ? '/apple' : '/keys'),
        fix: withTasks`Request a certificate: ${task('requestCertificate')}. Or export one with its private key as a .p12 file and import it with ${task('importKey')}. Then name it in apple.key. To try packing without an account: ${task('makeTeam')}`,
      },
    );
  }
  return { name, path: config.file, file: project.resolve(config.file), alias: config.alias };
}

/** Who signs, and by which profile: for packages that are not the project's own. */
export interface AppleIdentity {
  readonly identity: SigningIdentity;
  readonly team: string;
  readonly profile: Profile;
  readonly profileBytes: Uint8Array;
  /** SHA-256 of the root that has to be trusted. */
  readonly root: string;
  readonly locations: { readonly profile: Location; readonly identity: Location };
}

/** Opens identity and profile. Throws HullError `apple.no-identity`, `apple.no-profile`, `profile.malformed`, `keys.*`. */
export async function openAppleIdentity(
  project: Project,
  { key: wanted, profile: given, password }: AppleSigningOptions,
): Promise<AppleIdentity> {
  const { root } = trustedRoot(project);
  const key = identityKey(project, wanted);
  const file = profileFile(project, given);
  const { bytes: profileBytes, profile } = readProfileFile(file, root);
  const { privateKey, certificates } = await openKey(key, password);
  return {
    identity: { privateKey, certificates },
    team: profile.team ?? project.settings.apple.team ?? '',
    profile,
    profileBytes,
    root,
    locations: { profile: { file }, identity: project.location(`/keys/${pointerStep(key.name)}`) },
  };
}

/**
 * Opens identity and profile, and holds them against each other and the app.
 *
 * @throws HullError `apple.no-identity`, `apple.no-profile`, `profile.malformed`, `keys.*`
 */
export function openAppleSigning(
  project: Project,
  app: App,
  options: AppleOptions,
  { key: wanted, profile: given, password, now = new Date() }: AppleSigningOptions,
): AppleSigningOpening {
  const { root, isTest } = trustedRoot(project);
  const key = identityKey(project, wanted);
  const file = profileFile(project, given);
  const { bytes: profileBytes, profile } = readProfileFile(file, root);
  return { profileBytes, signing: judged() };

  async function judged(): Promise<AppleSigning> {
    const entry = await openKey(key, password);
    const identity = { privateKey: entry.privateKey, certificates: entry.certificates };
    const team = profile.team ?? options.team ?? '';
    const entitlements = entitlementsOf(app, options, {
      team,
      prefix: profile.prefixes[0] ?? team,
      kind: profile.kind === 'development' ? 'development' : 'other',
    });
    const findings = judgeProfile({
      profile,
      bundleId: options.bundleId,
      team: options.team,
      certificates: identity.certificates,
      entitlements,
      root,
      now,
      locations: {
        profile: { file },
        identity: project.location(`/keys/${pointerStep(key.name)}`),
        bundleId: project.location(
          project.origin('/apple/id').from === 'hull.json' ? '/apple/id' : '/app/id',
        ),
        team: project.location('/apple/team'),
        links: project.location('/links'),
      },
    });
    return { identity, team, profile, entitlements, root, isTest, findings };
  }
}
