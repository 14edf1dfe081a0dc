import type { App } from '../../../app/app.js';
import type { PlistDict, PlistValue } from '../../../formats/plist/types.js';
import type { Orientation } from '../../../project/config.js';
import type { AppleOptions } from './options.js';
import { onApple } from './permission-table.js';

/** Which devices a program is for: those that people carry, or the simulator of a developer's machine. */
export type ApplePlatform = 'device' | 'simulator';

/** The program's name in every bundle; people never see it. */
export const EXECUTABLE = 'Shell';
/** The activity by which the shell restores its page (HullScenes.m). */
const OPEN_PAGE = 'hull.page';
/** `CFBundleSupportedPlatforms`. */
const PLATFORM_NAME: Readonly<Record<ApplePlatform, string>> = {
  device: 'iPhoneOS',
  simulator: 'iPhoneSimulator',
};
/** `UIDeviceFamily`. */
const FAMILY = { phone: 1, tablet: 2 } as const;

const UPRIGHT = 'UIInterfaceOrientationPortrait';
const DOWN = 'UIInterfaceOrientationPortraitUpsideDown';
/** The device is turned to the other side of where the pages then are. */
const LEFT = 'UIInterfaceOrientationLandscapeLeft';
const RIGHT = 'UIInterfaceOrientationLandscapeRight';

/** Orientations of the Screen Orientation API as the system has them. */
const ORIENTATIONS: Readonly<Record<Orientation, readonly string[]>> = {
  any: [UPRIGHT, DOWN, LEFT, RIGHT],
  natural: [UPRIGHT],
  portrait: [UPRIGHT, DOWN],
  'portrait-primary': [UPRIGHT],
  'portrait-secondary': [DOWN],
  landscape: [LEFT, RIGHT],
  'landscape-primary': [RIGHT],
  'landscape-secondary': [LEFT],
};

/** Phones without a home button never turn upside down (UIInterfaceOrientationMask, "discussion"). */
const onPhone = (list: readonly string[]) => {
  const kept = list.filter((one) => one !== DOWN);
  return kept.length > 0 ? kept : list;
};

function orientations({ orientation }: App, { devices }: AppleOptions): PlistDict {
  const wanted = ORIENTATIONS[orientation];
  return {
    UISupportedInterfaceOrientations: onPhone(wanted),
    ...(devices.includes('tablet') ? { 'UISupportedInterfaceOrientations~ipad': wanted } : {}),
    // An app that does not turn all ways may not share a tablet's screen (App Store Connect, error 90474).
    ...(devices.includes('tablet') && wanted.length < 4 ? { UIRequiresFullScreen: true } : {}),
  };
}

const isAddress = (host: string) => /^[\d.]+$/.test(host);
const isLocal = (host: string) => host === 'localhost' || host.endsWith('.local') || isAddress(host);

/** Plain http for the hosts that `web.insecure` gives a reason for, and no other (App Transport Security). */
export function transportSecurity({ insecure }: Pick<App, 'insecure'>): PlistDict | undefined {
  if (insecure.length === 0) return undefined;
  const hosts = insecure.map(({ host }) => host);
  const named = hosts.filter((host) => !isLocal(host));
  return {
    ...(hosts.some(isLocal) ? { NSAllowsLocalNetworking: true } : {}),
    ...(named.length > 0
      ? {
          NSExceptionDomains: Object.fromEntries(
            named.map((host) => [
              host,
              { NSExceptionAllowsInsecureHTTPLoads: true, NSIncludesSubdomains: false },
            ]),
          ),
        }
      : {}),
  };
}

/** Hosts that the system has no exception for: numeric addresses outside of the local network. */
export function unexceptedHosts({ insecure }: Pick<App, 'insecure'>): string[] {
  const isPrivate = (host: string) => /^(?:10|127|192\.168|172\.(?:1[6-9]|2\d|3[01])|169\.254)\./.test(host);
  return insecure.map(({ host }) => host).filter((host) => isAddress(host) && !isPrivate(host));
}

/** The reasons that the system's questions show, by their keys. */
export function usageDescriptions({ permissions }: Pick<App, 'permissions'>): Record<string, string> {
  return Object.fromEntries(
    permissions.flatMap(({ name, reason }) => {
      const usage = onApple(name)?.usage;
      return usage === undefined ? [] : [[usage, reason]];
    }),
  );
}

