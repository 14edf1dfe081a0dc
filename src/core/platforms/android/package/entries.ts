import type { App } from '../../../app/app.js';
import { iconSince, type LauncherIcon } from '../../../art/launcher-icon.js';
import type { Content, Method } from '../../../formats/zip/types.js';
import { methodFor, type PackageEntry, type Part, webEntries } from '../../../packaging/entries.js';
import { buildWords } from '../../../packaging/shell-settings.js';
import { STORED_ALIGNMENT } from '../app/attributes.js';
import { buildManifest } from '../app/manifest.js';
import type { AndroidOptions } from '../app/options.js';
import { buildResources } from '../app/resources.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../app/shell-settings.js';
import { MANIFEST_PATH, TABLE_PATH } from '../inspect/package-kind.js';

export interface ApkOptions {
  readonly debuggable: boolean;
  readonly android: AndroidOptions;
  /** The shell's code. */
  readonly dex: Content;
}

/** One file of a package. */
export function entry(part: Part, path: string, content: Content, method: Method): PackageEntry {
  return { part, path, content, method, alignment: STORED_ALIGNMENT };
}

/** An app as the entries of an APK, in the order in which they are written: the same for the same inputs. */
export function apkEntries(app: App, icon: LauncherIcon, options: ApkOptions): PackageEntry[] {
  const resources = buildResources(app, iconSince(icon, options.android.minSdk), options);
  return [
    entry('shell', MANIFEST_PATH.apk, buildManifest(app, options), 'deflate'),
    entry('shell', 'classes.dex', options.dex, 'deflate'),
    entry('shell', TABLE_PATH.apk, resources.table, 'store'),
    ...resources.files.map((file) => entry(file.part, file.path, file.bytes, methodFor(file.path))),
    entry('shell', SETTINGS_PATH, buildShellSettings(app, options.android), 'deflate'),
    entry('shell', WORDS_PATH, buildWords(app), 'deflate'),
    ...webEntries(app, SITE_PATH, entry),
  ];
}
