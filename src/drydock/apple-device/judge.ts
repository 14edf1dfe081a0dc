import { HullError } from '../../core/errors.js';
import type { FileSource } from '../../core/formats/bytes/source.js';
import { PLATFORM } from '../../core/formats/macho/types.js';
import { newDict, type PlistValue, stringIn } from '../../core/formats/plist/types.js';
import { readEntry } from '../../core/formats/zip/reader.js';
import type { ZipLayout } from '../../core/formats/zip/types.js';
import { compareVersions } from '../../core/platforms/apple/app/versions.js';
import type { DeviceRefusal } from '../../core/platforms/apple/device/installation.js';
import { bundleFolderOf } from '../../core/platforms/apple/package/bundle-folder.js';
import { PROFILE_PATH } from '../../core/platforms/apple/package/entries.js';
import { isRegistered, judgeProfile } from '../../core/platforms/apple/signing/judge-profile.js';
import { type Profile, readProfile } from '../../core/platforms/apple/signing/profile.js';
import { type BundleReport, verifyBundle } from '../../core/platforms/apple/signing/verify-bundle.js';
import type { SimulatedDeviceOptions } from './options.js';

/** An app that a device would take. */
export interface AcceptedApp {
  readonly id: string;
  readonly name: string;
  readonly version: string;
  readonly build: string;
  readonly team: string;
  /** Whether developer mode has to be on before it opens. */
  readonly needsDeveloperMode: boolean;
}

export type Verdict =
  | { readonly is: 'accepted'; readonly app: AcceptedApp }
  | { readonly is: 'refused'; readonly refusal: DeviceRefusal };

const MOST_PROFILE = 4 * 1024 * 1024;
/** As file names, too. */
const BUNDLE_ID = /^[A-Za-z0-9][A-Za-z0-9.-]{0,154}$/;

const refused = (error: string, description: string): Verdict => ({
  is: 'refused',
  refusal: { error, description },
});

const WORDS: Readonly<Record<string, string>> = {
  '0xe8008012': 'This provisioning profile cannot be installed on this device.',
  '0xe8008015': 'A valid provisioning profile for this executable was not found.',
  '0xe8008016': 'The executable was signed with invalid entitlements.',
  '0xe8008017': 'A signed resource has been added, modified, or deleted.',
  '0xe8008018': 'The identity used to sign the executable is no longer valid.',
  '0xe8008019': 'The application does not have a valid signature.',
  '0xe800801c': 'No code signature found.',
};

const unverified = (number: string, why: string): Verdict =>
  refused(
    'ApplicationVerificationFailed',
    `Failed to verify code signature : ${number} (${WORDS[number]}) ${why}`,
  );

/**
 * What a device says of a package: of its form, its fit, its signature, its profile, in the order in which devices look.
 *
 * @param teamOf the team that signed an app that is installed
 */
