/**
 * Attributes of manifests, styles and resource files with their resource IDs, as the platform's public `R.attr` gives
 * them (API 36; IDs never change). Test: test/conformance and the shell's own tests ask the framework.
 */
export const ATTRIBUTE_IDS = {
  theme: 0x01010000,
  label: 0x01010001,
  icon: 0x01010002,
  name: 0x01010003,
  permission: 0x01010006,
  protectionLevel: 0x01010009,
  sharedUserId: 0x0101000b,
  hasCode: 0x0101000c,
  enabled: 0x0101000e,
  debuggable: 0x0101000f,
  exported: 0x01010010,
  process: 0x01010011,
  taskAffinity: 0x01010012,
  clearTaskOnLaunch: 0x01010015,
  excludeFromRecents: 0x01010017,
  authorities: 0x01010018,
  grantUriPermissions: 0x0101001b,
  priority: 0x0101001c,
  launchMode: 0x0101001d,
  screenOrientation: 0x0101001e,
  configChanges: 0x0101001f,
  targetPackage: 0x01010021,
  value: 0x01010024,
  resource: 0x01010025,
  mimeType: 0x01010026,
  scheme: 0x01010027,
  host: 0x01010028,
  port: 0x01010029,
  path: 0x0101002a,
  pathPrefix: 0x0101002b,
  pathPattern: 0x0101002c,
  colorBackground: 0x01010031,
  windowBackground: 0x01010054,
  windowNoTitle: 0x01010056,
  windowContentOverlay: 0x01010059,
  gravity: 0x010100af,
  width: 0x01010159,
  height: 0x01010155,
  smallScreens: 0x01010284,
  normalScreens: 0x01010285,
  largeScreens: 0x01010286,
  xlargeScreens: 0x010102bf,
  requiresSmallestWidthDp: 0x01010364,
  action: 0x0101002d,
  data: 0x0101002e,
  targetClass: 0x0101002f,
  drawable: 0x01010199,
  order: 0x010101ea,
  alwaysRetainTaskState: 0x01010203,
  allowTaskReparenting: 0x01010204,
  minSdkVersion: 0x0101020c,
  versionCode: 0x0101021b,
  versionName: 0x0101021c,
  windowSoftInputMode: 0x0101022b,
  windowIsTranslucent: 0x01010058,
  backgroundDimEnabled: 0x0101021f,
  noHistory: 0x0101022d,
  targetSdkVersion: 0x01010270,
  maxSdkVersion: 0x01010271,
  testOnly: 0x01010272,
  allowBackup: 0x01010280,
  fragment: 0x010102e3,
  glEsVersion: 0x01010281,
  required: 0x0101028e,
  installLocation: 0x010102b7,
  windowActionBar: 0x010102cd,
  hardwareAccelerated: 0x010102d3,
  largeHeap: 0x0101035a,
  parentActivityName: 0x010103a7,
  supportsRtl: 0x010103af,
  isGame: 0x010103f4,
  colorPrimary: 0x01010433,
  colorAccent: 0x01010435,
  documentLaunchMode: 0x01010445,
  statusBarColor: 0x01010451,
  navigationBarColor: 0x01010452,
  windowLightStatusBar: 0x010104e0,
  extractNativeLibs: 0x010104ea,
  fullBackupContent: 0x010104eb,
  usesCleartextTraffic: 0x010104ec,
  autoVerify: 0x010104ee,
  resizeableActivity: 0x010104f6,
  networkSecurityConfig: 0x01010527,
  roundIcon: 0x0101052c,
  appCategory: 0x01010545,
  isFeatureSplit: 0x0101055b,
  windowLightNavigationBar: 0x0101056c,
  compileSdkVersion: 0x01010572,
  compileSdkVersionCodename: 0x01010573,
  windowLayoutInDisplayCutoutMode: 0x01010586,
  forceDarkAllowed: 0x0101058c,
  isLightTheme: 0x01010590,
  foregroundServiceType: 0x01010599,
  enforceStatusBarContrast: 0x01010604,
  enforceNavigationBarContrast: 0x01010605,
  pathSuffix: 0x0101061e,
  pathAdvancedPattern: 0x01010620,
  windowSplashScreenBackground: 0x0101062c,
  dataExtractionRules: 0x0101063e,
  usesPermissionFlags: 0x01010644,
  localeConfig: 0x0101065b,
  shortcutId: 0x01010528,
  shortcutShortLabel: 0x01010529,
  shortcutLongLabel: 0x0101052a,
  windowSplashScreenAnimatedIcon: 0x0101062d,
  enableOnBackInvokedCallback: 0x0101066c,
  allow: 0x0101068e,
  query: 0x0101068f,
  queryPrefix: 0x01010690,
  queryPattern: 0x01010691,
  queryAdvancedPattern: 0x01010692,
  querySuffix: 0x01010693,
  fragmentPrefix: 0x01010694,
  fragmentPattern: 0x01010695,
  fragmentAdvancedPattern: 0x01010696,
  fragmentSuffix: 0x01010697,
} as const;

