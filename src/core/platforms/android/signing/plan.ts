import { fromSystemError, HullError, type Location, task, withTasks } from '../../../errors.js';
import { chooseKey, type NamedKey, openIdentity } from '../../../keys/open.js';
import type { Project } from '../../../project/project.js';
import { readRegularFile } from '../../../util/files.js';
import { pointerStep } from '../../../util/json-locations.js';
import { type Lineage, readLineageFile } from './lineage.js';
import { SCHEME_LEVELS } from './scheme.js';
import type { SigningPlan } from './sign.js';

/** API level from which a successor counts where nothing is said: older devices have trouble with another signer. */
export const DEFAULT_SINCE = SCHEME_LEVELS.v31;

/** Whether a successor may count from an API level on: that of v3, which reads a lineage, or from that of v3.1 on. */
export function isSinceLevel(level: number): boolean {
  return level === SCHEME_LEVELS.v3 || (Number.isInteger(level) && level >= SCHEME_LEVELS.v31);
}

/** @param written the level as it was given */
export function badSince(
  code: 'config.bad-value' | 'keys.bad-since',
  written: string,
  location: Location,
): HullError {
  return new HullError(code, `A successor cannot count from API level ${written} on.`, {
    location,
    fix: `Use ${SCHEME_LEVELS.v3}, where devices learnt to read a lineage, or ${SCHEME_LEVELS.v31} and later.`,
  });
}

/** A project's lineage file. Throws `signing.malformed`, `signing.lineage`, `file.missing`. */
export function readLineage(file: string): Lineage {
  try {
    return readLineageFile(readRegularFile(file));
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : fromSystemError(error, file);
  }
}

/** The key that signed an app first, going back from one that succeeded it. Throws `keys.none`, `keys.no-lineage`. */
export function originalKey(project: Project, key: NamedKey): NamedKey {
  const seen = new Set<string>();
  let current = key;
  while (current.config.succeeds !== undefined) {
    if (seen.has(current.name)) {
      throw new HullError('keys.no-lineage', 'The keys succeed each other in a circle.', {
        location: project.location(`/keys/${pointerStep(current.name)}/succeeds`),
        fix: 'Name in succeeds the key that was used before.',
      });
    }
    seen.add(current.name);
    current = chooseKey(project, current.config.succeeds);
  }
  return current;
}

/**
 * Opens what a package is signed with: one key, or the newest with the original one and the lineage between them.
 *
 * @param passwordOf gives each keystore's password
 * @throws HullError `keys.*`, `signing.lineage`, `signing.malformed`
 */
export async function openPlan(
  project: Project,
  key: NamedKey,
  passwordOf: (key: NamedKey) => Promise<string>,
): Promise<SigningPlan> {
  const open = async (one: NamedKey) => openIdentity(one.file, one.config.alias, await passwordOf(one));
  if (key.config.succeeds === undefined) return open(key);
  const location = project.location(`/keys/${pointerStep(key.name)}`);
  if (key.config.lineage === undefined) {
    throw new HullError('keys.no-lineage', `The key "${key.name}" succeeds another, and names no lineage.`, {
      location,
      fix: withTasks`Make it: ${task('rotateKey', key.config.succeeds ?? '', key.name)}`,
    });
  }
  const lineage = readLineage(project.resolve(key.config.lineage));
  const original = await open(originalKey(project, key));
  const newest = await open(key);
  const same = (one: Uint8Array | undefined, other: Uint8Array | undefined) =>
    one !== undefined && other !== undefined && Buffer.from(one).equals(other);
  if (
    !same(lineage[0]?.certificate, original.certificates[0]) ||
    !same(lineage.at(-1)?.certificate, newest.certificates[0])
  ) {
    throw new HullError('signing.lineage', 'The lineage does not lead from the first key to this one.', {
      location,
      fix: 'Restore the lineage file that belongs to these keys.',
    });
  }
  const { since = DEFAULT_SINCE } = key.config;
  if (!isSinceLevel(since)) throw badSince('config.bad-value', String(since), location);
  return { ...newest, succession: { original, lineage, since } };
}
