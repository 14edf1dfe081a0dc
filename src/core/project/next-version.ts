import { HullError } from '../errors.js';
import { checkVersion } from './version.js';

/** Raising `app.version` and `app.build`. */

const PARTS = ['major', 'minor', 'patch'] as const;

/** Numbers of a version, missing ones as zero: `1.4` is `1.4.0`. */
function numbers(version: string): number[] {
  const list = version.split('.').map(Number);
  return PARTS.map((_, index) => list[index] ?? 0);
}

/** Negative where `one` is below `other`, going by numbers and not by letters. */
export function compareVersions(one: string, other: string): number {
  const [a, b] = [numbers(one), numbers(other)];
  for (const index of PARTS.keys()) {
    const difference = (a[index] ?? 0) - (b[index] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}

export interface Released {
  readonly file: string;
  readonly version: string | undefined;
  readonly build: number | undefined;
}

export interface NextVersion {
  readonly version: string;
  readonly build: number;
}

function raised(version: string, step: string): string {
  if (step === 'build') return version;
  const part = (PARTS as readonly string[]).indexOf(step);
  if (part === -1) return step;
  const list = numbers(version);
  return list.map((value, index) => (index < part ? value : index === part ? value + 1 : 0)).join('.');
}

/**
 * The version and build after a step: above those of the project and of every package that is there.
 *
 * @param step `major`, `minor`, `patch`, `build`, or a version
 * @param packages what was packed or released before
 * @throws HullError `app.bad-version`, `version.goes-back`
 */
export function nextVersion(now: NextVersion, step: string, packages: readonly Released[]): NextVersion {
  const version = raised(now.version, step);
  checkVersion(version, { option: step });
  const above = [{ file: 'hull.json', version: now.version }, ...packages].find(
    (one) =>
      one.version !== undefined &&
      /^\d+(\.\d+){0,2}$/.test(one.version) &&
      compareVersions(version, one.version) < 0,
  );
  if (above) {
    throw new HullError(
      'version.goes-back',
      `Version ${version} is below ${above.version}, which is there already.`,
      {
        location: { file: above.file },
        fix: `Users read versions in their order. Choose one above ${above.version}.`,
      },
    );
  }
  const build = Math.max(now.build, ...packages.map((one) => one.build ?? 0)) + 1;
  return { version, build };
}
