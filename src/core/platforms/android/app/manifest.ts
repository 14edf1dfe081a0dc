import type { App } from '../../../app/app.js';
import type { XmlElement } from '../../../formats/axml/types.js';
import { writeBinaryXml } from '../../../formats/axml/writer.js';
import type { DeviceKind } from '../../../project/config.js';
import {
  APP_CATEGORY,
  CONFIG_CHANGES,
  FOREGROUND_SERVICE_MEDIA_PLAYBACK,
  LAUNCH_MODE,
  SCREEN_ORIENTATION,
  SDK,
  SOFT_INPUT_ADJUST_RESIZE,
} from './attributes.js';
import { linkFilters, schemeFilter, shareFilters } from './intents.js';
import {
  type AndroidOptions,
  hasNetworkRules,
  notifiesItself,
  type PackageOptions,
  playsInBackground,
  shellName,
} from './options.js';
import { type CapabilityOnAndroid, ownRows } from './permission-table.js';
import { idOf, linkPath, vouches } from './resources.js';
import {
  ASK_ACTIVITY,
  DELEGATE_SERVICE,
  NOTICE_ICON,
  PAGE_ACTIVITY,
  PAY_ACTIVITY,
  PAY_SERVICE,
  PLAY_SERVICE,
  startActivity,
} from './shell-settings.js';
import { android, element, plain, reference } from './xml.js';

/** Gives the camera a file to write for a page; open to nobody else. */
const SHOT_PROVIDER = 'jollyhull.shell.ShotFiles';

/** What every package needs to show pages, and to notice that the network is back. */
const BASE_PERMISSIONS = ['android.permission.INTERNET', 'android.permission.ACCESS_NETWORK_STATE'];

/** Permissions of the system that capabilities need, each once. */
function permissionElements(rows: readonly CapabilityOnAndroid[]): XmlElement[] {
  const needed = new Set(rows.flatMap(({ permissions }) => permissions.map(({ name }) => name)));
  return [...needed].map((name) =>
    element('uses-permission', [android('name', `android.permission.${name}`)]),
  );
}

/** Smallest width in dp of what counts as a tablet. */
const TABLET_WIDTH = 600;

/** Hardware that the app can do without, and the devices that it is meant for. */
function deviceElements(rows: readonly CapabilityOnAndroid[], devices: readonly DeviceKind[]): XmlElement[] {
  const feature = (name: string, need: 'required' | 'optional') =>
    element('uses-feature', [android('name', name), android('required', need === 'required')]);
  const features = new Set(rows.flatMap((row) => row.features));
  const optional = [...features].map((name) => feature(name, 'optional'));
  const on = (kind: DeviceKind) => devices.includes(kind);
  if (!on('phone') && !on('tablet')) {
    // A touch screen is taken for required where nothing is said; televisions have none, and neither have desktops.
    return [
      ...optional,
      feature('android.hardware.type.pc', 'required'),
      feature('android.hardware.touchscreen', 'optional'),
    ];
  }
  if (!on('phone')) {
    const screens = element('supports-screens', [
      android('requiresSmallestWidthDp', TABLET_WIDTH),
      android('smallScreens', false),
      android('normalScreens', false),
      android('largeScreens', true),
      android('xlargeScreens', true),
    ]);
    return [...optional, screens];
  }
  if (!on('tablet') && !on('desktop')) {
    const screens = element('supports-screens', [
      android('smallScreens', true),
      android('normalScreens', true),
      android('largeScreens', false),
      android('xlargeScreens', false),
    ]);
    return [...optional, screens];
  }
  return optional;
}

/** Actions of apps that pay for pages (Payment Request, as the engine asks them). */
const PAYMENT_ACTIONS = ['PAY', 'IS_READY_TO_PAY', 'UPDATE_PAYMENT_DETAILS'];

/**
 * Other apps that the engine asks for pages: entries in the menu of marked text, such as a translator's, and what pays (package
 * visibility, API 30).
 */
function pageQueries(): XmlElement {
  const intent = (action: string, ...more: XmlElement[]) =>
    element('intent', [], [element('action', [android('name', action)]), ...more]);
  return element(
    'queries',
    [],
    [
      intent('android.intent.action.PROCESS_TEXT', element('data', [android('mimeType', 'text/plain')])),
      ...PAYMENT_ACTIONS.map((name) => intent(`org.chromium.intent.action.${name}`)),
    ],
  );
}

