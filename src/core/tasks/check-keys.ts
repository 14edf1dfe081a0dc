import { HullError, type SayTask } from '../errors.js';
import type { Finding } from '../finding.js';
import { backupSheet, type SheetKey } from '../keys/backup-sheet.js';
import { findKeyDangers } from '../keys/check.js';
import { certificateFacts } from '../keys/fingerprint.js';
import { chooseKey } from '../keys/open.js';
import { readProject } from '../project/project.js';
import { writeNewFile } from '../util/files.js';
import { openKey, type PasswordOf } from './passwords.js';

export interface CheckKeysOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Passwords that are known, so that they are found wherever they are written down. */
  readonly knownPasswords?: ((names: readonly string[]) => readonly string[]) | undefined;
  /** File for a backup sheet to print; it must not exist. */
  readonly sheet?: string | undefined;
  /** Needed for a sheet: it shows the certificates. */
  readonly password: PasswordOf;
  /** How tasks are named on the sheet. */
  readonly say?: SayTask | undefined;
}

export interface CheckedKeys {
  /** Names of keys whose keystores are here. */
  readonly keys: readonly string[];
  readonly findings: readonly Finding[];
  readonly sheet?: string;
}

/** A sheet for the safe: fingerprints and uses, no secret. Throws `disk.exists`, `keys.*`. */
async function writeSheet(file: string, names: readonly string[], options: CheckKeysOptions): Promise<void> {
  const project = readProject(options.project ?? '.');
  const keys: SheetKey[] = [];
  for (const name of names) {
    const key = chooseKey(project, name);
    const identity = await openKey({ ...key, alias: key.config.alias }, options.password);
    keys.push({
      name,
      file: key.path,
      alias: identity.alias,
      certificate: certificateFacts(identity.certificates[0] as Uint8Array),
      succeeds: key.config.succeeds,
    });
  }
  const sheet = backupSheet(project, keys, new Date().toISOString().slice(0, 10), options.say);
  const exists = () =>
    new HullError('disk.exists', 'There is a file here already; it was not touched.', {
      location: { file },
      fix: 'Somebody may have written on it. Name another file.',
    });
  await writeNewFile(file, new TextEncoder().encode(sheet), 0o644, exists);
}

/**
 * Judges how a project's keys are kept: who can read them, whether version control has them or would take them, where
 * passwords are written down.
 *
 * @throws HullError `config.*`, and with a sheet `keys.*`, `disk.exists`
 */
export async function checkKeys(options: CheckKeysOptions): Promise<CheckedKeys> {
  const project = readProject(options.project ?? '.');
  const names = Object.entries(project.settings.keys).flatMap(([name, { file }]) =>
    file === undefined ? [] : [name],
  );
  const findings = findKeyDangers(project, options.knownPasswords?.(names) ?? [], process.platform);
  const { sheet } = options;
  if (sheet !== undefined) await writeSheet(sheet, names, options);
  return { keys: names, findings, ...(sheet === undefined ? {} : { sheet }) };
}
