import { HullError } from '../errors.js';
import type { Comparison } from '../packaging/comparison.js';
import { comparePackages } from '../platforms/android/inspect/compare.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { compareIpas } from '../platforms/apple/inspect/compare.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { inspectFile } from './inspect-file.js';

export interface ComparedFiles extends Comparison {
  readonly old: PackageFacts | IpaFacts;
  readonly next: PackageFacts | IpaFacts;
}

/**
 * Says whether a store and a device would accept one package as an update of another, and what changed.
 *
 * @param oldFile the package that users have
 * @param newFile the package that is to follow
 * @param dir folder of `hull.json`, as {@link inspectFile} takes it
 * @throws HullError `zip.*`, `package.unknown`, `file.missing`, `ipa.malformed`
 */
export async function compareFiles(oldFile: string, newFile: string, dir = '.'): Promise<ComparedFiles> {
  const [old, next] = await Promise.all([inspectFile(oldFile, dir), inspectFile(newFile, dir)]);
  if (old.kind === 'ipa' && next.kind === 'ipa') return { old, next, ...compareIpas(old, next) };
  if (old.kind !== 'ipa' && next.kind !== 'ipa') return { old, next, ...comparePackages(old, next) };
  throw new HullError(
    'package.unknown',
    'One of the packages is for Android, and the other for Apple’s systems.',
    {
      location: { file: newFile },
      fix: 'Compare two packages of one platform.',
    },
  );
}
