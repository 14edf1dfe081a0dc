import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import { openIdentity } from '../keys/open.js';
import { writePkcs12 } from '../keys/pkcs12.js';
import type { SigningPlan } from '../platforms/android/signing/sign.js';
import { editProject } from '../project/edit.js';
import type { Project } from '../project/project.js';
import { makeFolder, writeNewFile } from '../util/files.js';

/** Keystores as files: never written over, and kept out of version control. */

export function keyExists(file: string): HullError {
  return new HullError('keys.exists', 'There is a file here already; it was not touched.', {
    location: { file },
    fix: withTasks`A key that signed a published app is the only one that can update it. Choose another name: ${task('createKey', '<name>')}`,
  });
}

/** Where keys are kept, below the project. */
export const KEY_FOLDER = 'keys';

export const defaultKeyPath = (name: string): string => `${KEY_FOLDER}/${name}.p12`;

/**
 * Names a new key in `hull.json`, and as the one that signs where none is named yet.
 *
 * @param platform whose packages it signs
 * @returns whether anything was written
 */
export async function nameKey(
  project: Project,
  name: string,
  key: { readonly file: string; readonly alias: string },
  platform: 'android' | 'apple' = 'android',
): Promise<boolean> {
  const changes = await editProject(project, ({ settings }) => [
    ...(settings.keys[name] === undefined ? [{ path: ['keys', name], value: key }] : []),
    ...(settings[platform].key === undefined ? [{ path: [platform, 'key'], value: name }] : []),
  ]);
  return changes.length > 0;
}

/** Throws `keys.bad-name` where a name cannot be that of a key in `hull.json`. */
export function checkKeyName(name: string): void {
  if (/^[a-z0-9][a-z0-9._-]{0,62}$/.test(name)) return;
  throw new HullError('keys.bad-name', `"${name}" cannot name a key.`, {
    fix: 'Use lower-case letters, digits, dots and hyphens, as in release or upload-2026.',
  });
}

/** Version control must never take a key; a folder that has rules of its own is left alone. */
async function guardFolder(dir: string): Promise<void> {
  const rules = '# Keys and passwords stay out of version control.\n*\n';
  const file = join(dir, '.gitignore');
  if (existsSync(file)) return;
  try {
    await writeNewFile(file, new TextEncoder().encode(rules), 0o644, () => keyExists(file));
  } catch (error) {
    // Another run makes a key in this folder at the same moment, and wrote the rules.
    if (!(error instanceof HullError && error.code === 'keys.exists')) throw error;
  }
}

/**
 * Writes a new keystore that only its owner reads.
 *
 * @param folder `guarded` where the folder is ours, and gets rules that keep version control away
 */
export async function keepKeystore(
  file: string,
  bytes: Uint8Array,
  folder: 'guarded' | 'as-is',
): Promise<void> {
  await makeFolder(dirname(file));
  if (folder === 'guarded') await guardFolder(dirname(file));
  await writeNewFile(file, bytes, 0o600, () => keyExists(file));
}

const DEBUG_ALIAS = 'debug';
/** No secret: anyone who can read the file may sign debug packages, and nothing else. */
const DEBUG_PASSWORD = 'debug-packages-only';
const DEBUG_YEARS = 30;

/**
 * Opens the key of packages that are never released, made when it is needed first.
 *
 * @param file where it is kept: outside of any project, so that no project can lose or publish it
 */
export async function openDebugKey(file: string): Promise<SigningPlan> {
  if (!existsSync(file)) {
    const { createIdentity } = await import('../keys/create.js');
    const identity = await createIdentity({
      alias: DEBUG_ALIAS,
      key: { type: 'rsa', bits: 2048 },
      commonName: 'Jolly Hull debug',
      years: DEBUG_YEARS,
      from: new Date(),
    });
    try {
      await keepKeystore(file, await writePkcs12(identity, DEBUG_PASSWORD), 'as-is');
    } catch (error) {
      // Another run has made it meanwhile.
      if (!existsSync(file)) throw error;
    }
  }
  return openIdentity(file, DEBUG_ALIAS, DEBUG_PASSWORD);
}
