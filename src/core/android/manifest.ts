import type { App } from '../app.js';
import { writeBinaryXml } from '../formats/binary-xml/writer.js';
import {
  CONFIG_CHANGES,
  LAUNCH_MODE,
  SCREEN_ORIENTATION,
  SDK,
  SOFT_INPUT_ADJUST_RESIZE,
} from './attributes.js';
import { idOf } from './resources.js';
import { android, element, plain, reference } from './xml.js';

/** The shell's activity class. */
export const ACTIVITY = 'jollyhull.shell.PageActivity';

/** What every package needs to show pages, and to notice that the network is back. */
const BASE_PERMISSIONS = ['android.permission.INTERNET', 'android.permission.ACCESS_NETWORK_STATE'];

export interface ManifestOptions {
  readonly debuggable: boolean;
}

/** `AndroidManifest.xml` in its binary form. */
export function buildManifest(app: App, options: ManifestOptions): Uint8Array {
  const handled = Object.values(CONFIG_CHANGES).reduce((bits, bit) => bits | bit, 0);
  const launcher = element(
    'intent-filter',
    [],
    [
      element('action', [android('name', 'android.intent.action.MAIN')]),
      element('category', [android('name', 'android.intent.category.LAUNCHER')]),
    ],
  );
  const activity = element(
    'activity',
    [
      android('name', ACTIVITY),
      android('label', reference(idOf('string', 'label'))),
      android('exported', true),
      android('launchMode', LAUNCH_MODE.singleTask),
      android('configChanges', { type: 'hex', value: handled }),
      android('windowSoftInputMode', { type: 'hex', value: SOFT_INPUT_ADJUST_RESIZE }),
      ...(app.orientation === 'any'
        ? []
        : [android('screenOrientation', SCREEN_ORIENTATION[app.orientation])]),
    ],
    [launcher],
  );
  const application = element(
    'application',
    [
      android('label', reference(idOf('string', 'name'))),
      android('icon', reference(idOf('mipmap', 'icon'))),
      android('roundIcon', reference(idOf('mipmap', 'icon_round'))),
      android('theme', reference(idOf('style', 'App'))),
      android('allowBackup', true),
      android('fullBackupContent', reference(idOf('xml', 'backup'))),
      android('dataExtractionRules', reference(idOf('xml', 'extraction'))),
      android('networkSecurityConfig', reference(idOf('xml', 'network'))),
      android('usesCleartextTraffic', false),
      android('enableOnBackInvokedCallback', true),
      android('supportsRtl', true),
      android('extractNativeLibs', false),
      ...(options.debuggable ? [android('debuggable', true)] : []),
    ],
    [activity],
  );
  return writeBinaryXml(
    element(
      'manifest',
      [
        android('versionCode', app.build),
        android('versionName', app.version),
        android('compileSdkVersion', SDK.target),
        plain('package', app.androidId),
        plain('platformBuildVersionCode', SDK.target),
      ],
      [
        element('uses-sdk', [android('minSdkVersion', SDK.min), android('targetSdkVersion', SDK.target)]),
        ...BASE_PERMISSIONS.map((name) => element('uses-permission', [android('name', name)])),
        application,
      ],
    ),
    'utf-16',
  );
}
