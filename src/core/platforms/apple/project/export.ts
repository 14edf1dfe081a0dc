import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { App } from '../../../app/app.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { associatedDomains } from '../../../links/associated-domains.js';
import type { ProjectFile } from '../../../packaging/project-file.js';
import { buildWords } from '../../../packaging/shell-settings.js';
import type { Rgba } from '../../../project/color.js';
import { DOMAINS_ENTITLEMENT } from '../app/entitlements.js';
import { infoPlist, localizedNames } from '../app/info-plist.js';
import type { AppleOptions } from '../app/options.js';
import { PRIVACY_MANIFEST } from '../app/privacy.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../app/shell-settings.js';
import { projectFileText, type SourceGroup, TARGET_ID } from './project-file.js';

const APP = 'App';
const SHELL = 'Shell';
const CATALOG = `${APP}/Assets.xcassets`;
const BACKGROUND = 'LaunchBackground';
const text = (value: string) => new TextEncoder().encode(value);
const json = (value: unknown) => text(`${JSON.stringify(value, undefined, 2)}\n`);
const plist = (value: PlistDict) => writeXmlPlist(value);

/** Of catalogs: who made them. */
const INFO = { author: 'jolly-hull', version: 1 } as const;

/** The name of target, product and project: what the vendor's tools and shells take without quoting. */
export const targetName = ({ shortName }: Pick<App, 'shortName'>): string =>
  shortName.normalize('NFKD').replace(/[^A-Za-z0-9]/g, '') || 'App';

/** What the build puts in by itself, or by its settings. */
const BY_THE_BUILD = [
  'CFBundleIcons',
  'CFBundleIcons~ipad',
  'CFBundleSupportedPlatforms',
  'MinimumOSVersion',
  'UIDeviceFamily',
  'UILaunchScreen',
];

function projectInfo(app: App, options: AppleOptions): PlistDict {
  const whole = infoPlist(app, options, 'device');
  return {
    ...Object.fromEntries(Object.entries(whole).filter(([key]) => !BY_THE_BUILD.includes(key))),
    CFBundleExecutable: '$(EXECUTABLE_NAME)',
    CFBundleIdentifier: '$(PRODUCT_BUNDLE_IDENTIFIER)',
    CFBundleShortVersionString: '$(MARKETING_VERSION)',
    CFBundleVersion: '$(CURRENT_PROJECT_VERSION)',
    UILaunchStoryboardName: 'LaunchScreen',
  };
}

/** Only what the developer account has to allow: who the app is, the vendor's tools add. */
function projectEntitlements(app: App, { clip }: AppleOptions): PlistDict {
  const domains = associatedDomains(app.links, { clip: clip === undefined ? 'none' : 'has' });
  return domains.length === 0 ? {} : { [DOMAINS_ENTITLEMENT]: domains };
}

const component = (value: number) => (value / 255).toFixed(3);
const colorValue = ({ r, g, b }: Rgba) => ({
  'color-space': 'srgb',
  components: { alpha: '1.000', blue: component(b), green: component(g), red: component(r) },
});
const DARK = [{ appearance: 'luminosity', value: 'dark' }];

/** Icons in light, dark and tinted, the start picture, and its background, as the vendor's catalog has them. */
function catalog(app: App, pictures: ReadonlyMap<string, Uint8Array>): ProjectFile[] {
  const icon = (filename: string, value?: 'dark' | 'tinted') => ({
    ...(value === undefined ? {} : { appearances: [{ appearance: 'luminosity', value }] }),
    filename,
    idiom: 'universal',
    platform: 'ios',
    size: '1024x1024',
  });
  const picture = (from: string, to: string): ProjectFile => ({
    path: `${CATALOG}/${to}`,
    content: pictures.get(from) ?? new Uint8Array(),
  });
  return [
    { path: `${CATALOG}/Contents.json`, content: json({ info: INFO }) },
    {
      path: `${CATALOG}/AppIcon.appiconset/Contents.json`,
      content: json({
        images: [icon('icon.png'), icon('icon-dark.png', 'dark'), icon('icon-tinted.png', 'tinted')],
        info: INFO,
      }),
    },
    picture('icon-1024.png', 'AppIcon.appiconset/icon.png'),
    picture('icon-1024-dark.png', 'AppIcon.appiconset/icon-dark.png'),
    picture('icon-1024-tinted.png', 'AppIcon.appiconset/icon-tinted.png'),
    {
      path: `${CATALOG}/Launch.imageset/Contents.json`,
      content: json({
        images: [1, 2, 3].map((scale) => ({
          filename: `launch-${scale}.png`,
          idiom: 'universal',
          scale: `${scale}x`,
        })),
        info: INFO,
      }),
    },
    picture('Launch.png', 'Launch.imageset/launch-1.png'),
    picture('Launch@2x.png', 'Launch.imageset/launch-2.png'),
    picture('Launch@3x.png', 'Launch.imageset/launch-3.png'),
    {
      path: `${CATALOG}/${BACKGROUND}.colorset/Contents.json`,
      content: json({
        colors: [
          { color: colorValue(app.backgroundColor), idiom: 'universal' },
          { appearances: DARK, color: colorValue(app.dark.backgroundColor), idiom: 'universal' },
        ],
        info: INFO,
      }),
    },
  ];
}

