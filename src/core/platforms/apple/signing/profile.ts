import { fromSystemError, HullError } from '../../../errors.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import { dictIn, type PlistDict, stringIn, stringsIn } from '../../../formats/plist/types.js';
import { checkSignedData } from '../../../keys/cms-verify.js';
import { readRegularFile } from '../../../util/files.js';
import { DEBUG_ENTITLEMENT } from '../app/entitlements.js';
import { chainFrom, commonNameOf } from './authority.js';

/** What a profile lets be done: on registered devices, on any of an organisation, or by the store alone. */
export type ProfileKind = 'development' | 'ad hoc' | 'enterprise' | 'store';

/** A provisioning profile (Apple, "TN3125: Inside Code Signing: Provisioning Profiles"): CMS around a property list. */
export interface Profile {
  readonly name: string;
  readonly uuid: string;
  readonly kind: ProfileKind;
  readonly team: string | undefined;
  readonly teamName: string | undefined;
  /** Before the bundle identifier in the app ID. */
  readonly prefixes: readonly string[];
  /** With its prefix; it may end with `*`. */
  readonly appId: string;
  readonly created: Date | undefined;
  readonly expires: Date | undefined;
  /** DER. */
  readonly certificates: readonly Uint8Array[];
  /** Identifiers of registered devices; `undefined` where the kind names none. */
  readonly devices: readonly string[] | undefined;
  readonly platforms: readonly string[];
  readonly entitlements: PlistDict;
  /** Why its own signature does not hold; `undefined` where it does. */
  readonly fault: string | undefined;
  /** Common name of the root that its signature leads to, where it is there. */
  readonly root: string | undefined;
}

const dateIn = (dict: PlistDict, key: string) =>
  dict[key] instanceof Date ? (dict[key] as Date) : undefined;

function kindOf(dict: PlistDict, devices: unknown): ProfileKind {
  if (dict.ProvisionsAllDevices === true) return 'enterprise';
  if (devices === undefined) return 'store';
  return dictIn(dict, 'Entitlements')[DEBUG_ENTITLEMENT] === true ? 'development' : 'ad hoc';
}

/**
 * Reads a provisioning profile and checks its signature.
 *
 * @param root SHA-256 of the root that it has to lead to, in hexadecimal: the vendor's, or a test authority's
 * @throws HullError `profile.malformed`
 */
export function readProfile(bytes: Uint8Array, root: string): Profile {
  let dict: PlistDict;
  let signed: ReturnType<typeof checkSignedData>;
  try {
    signed = checkSignedData(bytes, undefined);
    dict = readPlistDict(signed.content);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    throw new HullError('profile.malformed', 'This is not a provisioning profile.', {
      fix: 'Download it again from the developer account: a file with the ending .mobileprovision.',
      cause: error,
    });
  }
  const chain = chainFrom(signed.certificates, root);
  const fault =
    signed.fault ??
    (chain?.is === 'incomplete'
      ? `its signature leads to "${chain.missing}", which is not in it`
      : chain?.isTrusted === false
        ? `its signature leads to "${commonNameOf(chain.root)}", which devices do not trust`
        : undefined);
  const devices = Array.isArray(dict.ProvisionedDevices) ? stringsIn(dict, 'ProvisionedDevices') : undefined;
  const entitlements = dictIn(dict, 'Entitlements');
  const certificates = Array.isArray(dict.DeveloperCertificates) ? dict.DeveloperCertificates : [];
  return {
    name: stringIn(dict, 'Name') ?? '',
    uuid: stringIn(dict, 'UUID') ?? '',
    kind: kindOf(dict, devices),
    team: stringsIn(dict, 'TeamIdentifier')[0],
    teamName: stringIn(dict, 'TeamName'),
    prefixes: stringsIn(dict, 'ApplicationIdentifierPrefix'),
    appId: stringIn(entitlements, 'application-identifier') ?? '',
    created: dateIn(dict, 'CreationDate'),
    expires: dateIn(dict, 'ExpirationDate'),
    certificates: certificates.filter((one): one is Uint8Array => one instanceof Uint8Array),
    devices,
    platforms: stringsIn(dict, 'Platform'),
    entitlements,
    fault,
    root: chain?.is === 'complete' ? commonNameOf(chain.root) : undefined,
  };
}

/** Reads a profile's file. Throws HullError `profile.malformed`, `file.*`. */
export function readProfileFile(
  file: string,
  root: string,
): { readonly bytes: Uint8Array; readonly profile: Profile } {
  try {
    const bytes = readRegularFile(file);
    return { bytes, profile: readProfile(bytes, root) };
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : fromSystemError(error, file);
  }
}
