import { type Fix, HullError, task, withTasks } from '../../../errors.js';
import type { DeviceRefusal } from './installation.js';

interface Meaning {
  readonly impact: string;
  readonly fix: Fix;
}

const SIGN_AGAIN = withTasks`See what is wrong with ${task('inspectPackage', '<package>')}, and pack it again.`;

/** What the device's own check of signatures says, by its number. */
const VERIFICATION: Readonly<Record<string, Meaning | undefined>> = {
  '0xe8008012': {
    impact: 'The profile in the package does not name this device.',
    fix: 'Add the device to the profile in the developer account, download the profile, and pack again.',
  },
  '0xe8008015': {
    impact:
      'The device finds no valid profile for the app: it is missing, expired, for another app, or does not name the device or the certificate.',
    fix: withTasks`${task('inspectPackage', '<package>')} shows the profile; make it again in the developer account for this app, certificate and device.`,
  },
  '0xe8008016': {
    impact: 'The app claims something that its profile does not allow.',
    fix: withTasks`${task('inspectPackage', '<package>')} shows which; turn the capability on for the app ID, and make the profile again.`,
  },
  '0xe8008017': { impact: 'A file of the app was changed after it was signed.', fix: SIGN_AGAIN },
  '0xe8008018': {
    impact: 'The certificate that signed the app is no longer valid: it expired or was revoked.',
    fix: withTasks`Request a new one: ${task('requestCertificate')}. Then make the profile again with it, and pack again.`,
  },
  '0xe8008019': { impact: 'The signature of the app is not valid.', fix: SIGN_AGAIN },
  '0xe800801c': { impact: 'The app is not signed.', fix: SIGN_AGAIN },
};

/** What the installing service says. */
const ERRORS: Readonly<Record<string, Meaning | undefined>> = {
  ApplicationVerificationFailed: {
    impact: 'The device’s check of the signature refuses the app.',
    fix: SIGN_AGAIN,
  },
  BundleVerificationFailed: { impact: 'The device’s check of the app’s folder refuses it.', fix: SIGN_AGAIN },
  MismatchedApplicationIdentifierEntitlement: {
    impact: 'An app with this ID is installed, and another team signed it.',
    fix: 'Sign with the same team, or remove the app from the device, with all its data.',
  },
  DeviceOSVersionTooLow: {
    impact: 'The device’s system is older than the app allows.',
    fix: 'Update the device; or lower apple.min_version in hull.json, where it is above the shell’s own.',
  },
  DeviceFamilyNotSupported: {
    impact: 'The app is not for this kind of device.',
    fix: 'Name the kind in apple.devices in hull.json, and pack again.',
  },
  DeviceNotSupported: {
    impact: 'The app asks for something that this device does not have.',
    fix: 'Use another device.',
  },
  IncorrectArchitecture: {
    impact: 'The app’s program is not one for devices.',
    fix: withTasks`A package for simulators runs on no device; make one for devices: ${task('packProject', 'ipa')}`,
  },
  PackageExtractionFailed: { impact: 'The device cannot unpack the package.', fix: SIGN_AGAIN },
  PackageInspectionFailed: { impact: 'The device cannot read the package.', fix: SIGN_AGAIN },
  MissingBundleIdentifier: { impact: 'The app has no bundle identifier.', fix: SIGN_AGAIN },
  MissingBundleVersion: { impact: 'The app has no version.', fix: SIGN_AGAIN },
  MissingBundleExecutable: { impact: 'The app has no program.', fix: SIGN_AGAIN },
  InstallProhibited: {
    impact: 'The device does not allow installing apps.',
    fix: 'Allow it on the device, under Screen Time; where the device is managed, ask its administrator.',
  },
};

/** The error for what a device says against a package: its own words stay in it. */
export function deviceRefusal({ error, description }: DeviceRefusal, file: string): HullError {
  const number = /\b0xe80[0-9a-f]{5}\b/i.exec(description)?.[0]?.toLowerCase();
  const meaning = (number === undefined ? undefined : VERIFICATION[number]) ?? ERRORS[error];
  const words = [error.slice(0, 80), description.slice(0, 300)].filter((one) => one !== '').join(': ');
  return new HullError(
    'device.refused',
    `${meaning?.impact ?? 'The device refuses the package.'} (${words})`,
    {
      location: { file },
      fix:
        meaning?.fix ?? 'The device’s log may say more. Look for the error in the platform’s documentation.',
    },
  );
}