/** Browsers that the app may see (package visibility, API 30). */
function browserQueries(): XmlElement {
  const action = (name: string) => element('action', [android('name', name)]);
  return element(
    'queries',
    [],
    [
      element('intent', [], [action('android.support.customtabs.action.CustomTabsService')]),
      element(
        'intent',
        [],
        [
          action('android.intent.action.VIEW'),
          element('category', [android('name', 'android.intent.category.BROWSABLE')]),
          element('data', [android('scheme', 'https')]),
        ],
      ),
    ],
  );
}

const metaData = (name: string, resource: number) =>
  element('meta-data', [android('name', name), android('resource', reference(resource))]);

/** The browser's way to what is asked for and managed as the app's; the service itself checks who calls. */
function delegation(): XmlElement[] {
  const action = element('action', [
    android('name', 'android.support.customtabs.trusted.TRUSTED_WEB_ACTIVITY_SERVICE'),
  ]);
  const category = element('category', [android('name', 'android.intent.category.DEFAULT')]);
  return [
    element(
      'service',
      [android('name', DELEGATE_SERVICE), android('exported', true)],
      [
        element('intent-filter', [], [action, category]),
        metaData('android.support.customtabs.trusted.SMALL_ICON', idOf('mipmap', 'icon_monochrome')),
      ],
    ),
    element('activity', [
      android('name', ASK_ACTIVITY),
      android('exported', false),
      android('theme', reference(idOf('style', 'Ask'))),
      // A question that the system is asking is not asked again because the device was turned.
      android('configChanges', { type: 'hex', value: HANDLED }),
    ]),
  ];
}

/** The payment method of the store, by which browsers find the app that takes it (Payment Method Identifiers, W3C). */
const STORE_METHOD = 'https://play.google.com/billing';

/** The browser's way to the store's payment; both check who asks. */
function payments(): XmlElement[] {
  const filter = (action: string) =>
    element(
      'intent-filter',
      [],
      [element('action', [android('name', `org.chromium.intent.action.${action}`)])],
    );
  return [
    element(
      'activity',
      [
        android('name', PAY_ACTIVITY),
        android('exported', true),
        android('theme', reference(idOf('style', 'Ask'))),
        android('configChanges', { type: 'hex', value: HANDLED }),
      ],
      [
        filter('PAY'),
        element('meta-data', [
          android('name', 'org.chromium.default_payment_method_name'),
          android('value', STORE_METHOD),
        ]),
      ],
    ),
    element(
      'service',
      [android('name', PAY_SERVICE), android('exported', true)],
      [filter('IS_READY_TO_PAY')],
    ),
  ];
}

/** What playing in the background takes; the second from API 34 on. */
const PLAY_PERMISSIONS = [
  'android.permission.FOREGROUND_SERVICE',
  'android.permission.FOREGROUND_SERVICE_MEDIA_PLAYBACK',
];

/** Keeps the app alive while its pages play; nobody else starts it. */
const playService = () =>
  element('service', [
    android('name', PLAY_SERVICE),
    android('exported', false),
    android('foregroundServiceType', { type: 'hex', value: FOREGROUND_SERVICE_MEDIA_PLAYBACK }),
  ]);

/** `AndroidManifest.xml` in its binary form. */
export function buildManifest(app: App, options: PackageOptions): Uint8Array {
  return writeBinaryXml(describeManifest(app, options), 'utf-16');
}

/** Changes at which a window stays as it is. */
const HANDLED = Object.values(CONFIG_CHANGES).reduce((bits, bit) => bits | bit, 0) >>> 0;

/** What every window of the app has; one that is open to all may be started by other apps. */
function windowAttributes(name: string, open: 'to-all' | 'to-us', launchMode: keyof typeof LAUNCH_MODE) {
  return [
    android('name', name),
    android('label', reference(idOf('string', 'label'))),
    android('exported', open === 'to-all'),
    android('launchMode', LAUNCH_MODE[launchMode]),
    android('configChanges', { type: 'hex', value: HANDLED }),
    android('windowSoftInputMode', { type: 'hex', value: SOFT_INPUT_ADJUST_RESIZE }),
  ];
}

const launcherFilter = () =>
  element(
    'intent-filter',
    [],
    [
      element('action', [android('name', 'android.intent.action.MAIN')]),
      element('category', [android('name', 'android.intent.category.LAUNCHER')]),
    ],
  );

