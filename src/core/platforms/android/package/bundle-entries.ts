import type { App } from '../../../app/app.js';
import { iconSince, type LauncherIcon } from '../../../art/launcher-icon.js';
import { writeBundleSettings } from '../../../formats/aab/config.js';
import { writeProtoTable } from '../../../formats/aab/table.js';
import { writeProtoXml } from '../../../formats/aab/xml.js';
import { type PackageEntry, webEntries } from '../../../packaging/entries.js';
import { buildWords } from '../../../packaging/shell-settings.js';
import { extensionOf, isCompressed } from '../../../site/media-types.js';
import { describeManifest } from '../app/manifest.js';
import { describeResources } from '../app/resources.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../app/shell-settings.js';
import { BASE_MODULE, BUNDLE_CONFIG, MANIFEST_PATH, TABLE_PATH } from '../inspect/package-kind.js';
import { type ApkOptions, entry } from './entries.js';

export interface BundleOptions extends ApkOptions {
  /** Which name was which in the shell's code: the store's console reads crash reports with it. */
  readonly dexMap: Uint8Array;
}

/** Where stores look for the names behind the code's (bundle format, "metadata files"). */
const DEX_MAP_PATH = 'BUNDLE-METADATA/com.android.tools.build.obfuscation/proguard.map';
/** Version of the bundle format: stores go by it where rules changed. */
const BUNDLE_FORMAT = '1.15.6';

/** What the store may divide: pictures by density; not languages, which users choose for one app alone (Android 13). */
function bundleSettings(app: App): Uint8Array {
  const stored = (app.folder?.files ?? []).filter(({ path }) => isCompressed(path));
  const endings = [...new Set(stored.map(({ path }) => extensionOf(path)))].sort();
  return writeBundleSettings({
    version: BUNDLE_FORMAT,
    splits: [
      { by: 'abi', on: true },
      { by: 'density', on: true },
      { by: 'language', on: false },
    ],
    // Sound and video are read in parts, which only stored files can be.
    uncompressed: endings.map((ending) => `assets/**.${ending}`),
  });
}

/** An app as the entries of a store bundle: the same manifest, resources and files, in the bundle's forms and places. */
export function bundleEntries(app: App, icon: LauncherIcon, options: BundleOptions): PackageEntry[] {
  const shown = iconSince(icon, options.android.minSdk);
  const { table, trees } = describeResources(app, shown, options);
  const manifest = writeProtoXml(describeManifest(app, options));
  // Apps of ours have one module and no other.
  const at = (path: string) => `${BASE_MODULE}/${path}`;
  return [
    entry('shell', BUNDLE_CONFIG, bundleSettings(app), 'deflate'),
    entry('shell', MANIFEST_PATH.aab, manifest, 'deflate'),
    entry('shell', at('dex/classes.dex'), options.dex, 'deflate'),
    entry('shell', TABLE_PATH.aab, writeProtoTable(table), 'deflate'),
    ...trees.map(({ path, tree }) => entry('shell', at(path), writeProtoXml(tree), 'deflate')),
    ...[...shown.pictures].map(([path, bytes]) => entry('art', at(path), bytes, 'store')),
    entry('shell', at(SETTINGS_PATH), buildShellSettings(app, options.android), 'deflate'),
    entry('shell', at(WORDS_PATH), buildWords(app), 'deflate'),
    ...webEntries(app, at(SITE_PATH), entry),
    entry('shell', DEX_MAP_PATH, options.dexMap, 'deflate'),
  ].map((one) => ({ ...one, alignment: 1 }));
}
