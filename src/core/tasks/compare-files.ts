import { type Comparison, comparePackages } from '../platforms/android/inspect/compare.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';

export interface ComparedFiles extends Comparison {
  readonly old: PackageFacts;
  readonly next: PackageFacts;
}

/**
 * Says whether a store and a device would accept one package as an update of another, and what changed.
 *
 * @param oldFile the package that users have
 * @param newFile the package that is to follow
 * @throws HullError `zip.*`, `package.unknown`, `file.missing`
 */
export async function compareFiles(oldFile: string, newFile: string): Promise<ComparedFiles> {
  const [old, next] = await Promise.all([inspectPackage(oldFile), inspectPackage(newFile)]);
  return { old, next, ...comparePackages(old, next) };
}
