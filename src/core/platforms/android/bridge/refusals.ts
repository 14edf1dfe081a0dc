import { HullError } from '../../../errors.js';

interface Refusal {
  readonly code: string;
  readonly means: string;
  readonly remedy: string;
}

/** What the package manager refuses with, and what it means (`PackageManager.INSTALL_FAILED_*`, `INSTALL_PARSE_FAILED_*`). */
const REFUSALS: readonly Refusal[] = [
  {
    code: 'INSTALL_FAILED_VERSION_DOWNGRADE',
    means: 'A newer build of this app is installed.',
    remedy:
      'Raise app.build in hull.json and pack again; or remove the app from the device, with all its data.',
  },
  {
    code: 'INSTALL_FAILED_UPDATE_INCOMPATIBLE',
    means: 'The installed app was signed with another key.',
    remedy:
      'Sign with the same key (hull inspect shows which one signed); or remove the app from the device, with all its data.',
  },
  {
    code: 'INSTALL_FAILED_OLDER_SDK',
    means: 'The device is older than the package allows.',
    remedy: 'Lower android.min_sdk in hull.json, or use a newer device.',
  },
  {
    code: 'INSTALL_FAILED_INSUFFICIENT_STORAGE',
    means: 'The device has no room left.',
    remedy: 'Free some space on it.',
  },
  {
    code: 'INSTALL_PARSE_FAILED_NO_CERTIFICATES',
    means: 'The package is not signed, or its signature does not verify.',
    remedy: 'hull inspect says what is wrong with it; pack it again.',
  },
  {
    code: 'INSTALL_PARSE_FAILED_MANIFEST_MALFORMED',
    means: 'The device cannot read the package’s manifest.',
    remedy: 'hull inspect shows it. For a package made by hull this is a fault: please report it.',
  },
  {
    code: 'INSTALL_PARSE_FAILED_BAD_PACKAGE_NAME',
    means: 'The package’s app ID is not one that devices accept.',
    remedy: 'Use letters, digits and underscores in at least two segments with dots between (app.id).',
  },
  {
    code: 'INSTALL_PARSE_FAILED_NOT_APK',
    means: 'This is not a package.',
    remedy: 'Name an .apk file, as hull pack apk makes it.',
  },
  {
    code: 'INSTALL_FAILED_INVALID_APK',
    means: 'The package is damaged.',
    remedy: 'hull inspect says where; pack it again.',
  },
  {
    code: 'INSTALL_FAILED_USER_RESTRICTED',
    means: 'The device does not allow installing over the cable.',
    remedy: 'Turn on "Install via USB" in its developer options, and confirm on its screen.',
  },
  {
    code: 'INSTALL_FAILED_VERIFICATION_FAILURE',
    means: 'The device’s own check of apps refused it.',
    remedy:
      'Look at the device’s screen; its check can be turned off for packages over the cable in the developer options.',
  },
  {
    code: 'INSTALL_FAILED_TEST_ONLY',
    means: 'The package says that it is for tests only.',
    remedy: 'Pack it without that flag.',
  },
  {
    code: 'INSTALL_FAILED_MISSING_SHARED_LIBRARY',
    means: 'The device lacks a library that the package wants.',
    remedy: 'Use another device.',
  },
  {
    code: 'INSTALL_FAILED_CONFLICTING_PROVIDER',
    means: 'Another installed app has a content provider of the same name.',
    remedy: 'Give the app an ID of its own (app.id), or remove the other one.',
  },
  {
    code: 'INSTALL_FAILED_NO_MATCHING_ABIS',
    means: 'The package’s native code is for other processors.',
    remedy: 'Use another device.',
  },
];

/** The error for a refusal as the package manager words it: `Failure [CODE: details]`. */
export function refusalOf(said: string, file: string): HullError {
  const [, code = said.slice(0, 80), details = ''] = /Failure \[(\w+)(?::\s*([^\]]*))?/.exec(said) ?? [];
  const known = REFUSALS.find((one) => one.code === code);
  return new HullError(
    'device.refused',
    `${known?.means ?? 'The device refuses the package.'} (${code}${details === '' ? '' : `: ${details.slice(0, 200)}`})`,
    {
      place: { file },
      remedy:
        known?.remedy ?? 'Look for the code in the platform’s documentation; the device’s log has more.',
    },
  );
}
