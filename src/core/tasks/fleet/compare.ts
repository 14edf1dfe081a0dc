import { join, resolve } from 'node:path';
import type { Finding } from '../../finding.js';
import { Inputs } from '../../fleet/inputs.js';
import { MadePackages } from '../../fleet/made-packages.js';
import type { PackageKind } from '../../platforms/android/inspect/package-kind.js';
import type { Project } from '../../project/project.js';
import { listOnce } from '../../site/folder.js';
import { newestFirst, shownPath } from '../../util/files.js';
import { compareFiles } from '../compare-files.js';
import { outFolder } from '../out-folder.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

export interface FleetCompareOptions extends FleetRunOptions<BrandComparison> {
  /** Folder of the packages that users have, with a folder for each brand; by default those of earlier builds beside the new ones. */
  readonly released?: string | undefined;
  readonly kind?: PackageKind | undefined;
}

/** A brand's package, beside the project and the package before it. */
export interface BrandComparison {
  /** The newest package of the brand; `undefined` where there is none. */
  readonly file: string | undefined;
  /** Whether it is what the project gives now; `unknown` where nothing notes what it was made from. */
  readonly state: 'current' | 'out of date' | 'unknown' | 'missing';
  /** The package that it is compared with; `undefined` where there is none. */
  readonly before: string | undefined;
  /** Whether stores and devices take it as an update. */
  readonly accepted: boolean | undefined;
  readonly findings: readonly Finding[];
  /** Bytes; negative where it became smaller. */
  readonly grown: number | undefined;
  /** What changed, as one line each. */
  readonly changes: readonly string[];
}

/** The newest package of a brand in a folder of packages, and the one before it. */
function packagesIn(dir: string, kind: PackageKind): readonly string[] {
  return newestFirst(dir, new RegExp(`^(?!.*-debug).*\\.${kind}$`));
}

/**
 * Says of each brand whether its package is what the project gives now, and what has changed since the package before it.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export async function compareFleet(options: FleetCompareOptions): Promise<BrandRun<BrandComparison>[]> {
  const { kind = 'apk', released } = options;
  const made = new MadePackages(resolve(options.project ?? '.'));
  const inputs = new Inputs(listOnce());
  const stateOf = async (brand: Project, name: string, file: string): Promise<BrandComparison['state']> => {
    const noted = made.noted(`${name} ${kind}`, file);
    if (noted === undefined) return 'unknown';
    const isSame = await made.unchanged(`${name} ${kind}`, await inputs.digest(brand, kind));
    return isSame ? 'current' : 'out of date';
  };
  return overBrands(options, async (brand, { name }) => {
    const [file, older] = packagesIn(outFolder(brand), kind);
    const named = released === undefined ? undefined : packagesIn(join(released, name), kind)[0];
    const before = released === undefined ? older : named;
    const none = { accepted: undefined, findings: [], grown: undefined, changes: [] };
    if (file === undefined) return { ...none, file, state: 'missing', before };
    const state = await stateOf(brand, name, file);
    if (before === undefined) return { ...none, file: shownPath(file), state, before };
    const { updates, findings, changes, files, sizes } = await compareFiles(before, file);
    const whole = sizes.find(({ part }) => part === 'package');
    const counted = (['added', 'changed', 'removed'] as const).flatMap((what) =>
      files[what].length > 0 ? [`Files ${what}: ${files[what].length}.`] : [],
    );
    return {
      file: shownPath(file),
      state,
      before: shownPath(before),
      accepted: updates,
      findings,
      grown: whole && whole.after - whole.before,
      changes: [...changes.map(({ observed }) => observed), ...counted],
    };
  });
}
