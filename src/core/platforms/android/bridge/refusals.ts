import { type Fix, HullError, task, withTasks } from '../../../errors.js';

interface Refusal {
  readonly code: string;
  readonly impact: string;
  readonly fix: Fix;
}

/** What the package manager refuses with, and what it means (`PackageManager.INSTALL_FAILED_*`, `INSTALL_PARSE_FAILED_*`). */
const REFUSALS: readonly Refusal[] = [
  {
    code: 'INSTALL_FAILED_VERSION_DOWNGRADE',
    impact: 'A newer build of this app is installed.',
    fix: 'Raise app.build in hull.json and pack again; or remove the app from the device, with all its data.',
  },
  {
    code: 'INSTALL_FAILED_UPDATE_INCOMPATIBLE',
    impact: 'The installed app was signed with another key.',
    fix: withTasks`Sign with the same key (${task('inspectPackage', '<package>')} shows which one signed), or remove the app from the device, with all its data.`,
  },
  {
    code: 'INSTALL_FAILED_OLDER_SDK',
    impact: 'The device is older than the package allows.',
    fix: 'Lower android.min_sdk in hull.json, or use a newer device.',
  },
  {
    code: 'INSTALL_FAILED_INSUFFICIENT_STORAGE',
    impact: 'The device has no room left.',
    fix: 'Free some space on it.',
  },
  {
    code: 'INSTALL_PARSE_FAILED_NO_CERTIFICATES',
    impact: 'The package is not signed, or its signature does not verify.',
    fix: withTasks`See what is wrong with ${task('inspectPackage', '<package>')}, and pack it again.`,
  },
  {
    code: 'INSTALL_PARSE_FAILED_MANIFEST_MALFORMED',
    impact: 'The device cannot read the package’s manifest.',
    fix: withTasks`${task('inspectPackage', '<package>')} shows it. If Jolly Hull made the package, please report it.`,
  },
  {
    code: 'INSTALL_PARSE_FAILED_BAD_PACKAGE_NAME',
    impact: 'The package’s app ID is not one that devices accept.',
    fix: 'Use letters, digits and underscores in at least two segments with dots between (app.id).',
  },
  {
    code: 'INSTALL_PARSE_FAILED_NOT_APK',
    impact: 'This is not a package.',
    fix: withTasks`Name an .apk file; ${task('packProject', 'apk')} makes one.`,
  },
  {
    code: 'INSTALL_FAILED_INVALID_APK',
    impact: 'The package is damaged.',
    fix: withTasks`${task('inspectPackage', '<package>')} says where; pack it again.`,
  },
  {
    code: 'INSTALL_FAILED_USER_RESTRICTED',
    impact: 'The device does not allow installing over the cable.',
    fix: 'Turn on "Install via USB" in its developer options, and confirm on its screen.',
  },
  {
    code: 'INSTALL_FAILED_VERIFICATION_FAILURE',
    impact: 'The device’s own check of apps refused it.',
    fix: 'Look at the device’s screen; its check can be turned off for packages over the cable in the developer options.',
  },
  {
    code: 'INSTALL_FAILED_TEST_ONLY',
    impact: 'The package says that it is for tests only.',
    fix: 'Pack it without that flag.',
  },
  {
    code: 'INSTALL_FAILED_MISSING_SHARED_LIBRARY',
    impact: 'The device lacks a library that the package wants.',
    fix: 'Use another device.',
  },
  {
    code: 'INSTALL_FAILED_CONFLICTING_PROVIDER',
    impact: 'Another installed app has a content provider of the same name.',
    fix: 'Give the app an ID of its own (app.id), or remove the other one.',
  },
  {
    code: 'INSTALL_FAILED_NO_MATCHING_ABIS',
    impact: 'The package’s native code is for other processors.',
    fix: 'Use another device.',
  },
];

/** The error for a refusal as the package manager words it: `Failure [CODE: details]`. */
export function refusalOf(said: string, file: string): HullError {
  const [, code = said.slice(0, 80), details = ''] = /Failure \[(\w+)(?::\s*([^\]]*))?/.exec(said) ?? [];
  const known = REFUSALS.find((one) => one.code === code);
  return new HullError(
    'device.refused',
    `${known?.impact ?? 'The device refuses the package.'} (${code}${details === '' ? '' : `: ${details.slice(0, 200)}`})`,
    {
      location: { file },
      fix: known?.fix ?? 'Look for the code in the platform’s documentation; the device’s log has more.',
    },
  );
}
