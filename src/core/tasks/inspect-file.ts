import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { withPackage } from '../packaging/read-package.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { packageFacts } from '../platforms/android/inspect/inspect.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { ipaFacts } from '../platforms/apple/inspect/inspect.js';
import { isIpa } from '../platforms/apple/package/bundle-folder.js';
import { VENDOR_ROOT } from '../platforms/apple/signing/authority.js';
import { CONFIG_FILE } from '../project/config.js';
import { readProject } from '../project/project.js';
import { trustedRoot } from './apple-signing.js';

/** SHA-256 of the root that counts for packages that are looked at from a folder: that of its project, where there is one. */
export const rootFor = (dir: string): string =>
  existsSync(join(dir, CONFIG_FILE)) ? trustedRoot(readProject(dir)).root : VENDOR_ROOT;

/**
 * Reads any package, for Android or for Apple's systems: what it says of itself, and whether its signature verifies.
 *
 * @param dir folder of `hull.json`, where there is one: its `apple.root` counts in the vendor's place
 * @throws HullError as `inspectPackage` and `inspectIpa`
 */
export async function inspectFile(file: string, dir = '.'): Promise<PackageFacts | IpaFacts> {
  return withPackage<PackageFacts | IpaFacts>(file, (source, layout) =>
    isIpa(layout) ? ipaFacts(file, source, layout, rootFor(dir)) : packageFacts(file, source, layout),
  );
}