/** The start screen: the logo on the app's background, as the shell then shows it until the first page is drawn. */
function storyboard({ backgroundColor: { r, g, b } }: App): string {
  return `<?xml version="1.0" encoding="UTF-8"?>
<document type="com.apple.InterfaceBuilder3.CocoaTouch.Storyboard.XIB" version="3.0" toolsVersion="21507" targetRuntime="iOS.CocoaTouch" propertyAccessControl="none" useAutolayout="YES" launchScreen="YES" useTraitCollections="YES" useSafeAreas="YES" colorMatched="YES" initialViewController="hul-la-001">
    <dependencies>
        <plugIn identifier="com.apple.InterfaceBuilder.IBCocoaTouchPlugin" version="21505"/>
        <capability name="Named colors" minToolsVersion="9.0"/>
        <capability name="documents saved in the Xcode 8 format" minToolsVersion="8.0"/>
    </dependencies>
    <scenes>
        <scene sceneID="hul-la-002">
            <objects>
                <viewController id="hul-la-001" sceneMemberID="viewController">
                    <view key="view" contentMode="scaleToFill" id="hul-la-003">
                        <rect key="frame" x="0.0" y="0.0" width="393" height="852"/>
                        <autoresizingMask key="autoresizingMask" widthSizable="YES" heightSizable="YES"/>
                        <subviews>
                            <imageView clipsSubviews="YES" userInteractionEnabled="NO" contentMode="center" image="Launch" translatesAutoresizingMaskIntoConstraints="NO" id="hul-la-004">
                                <rect key="frame" x="116.5" y="346" width="160" height="160"/>
                            </imageView>
                        </subviews>
                        <color key="backgroundColor" name="${BACKGROUND}"/>
                        <constraints>
                            <constraint firstItem="hul-la-004" firstAttribute="centerX" secondItem="hul-la-003" secondAttribute="centerX" id="hul-la-005"/>
                            <constraint firstItem="hul-la-004" firstAttribute="centerY" secondItem="hul-la-003" secondAttribute="centerY" id="hul-la-006"/>
                        </constraints>
                    </view>
                </viewController>
                <placeholder placeholderIdentifier="IBFirstResponder" id="hul-la-007" userLabel="First Responder" sceneMemberID="firstResponder"/>
            </objects>
        </scene>
    </scenes>
    <resources>
        <image name="Launch" width="160" height="160"/>
        <namedColor name="${BACKGROUND}">
            <color red="${component(r)}" green="${component(g)}" blue="${component(b)}" alpha="1" colorSpace="custom" customColorSpace="sRGB"/>
        </namedColor>
    </resources>
</document>
`;
}

function scheme(name: string): string {
  const reference = `<BuildableReference
            BuildableIdentifier = "primary"
            BlueprintIdentifier = "${TARGET_ID}"
            BuildableName = "${name}.app"
            BlueprintName = "${name}"
            ReferencedContainer = "container:${name}.xcodeproj">
         </BuildableReference>`;
  return `<?xml version="1.0" encoding="UTF-8"?>
<Scheme version = "1.7">
   <BuildAction parallelizeBuildables = "YES" buildImplicitDependencies = "YES">
      <BuildActionEntries>
         <BuildActionEntry buildForTesting = "YES" buildForRunning = "YES" buildForProfiling = "YES" buildForArchiving = "YES" buildForAnalyzing = "YES">
         ${reference}
         </BuildActionEntry>
      </BuildActionEntries>
   </BuildAction>
   <LaunchAction buildConfiguration = "Debug" selectedDebuggerIdentifier = "Xcode.DebuggerFoundation.Debugger.LLDB" selectedLauncherIdentifier = "Xcode.DebuggerFoundation.Launcher.LLDB">
      <BuildableProductRunnable runnableDebuggingMode = "0">
         ${reference}
      </BuildableProductRunnable>
   </LaunchAction>
   <ArchiveAction buildConfiguration = "Release" revealArchiveInOrganizer = "YES">
   </ArchiveAction>
</Scheme>
`;
}