/** Names without their ending `@2x.png`, which the system adds. */
export const ICON_FILES = {
  phone: ['AppIcon20x20', 'AppIcon29x29', 'AppIcon40x40', 'AppIcon60x60'],
  tablet: ['AppIcon20x20', 'AppIcon29x29', 'AppIcon40x40', 'AppIcon76x76', 'AppIcon83.5x83.5'],
} as const;

const iconsOf = (files: readonly string[]): PlistDict => ({
  CFBundlePrimaryIcon: { CFBundleIconFiles: files },
});

/** Languages of a bundle: its own first. */
export function languagesOf({ language = 'en', translations }: App): string[] {
  return [...new Set([language, ...translations.map((one) => one.language)])];
}

/** Shortcuts of the icon's menu (Information Property List, UIApplicationShortcutItems). */
function shortcutItems({ shortcuts }: App): PlistValue[] {
  return shortcuts.map(({ shortName, url }, index) => ({
    UIApplicationShortcutItemType: `shortcut-${index}`,
    UIApplicationShortcutItemTitle: shortName,
    UIApplicationShortcutItemUserInfo: { url: url.href },
  }));
}

/**
 * `Info.plist` of the app (Apple, "Information Property List"; "Core Foundation Keys"). What only the vendor's own tools may
 * say, which SDK built it, is not in it.
 */
export function infoPlist(app: App, options: AppleOptions, platform: ApplePlatform): PlistDict {
  const { devices, scheme, appBoundDomains } = options;
  const security = transportSecurity(app);
  const hasTablet = devices.includes('tablet');
  return {
    CFBundleDevelopmentRegion: app.language ?? 'en',
    CFBundleDisplayName: app.shortName,
    CFBundleExecutable: EXECUTABLE,
    CFBundleIcons: iconsOf(ICON_FILES.phone),
    ...(hasTablet ? { 'CFBundleIcons~ipad': iconsOf(ICON_FILES.tablet) } : {}),
    CFBundleIdentifier: options.bundleId,
    CFBundleInfoDictionaryVersion: '6.0',
    CFBundleLocalizations: languagesOf(app),
    CFBundleName: app.shortName,
    CFBundlePackageType: 'APPL',
    CFBundleShortVersionString: app.version,
    CFBundleSupportedPlatforms: [PLATFORM_NAME[platform]],
    ...(scheme === undefined
      ? {}
      : { CFBundleURLTypes: [{ CFBundleURLName: options.bundleId, CFBundleURLSchemes: [scheme] }] }),
    CFBundleVersion: String(app.build),
    ...(options.encryption === 'exempt'
      ? { ITSAppUsesNonExemptEncryption: false }
      : { ITSAppUsesNonExemptEncryption: true }),
    LSRequiresIPhoneOS: true,
    MinimumOSVersion: options.minVersion,
    ...(security ? { NSAppTransportSecurity: security } : {}),
    ...usageDescriptions(app),
    // The page that was open when the system ended the app.
    NSUserActivityTypes: [OPEN_PAGE],
    UIApplicationSceneManifest: {
      UIApplicationSupportsMultipleScenes: false,
      UISceneConfigurations: {
        UIWindowSceneSessionRoleApplication: [
          { UISceneConfigurationName: 'Default', UISceneDelegateClassName: 'HullSceneDelegate' },
        ],
      },
    },
    ...(app.shortcuts.length > 0 ? { UIApplicationShortcutItems: shortcutItems(app) } : {}),
    UIDeviceFamily: (['phone', 'tablet'] as const)
      .filter((kind) => devices.includes(kind))
      .map((kind) => FAMILY[kind]),
    // Full size from the first moment; the shell then paints background and logo.
    UILaunchScreen: {},
    ...(platform === 'device' ? { UIRequiredDeviceCapabilities: ['arm64'] } : {}),
    ...(app.display === 'fullscreen' ? { UIStatusBarHidden: true } : {}),
    ...orientations(app, options),
    ...(appBoundDomains.length > 0 ? { WKAppBoundDomains: appBoundDomains } : {}),
  };
}

/** The names that a language has instead (`InfoPlist.strings`). */
export const localizedNames = (names: { readonly shortName: string }): PlistDict => ({
  CFBundleDisplayName: names.shortName,
  CFBundleName: names.shortName,
});
