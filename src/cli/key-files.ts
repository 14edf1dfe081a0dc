import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { HullError } from '../core/errors.js';
import type { CertificateFacts } from '../core/keys/fingerprint.js';
import { editProject } from '../core/project/edit.js';
import type { Project } from '../core/project/project.js';
import { makeFolder, writeNewFile } from '../core/util/files.js';
import { columns, safe } from './format.js';

/** Keystores as files: never written over, and kept out of version control. */

export function keyExists(file: string): HullError {
  return new HullError('keys.exists', 'There is a file here already; it was not touched.', {
    place: { file },
    remedy:
      'A key that signed a published app is the only one that can update it. Choose another name: hull keys new <name>',
  });
}

export const defaultKeyPath = (name: string): string => `keys/${name}.p12`;

/**
 * Names a new key in `hull.json`, and as the one that signs where none is named yet.
 *
 * @returns whether anything was written
 */
export async function nameKey(
  project: Project,
  name: string,
  key: { readonly file: string; readonly alias: string },
): Promise<boolean> {
  const changes = await editProject(project, ({ config: { keys, android } }) => [
    ...(keys?.[name] === undefined ? [{ path: ['keys', name], value: key }] : []),
    ...(android?.key === undefined ? [{ path: ['android', 'key'], value: name }] : []),
  ]);
  return changes.length > 0;
}

/** Throws `cli.usage` where a name cannot stand for a key in `hull.json`. */
export function checkKeyName(name: string): void {
  if (/^[a-z0-9][a-z0-9._-]{0,62}$/.test(name)) return;
  throw new HullError('cli.usage', `"${name}" cannot name a key.`, {
    remedy: 'Use lower-case letters, digits, dots and hyphens, as in release or upload-2026.',
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

/** What commands print of a key that they put into a keystore. */
export function keyTable(facts: CertificateFacts): string {
  return columns([
    ['subject', safe(facts.subject)],
    ['key', facts.key],
    ['valid until', facts.notAfter.slice(0, 10)],
    ['SHA-256', facts.sha256],
  ]);
}
