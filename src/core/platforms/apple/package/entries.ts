import type { App } from '../../../app/app.js';
import { writeBinaryPlist } from '../../../formats/plist/binary-writer.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import type { Content, Method } from '../../../formats/zip/types.js';
import { MODE } from '../../../formats/zip/types.js';
import { methodFor, type PackageEntry, type Part, webEntries } from '../../../packaging/entries.js';
import { buildWords } from '../../../packaging/shell-settings.js';
import { type ApplePlatform, EXECUTABLE, infoPlist, localizedNames } from '../app/info-plist.js';
import type { AppleOptions } from '../app/options.js';
import { PRIVACY_MANIFEST } from '../app/privacy.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../app/shell-settings.js';

export const INFO_PATH = 'Info.plist';
export const PROFILE_PATH = 'embedded.mobileprovision';

/** A file of the bundle. */
export const entry = (part: Part, path: string, content: Content, method: Method): PackageEntry => ({
  part,
  path,
  content,
  method,
  alignment: 1,
  mode: MODE.file,
});

/** The program itself, which is run. */
export const programEntry = (bytes: Uint8Array): PackageEntry => ({
  ...entry('shell', EXECUTABLE, bytes, 'deflate'),
  mode: MODE.program,
});

/** The folder of the app in the package: from its short name, which file systems take; people never see it. */
export function bundleFolder({ shortName }: Pick<App, 'shortName'>): string {
  const name = shortName
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9 ]/g, '')
    .trim();
  return `${name === '' ? 'App' : name}.app`;
}

/**
 * The files of a bundle that are signed as its resources, by their paths in it: everything but the program and the signature.
 *
 * @param pictures icons and start pictures by their file names
 * @param profile none for simulators
 */
export function bundleEntries(
  app: App,
  options: AppleOptions,
  {
    platform,
    pictures,
    profile,
  }: {
    readonly platform: ApplePlatform;
    readonly pictures: ReadonlyMap<string, Uint8Array>;
    readonly profile: Uint8Array | undefined;
  },
): PackageEntry[] {
  const plist = (path: string, value: PlistDict) => entry('shell', path, writeBinaryPlist(value), 'deflate');
  return [
    plist(INFO_PATH, infoPlist(app, options, platform)),
    entry('shell', 'PkgInfo', new TextEncoder().encode('APPL????'), 'store'),
    plist('PrivacyInfo.xcprivacy', PRIVACY_MANIFEST),
    ...app.translations.map((own) => plist(`${own.language}.lproj/InfoPlist.strings`, localizedNames(own))),
    ...(profile ? [entry('shell', PROFILE_PATH, profile, 'deflate')] : []),
    ...[...pictures].map(([path, bytes]) => entry('art', path, bytes, methodFor(path))),
    entry('shell', SETTINGS_PATH, buildShellSettings(app, options), 'deflate'),
    entry('shell', WORDS_PATH, buildWords(app), 'deflate'),
    ...webEntries(app, SITE_PATH, entry),
  ];
}
