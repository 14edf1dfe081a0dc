import type { App } from '../../../app/app.js';
import { iconSince, type LauncherIcon } from '../../../art/launcher-icon.js';
import type { Content, Entry, Method } from '../../../formats/zip/types.js';
import { isCompressed } from '../../../site/media-types.js';
import { STORED_ALIGNMENT } from '../app/attributes.js';
import { buildManifest } from '../app/manifest.js';
import type { AndroidOptions } from '../app/options.js';
import { buildResources } from '../app/resources.js';
import {
  buildShellSettings,
  buildWords,
  SETTINGS_PATH,
  SITE_PATH,
  WORDS_PATH,
} from '../app/shell-settings.js';
import { MANIFEST_PATH, TABLE_PATH } from '../inspect/package-kind.js';

/** The parts that a package's size is divided into. */
export const PARTS = ['shell', 'art', 'web'] as const;
export type Part = (typeof PARTS)[number];

export interface PackageEntry extends Entry {
  readonly part: Part;
}

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

/** The pages, below a folder of the package. */
export function webEntries(app: App, folder: string): PackageEntry[] {
  return (app.folder?.files ?? []).map((file) =>
    entry(
      'web',
      `${folder}${file.path}`,
      { file: file.file, size: file.size },
      isCompressed(file.path) ? 'store' : 'deflate',
    ),
  );
}

/** An app as the entries of an APK, in the order in which they are written: the same for the same inputs. */
export function apkEntries(app: App, icon: LauncherIcon, options: ApkOptions): PackageEntry[] {
  const resources = buildResources(app, iconSince(icon, options.android.minSdk), options.android.engine);
  return [
    entry('shell', MANIFEST_PATH.apk, buildManifest(app, options), 'deflate'),
    entry('shell', 'classes.dex', options.dex, 'deflate'),
    entry('shell', TABLE_PATH.apk, resources.table, 'store'),
    ...resources.files.map((file) =>
      entry(file.part, file.path, file.bytes, isCompressed(file.path) ? 'store' : 'deflate'),
    ),
    entry('shell', SETTINGS_PATH, buildShellSettings(app, options.android), 'deflate'),
    entry('shell', WORDS_PATH, buildWords(app), 'deflate'),
    ...webEntries(app, SITE_PATH),
  ];
}