const archive = (name: string) => `#!/bin/sh
# Archives the app and exports it for the store, signed by your account: sh archive.sh
# More options go to the build: sh archive.sh -allowProvisioningUpdates
set -eu
cd "$(dirname "$0")"
if ! command -v xcodebuild >/dev/null; then
  echo 'xcodebuild is not there: install Xcode, open it once, then run this again.' >&2
  exit 1
fi
if ! grep -q 'DEVELOPMENT_TEAM = [A-Z0-9]\\{10\\};' ${name}.xcodeproj/project.pbxproj; then
  echo 'No team is set: write "apple": { "team": "…" } into hull.json and refit, or choose it in Xcode.' >&2
  exit 1
fi
xcodebuild -project ${name}.xcodeproj -scheme ${name} -destination generic/platform=iOS \\
  -archivePath build/${name}.xcarchive archive "$@"
xcodebuild -exportArchive -archivePath build/${name}.xcarchive -exportOptionsPlist ExportOptions.plist \\
  -exportPath build/export "$@"
ls -l build/export/*.ipa
`;

function exportOptions(team: string | undefined): PlistDict {
  return {
    destination: 'export',
    method: 'app-store-connect',
    signingStyle: 'automatic',
    stripSwiftSymbols: true,
    ...(team === undefined ? {} : { teamID: team }),
    uploadSymbols: true,
  };
}

function readme(app: App, options: AppleOptions, name: string): string {
  const hosts = app.links.map(({ host }) => `\`${host}\``).join(', ');
  return `# ${app.name} for Apple's systems

The app as a source project for Xcode. You need a Mac with Xcode 15.3 or later, and for devices and the store a developer account.

## Run it

1. Open \`${name}.xcodeproj\`.
2. Choose a simulator at the top and press Run. That needs no account.
3. For a device: *${name} target > Signing & Capabilities*, choose your team${options.team === undefined ? '' : ` (it is set to ${options.team})`}; then run.

## Send it to the store

    sh archive.sh -allowProvisioningUpdates

makes \`build/export/${name}.ipa\`, signed by your account. Upload it with Transporter, or from Xcode's Organizer.

In the developer account, the app ID \`${options.bundleId}\` needs${hosts === '' ? ' no capability.' : ` the capability Associated Domains, for links of ${hosts}.`}

## What is where

| | |
|---|---|
| \`App/Info.plist\` | names, permissions with their reasons, orientations, links |
| \`App/Assets.xcassets\` | icons (light, dark, tinted), start picture, background |
| \`App/LaunchScreen.storyboard\` | the start screen |
| \`App/hull\` | the pages, and what the shell reads of them |
| \`App/PrivacyInfo.xcprivacy\` | what the shell itself does: nothing that needs a reason. Declare there what your pages collect. |
| \`Shell\` | the native code around the pages, in Objective-C |

Version and build are in the project's settings (MARKETING_VERSION, CURRENT_PROJECT_VERSION). Edit what you like: bringing later
changes of \`hull.json\` and of the shell in keeps your edits.
`;
}

/** Files of a folder by their names, with the kind that each is. */
function sources(folder: string): (readonly [string, 'header' | 'source'])[] {
  return readdirSync(folder)
    .filter((name) => /\.[hm]$/.test(name))
    .sort()
    .map((name) => [name, name.endsWith('.h') ? 'header' : 'source'] as const);
}

/**
 * The app as a source project that the vendor's tools open: the same Info.plist, entitlements, settings and pages that a
 * package has, the shell's sources, and a catalog with every icon.
 *
 * @param pictures of the plan for Apple, by their file names
 * @param shellSources folder with `core` and `ui`
 */