/** The window that the launcher starts, with everything that others can hand to it. */
function startElement(app: App, options: AndroidOptions): XmlElement {
  const { engine, scheme } = options;
  return element(
    'activity',
    [
      ...windowAttributes(startActivity(engine), 'to-all', engine === 'browser' ? 'standard' : 'singleTask'),
      ...(app.orientation === 'any'
        ? []
        : [android('screenOrientation', SCREEN_ORIENTATION[app.orientation])]),
    ],
    [
      launcherFilter(),
      ...linkFilters(app.links, (path) => reference(linkPath(app, path))),
      ...(scheme === undefined ? [] : [schemeFilter(scheme)]),
      ...(app.share ? shareFilters(app.share) : []),
      ...(notifiesItself(app, engine) || playsInBackground(options)
        ? [metaData(NOTICE_ICON, idOf('mipmap', 'icon_monochrome'))]
        : []),
      ...(app.shortcuts.length === 0 ? [] : [metaData('android.app.shortcuts', idOf('xml', 'shortcuts'))]),
    ],
  );
}

function applicationAttributes(app: App, options: PackageOptions) {
  const { category } = options.android;
  return [
    android('label', reference(idOf('string', 'name'))),
    android('icon', reference(idOf('mipmap', 'icon'))),
    android('roundIcon', reference(idOf('mipmap', 'icon_round'))),
    android('theme', reference(idOf('style', 'App'))),
    // Tasks of other apps cannot take the app's windows in, nor pass for it.
    android('taskAffinity', ''),
    android('allowBackup', true),
    android('fullBackupContent', false),
    android('dataExtractionRules', reference(idOf('xml', 'extraction'))),
    ...(hasNetworkRules(app, options)
      ? [android('networkSecurityConfig', reference(idOf('xml', 'network')))]
      : []),
    android('usesCleartextTraffic', false),
    android('enableOnBackInvokedCallback', true),
    android('supportsRtl', true),
    android('extractNativeLibs', false),
    ...(category === undefined ? [] : [android('appCategory', APP_CATEGORY[category])]),
    ...(app.translations.length === 0 ? [] : [android('localeConfig', reference(idOf('xml', 'locales')))]),
    ...(options.debuggable === true ? [android('debuggable', true)] : []),
  ];
}

function applicationElement(app: App, options: PackageOptions, delegates: boolean): XmlElement {
  const { engine } = options.android;
  const shots = element('provider', [
    android('name', SHOT_PROVIDER),
    android('authorities', `${app.androidId}.shots`),
    android('exported', false),
    android('grantUriPermissions', true),
  ]);
  return element('application', applicationAttributes(app, options), [
    ...(vouches(app, engine) ? [metaData('asset_statements', idOf('string', 'statements'))] : []),
    startElement(app, options.android),
    // Where no browser can show the pages; nobody else opens it.
    ...(shellName(options.android) === 'browser'
      ? [element('activity', windowAttributes(PAGE_ACTIVITY, 'to-us', 'singleTask'))]
      : []),
    ...(delegates ? delegation() : []),
    ...(engine === 'browser' && options.android.shop ? payments() : []),
    ...(playsInBackground(options.android) ? [playService()] : []),
    shots,
  ]);
}

/** The manifest before it is written in any form. */
export function describeManifest(app: App, options: PackageOptions): XmlElement {
  const { engine, devices } = options.android;
  const rows = ownRows(
    app.permissions.map(({ name }) => name),
    engine,
  );
  return element(
    'manifest',
    [
      android('versionCode', app.build),
      android('versionName', app.version),
      android('compileSdkVersion', SDK.target),
      plain('package', app.androidId),
      plain('platformBuildVersionCode', SDK.target),
    ],
    [
      element('uses-sdk', [
        android('minSdkVersion', options.android.minSdk),
        android('targetSdkVersion', SDK.target),
      ]),
      ...[...BASE_PERMISSIONS, ...(playsInBackground(options.android) ? PLAY_PERMISSIONS : [])].map((name) =>
        element('uses-permission', [android('name', name)]),
      ),
      ...permissionElements(rows),
      ...deviceElements(rows, devices),
      engine === 'browser' ? browserQueries() : pageQueries(),
      applicationElement(
        app,
        options,
        engine === 'browser' && (rows.length > 0 || options.android.shop !== undefined),
      ),
    ],
  );
}
