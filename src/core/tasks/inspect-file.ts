import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError, HullError } from '../errors.js';
import { FileSource } from '../formats/bytes/source.js';
import { readZip } from '../formats/zip/reader.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { inspectIpa, isIpa } from '../platforms/apple/inspect/inspect.js';
import { VENDOR_ROOT } from '../platforms/apple/signing/authority.js';
import { CONFIG_FILE } from '../project/config.js';
import { readProject } from '../project/project.js';
import { trustedRoot } from './apple-signing.js';

/** Which platform a package is for, going by what is in it. Throws HullError `file.missing`, `zip.*`. */
export async function platformOf(file: string): Promise<'android' | 'apple'> {
  let source: FileSource | undefined;
  try {
    source = await FileSource.open(file);
    return isIpa(await readZip(source)) ? 'apple' : 'android';
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : fromSystemError(error, file);
  } finally {
    await source?.close();
  }
}

/** The root that counts for packages that are looked at from a folder: that of its project, where there is one. */
export const rootFor = (dir: string): string =>
  existsSync(join(dir, CONFIG_FILE)) ? trustedRoot(readProject(dir)).root : VENDOR_ROOT;

/**
 * Reads any package, for Android or for Apple's systems: what it says of itself, and whether its signature verifies.
 *
 * @param dir folder of `hull.json`, where there is one: its `apple.root` counts in the vendor's place
 * @throws HullError as {@link inspectPackage} and {@link inspectIpa}
 */
export async function inspectFile(file: string, dir = '.'): Promise<PackageFacts | IpaFacts> {
  return (await platformOf(file)) === 'apple' ? inspectIpa(file, rootFor(dir)) : inspectPackage(file);
}