export function appleProjectFiles(
  app: App,
  options: AppleOptions,
  pictures: ReadonlyMap<string, Uint8Array>,
  shellSources: string,
): ProjectFile[] {
  const name = targetName(app);
  const languages = app.translations.map(({ language }) => language);
  const folders = ['core', 'ui'] as const;
  const groups: SourceGroup[] = [
    {
      name: APP,
      path: APP,
      files: [
        ['Info.plist', 'plist'],
        [`${name}.entitlements`, 'entitlements'],
        ['PrivacyInfo.xcprivacy', 'privacy'],
        ['LaunchScreen.storyboard', 'storyboard'],
        ['Assets.xcassets', 'catalog'],
        ['hull', 'folder'],
      ],
    },
    {
      name: SHELL,
      path: SHELL,
      files: [],
      groups: folders.map((folder) => ({
        name: folder,
        path: folder,
        files: sources(join(shellSources, folder)),
      })),
    },
  ];
  const orNothing = (key: string, value: string | undefined) => (value === undefined ? {} : { [key]: value });
  const project = projectFileText({
    name,
    groups,
    languages,
    developmentLanguage: app.language ?? 'en',
    stringsFolder: APP,
    team: options.team,
    projectSettings: {
      ALWAYS_SEARCH_USER_PATHS: 'NO',
      CLANG_ENABLE_MODULES: 'YES',
      CLANG_ENABLE_OBJC_ARC: 'YES',
      CLANG_ENABLE_OBJC_WEAK: 'YES',
      ENABLE_USER_SCRIPT_SANDBOXING: 'YES',
      GCC_C_LANGUAGE_STANDARD: 'gnu11',
      IPHONEOS_DEPLOYMENT_TARGET: options.minVersion,
      SDKROOT: 'iphoneos',
    },
    targetSettings: {
      ASSETCATALOG_COMPILER_APPICON_NAME: 'AppIcon',
      CODE_SIGN_ENTITLEMENTS: `${APP}/${name}.entitlements`,
      CODE_SIGN_STYLE: 'Automatic',
      CURRENT_PROJECT_VERSION: app.build,
      ...orNothing('DEVELOPMENT_TEAM', options.team),
      GENERATE_INFOPLIST_FILE: 'NO',
      INFOPLIST_FILE: `${APP}/Info.plist`,
      LD_RUNPATH_SEARCH_PATHS: ['$(inherited)', '@executable_path/Frameworks'],
      MARKETING_VERSION: app.version,
      PRODUCT_BUNDLE_IDENTIFIER: options.bundleId,
      PRODUCT_NAME: '$(TARGET_NAME)',
      TARGETED_DEVICE_FAMILY: options.devices.map((kind) => (kind === 'phone' ? 1 : 2)).join(','),
    },
  });
  return [
    { path: 'README.md', content: text(readme(app, options, name)) },
    { path: '.gitignore', content: text('build/\nxcuserdata/\n*.xcuserstate\n') },
    { path: 'archive.sh', content: text(archive(name)) },
    { path: 'ExportOptions.plist', content: plist(exportOptions(options.team)) },
    { path: `${name}.xcodeproj/project.pbxproj`, content: text(project) },
    { path: `${name}.xcodeproj/xcshareddata/xcschemes/${name}.xcscheme`, content: text(scheme(name)) },
    { path: `${APP}/Info.plist`, content: plist(projectInfo(app, options)) },
    { path: `${APP}/${name}.entitlements`, content: plist(projectEntitlements(app, options)) },
    { path: `${APP}/PrivacyInfo.xcprivacy`, content: plist(PRIVACY_MANIFEST) },
    { path: `${APP}/LaunchScreen.storyboard`, content: text(storyboard(app)) },
    ...catalog(app, pictures),
    ...app.translations.map((own) => ({
      path: `${APP}/${own.language}.lproj/InfoPlist.strings`,
      content: plist(localizedNames(own)),
    })),
    ...folders.flatMap((folder) =>
      sources(join(shellSources, folder)).map(([file]) => ({
        path: `${SHELL}/${folder}/${file}`,
        content: new Uint8Array(readFileSync(join(shellSources, folder, file))),
      })),
    ),
    { path: `${APP}/${SETTINGS_PATH}`, content: buildShellSettings(app, options) },
    { path: `${APP}/${WORDS_PATH}`, content: buildWords(app) },
    ...(app.folder?.files ?? []).map(({ path, file }) => ({
      path: `${APP}/${SITE_PATH}${path}`,
      content: { file },
    })),
  ];
}