export type AttributeName = keyof typeof ATTRIBUTE_IDS;

const NAMES = new Map<number, string>(Object.entries(ATTRIBUTE_IDS).map(([name, id]) => [id, name]));

/** The name of an attribute by its resource ID: packages made smaller may leave names out. */
export function attributeName(id: number): string | undefined {
  return NAMES.get(id);
}

/** The platform's themes without a title bar (`R.style`). */
export const PLATFORM_STYLES = {
  'Theme.Material.NoActionBar': 0x0103022e,
  'Theme.Material.Light.NoActionBar': 0x01030241,
} as const;

/** `android:configChanges` bits (`ActivityInfo.CONFIG_*`). */
export const CONFIG_CHANGES = {
  locale: 0x0004,
  touchscreen: 0x0008,
  keyboard: 0x0010,
  keyboardHidden: 0x0020,
  navigation: 0x0040,
  orientation: 0x0080,
  screenLayout: 0x0100,
  screenSize: 0x0400,
  smallestScreenSize: 0x0800,
  density: 0x1000,
  layoutDirection: 0x2000,
  uiMode: 0x0200,
  colorMode: 0x4000,
  grammaticalGender: 0x8000,
  fontWeightAdjustment: 0x1000_0000,
  fontScale: 0x4000_0000,
  assetsPaths: 0x8000_0000,
} as const;

/**
 * `android:screenOrientation` by the manifest's orientation (`ActivityInfo.SCREEN_ORIENTATION_*`). Both ways up are the user's:
 * who has locked rotation is not turned upside down.
 */
export const SCREEN_ORIENTATION = {
  any: -1,
  natural: 5,
  portrait: 12,
  'portrait-primary': 1,
  'portrait-secondary': 9,
  landscape: 11,
  'landscape-primary': 0,
  'landscape-secondary': 8,
} as const;

/** `android:appCategory` (`ApplicationInfo.CATEGORY_*`). */
export const APP_CATEGORY = {
  game: 0,
  audio: 1,
  video: 2,
  image: 3,
  social: 4,
  news: 5,
  maps: 6,
  productivity: 7,
  accessibility: 8,
} as const;

/** `android:foregroundServiceType` (`ServiceInfo.FOREGROUND_SERVICE_TYPE_MEDIA_PLAYBACK`). */
export const FOREGROUND_SERVICE_MEDIA_PLAYBACK = 0x2;

/** `android:launchMode` (`ActivityInfo.LAUNCH_*`). */
export const LAUNCH_MODE = { standard: 0, singleTop: 1, singleTask: 2, singleInstance: 3 } as const;

/** `android:windowSoftInputMode`: the window is resized for the keyboard. */
export const SOFT_INPUT_ADJUST_RESIZE = 0x10;

/** `android:windowLayoutInDisplayCutoutMode`: the window reaches under a cutout, and the shell keeps content off it. */
export const CUTOUT_ALWAYS = 3;

/** Bytes that stored entries are aligned to, because the platform maps them; `resources.arsc` must be from API 30. */
export const STORED_ALIGNMENT = 4;

/** API levels of every package made here. */
export const SDK = { min: 24, target: 36 } as const;
