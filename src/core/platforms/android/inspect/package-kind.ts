import { HullError } from '../../../errors.js';
import type { ZipLayout } from '../../../formats/zip/types.js';

/** What a package of Android is, and where its parts are: the places of a package and those of a bundle's base module. */

export type PackageKind = 'apk' | 'aab';

/** The module of a bundle that every device gets. */
export const BASE_MODULE = 'base';
export const BUNDLE_CONFIG = 'BundleConfig.pb';

const MANIFEST = 'AndroidManifest.xml';
const MODULE_MANIFEST = /^([^/]+)\/manifest\/AndroidManifest\.xml$/;

/** Where the manifest is. */
export const MANIFEST_PATH: Readonly<Record<PackageKind, string>> = {
  apk: MANIFEST,
  aab: `${BASE_MODULE}/manifest/${MANIFEST}`,
};

/** Where the table of resources is. */
export const TABLE_PATH: Readonly<Record<PackageKind, string>> = {
  apk: 'resources.arsc',
  aab: `${BASE_MODULE}/resources.pb`,
};

/** What an archive is, going by what is in it. Throws `package.unknown`. */
export function packageKind({ entries }: Pick<ZipLayout, 'entries'>): PackageKind {
  const has = (path: string) => entries.some((entry) => entry.path === path);
  if (has(BUNDLE_CONFIG) || has(MANIFEST_PATH.aab)) return 'aab';
  if (has(MANIFEST_PATH.apk)) return 'apk';
  throw new HullError('package.unknown', 'This archive is neither an Android package nor a store bundle.', {
    fix: `Give an .apk or .aab file: a package holds ${MANIFEST}, a bundle ${BUNDLE_CONFIG}.`,
  });
}

/** Names of a bundle's modules, in the order of their files. */
export function bundleModules({ entries }: Pick<ZipLayout, 'entries'>): string[] {
  return entries.flatMap(({ path }) => MODULE_MANIFEST.exec(path)?.[1] ?? []);
}

/** A bundle without a file that each has. */
export function missingPart(path: string): HullError {
  return new HullError('bundle.malformed', `The bundle has no ${path}.`, {
    fix: 'Build the bundle again.',
  });
}