export async function judgeIpa(
  source: FileSource,
  layout: ZipLayout,
  device: SimulatedDeviceOptions,
  teamOf: (id: string) => string | undefined,
): Promise<Verdict> {
  let folder: string;
  let report: BundleReport;
  try {
    folder = bundleFolderOf(layout);
    if (!folder.startsWith('Payload/'))
      return refused('PackageInspectionFailed', 'There is no Payload folder.');
    report = await verifyBundle(source, layout.entries, folder, device.root);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return refused('PackageInspectionFailed', error.message);
  }
  const { info } = report;
  const id = stringIn(info, 'CFBundleIdentifier');
  const build = stringIn(info, 'CFBundleVersion');
  if (id === undefined || !BUNDLE_ID.test(id)) return refused('MissingBundleIdentifier', `"${id ?? ''}"`);
  if (build === undefined) return refused('MissingBundleVersion', 'CFBundleVersion is not there');
  const unfit = fitFault(report, device);
  if (unfit) return unfit;
  const fault = signatureFault(report);
  if (fault) return fault;
  const entry = layout.entries.find(({ path }) => path === folder + PROFILE_PATH);
  if (entry === undefined) return unverified('0xe8008015', 'There is no profile in it.');
  let profile: Profile;
  try {
    profile = readProfile(await readEntry(source, entry, MOST_PROFILE), device.root);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return unverified('0xe8008015', error.message);
  }
  const mismatch = profileFault(report, profile, id, device);
  if (mismatch) return mismatch;
  const team = report.team ?? '';
  const before = teamOf(id);
  if (before !== undefined && before !== team) {
    return refused(
      'MismatchedApplicationIdentifierEntitlement',
      `Upgrade's application-identifier entitlement string (${team}.${id}) does not match installed application's (${before}.${id}); rejecting upgrade.`,
    );
  }
  return {
    is: 'accepted',
    app: {
      id,
      name: stringIn(info, 'CFBundleDisplayName') ?? stringIn(info, 'CFBundleName') ?? id,
      version: stringIn(info, 'CFBundleShortVersionString') ?? '',
      build,
      team,
      needsDeveloperMode: profile.kind === 'development',
    },
  };
}

function fitFault({ info, slices }: BundleReport, { system, family }: SimulatedDeviceOptions) {
  const least = stringIn(info, 'MinimumOSVersion');
  if (compareVersions(system, least) === -1)
    return refused('DeviceOSVersionTooLow', `The system version is lower than ${least}`);
  const { UIDeviceFamily: families } = info;
  if (family === 'phone' && Array.isArray(families) && !families.includes(1))
    return refused('DeviceFamilyNotSupported', 'This app is not made for this device.');
  const isForDevices = slices.some(
    ({ cpu, program }) => cpu.startsWith('arm64') && program.build?.platform === PLATFORM.ios,
  );
  return isForDevices
    ? undefined
    : refused('IncorrectArchitecture', 'No program for devices is in this app.');
}

function signatureFault({ slices, faults }: BundleReport): Verdict | undefined {
  if (slices.some(({ signed }) => signed === 'not at all')) return unverified('0xe800801c', '');
  const [first] = faults;
  if (first !== undefined) {
    const isResource = /after signing\.$/.test(first);
    return unverified(isResource ? '0xe8008017' : '0xe8008019', first);
  }
  return slices.every(({ signed }) => signed === 'by somebody')
    ? undefined
    : unverified('0xe8008019', 'Nobody signed it.');
}

/** What a finding about a profile is to a device. */
function numberOf(code: string): string {
  if (code === 'profile.entitlement') return '0xe8008016';
  return code === 'profile.certificate-expired' ? '0xe8008018' : '0xe8008015';
}

function profileFault(
  report: BundleReport,
  profile: Profile,
  id: string,
  { serial, root, now = () => new Date() }: SimulatedDeviceOptions,
): Verdict | undefined {
  const slice = report.slices.find(({ certificates }) => certificates.length > 0);
  const nowhere = {};
  const findings = judgeProfile({
    profile,
    bundleId: id,
    team: report.team,
    certificates: slice?.certificates ?? [],
    entitlements: slice?.entitlements ?? newDict(),
    root,
    now: now(),
    locations: {
      profile: nowhere,
      identity: nowhere,
      bundleId: nowhere,
      team: nowhere,
      links: nowhere,
    },
  });
  const worst = findings.find(({ severity }) => severity === 'error');
  if (worst) return unverified(numberOf(worst.code), worst.observed);
  // Findings leave the identity's own entitlements to others.
  const identity = slice?.entitlements?.['application-identifier'] as PlistValue | undefined;
  if (!profile.prefixes.some((prefix) => identity === `${prefix}.${id}`))
    return unverified('0xe8008016', `application-identifier is ${JSON.stringify(identity)}.`);
  return isRegistered(profile, serial) === true
    ? undefined
    : unverified('0xe8008012', `${serial} is not in it.`);
}
