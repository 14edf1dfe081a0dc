import { existsSync } from 'node:fs';
import { HullError } from '../errors.js';
import { type CertificateFacts, certificateFacts } from '../keys/fingerprint.js';
import { chooseKey } from '../keys/open.js';
import {
  CAPABILITIES,
  type LineageCapability,
  succeed,
  USUAL_CAPABILITIES,
  writeLineageFile,
} from '../platforms/android/signing/lineage.js';
import { badSince, DEFAULT_SINCE, isSinceLevel, readLineage } from '../platforms/android/signing/plan.js';
import { changeProject } from '../project/edit.js';
import { readProject } from '../project/project.js';
import { writeNewFile } from '../util/files.js';
import { openKey, type PasswordOf } from './passwords.js';

export interface RotateKeyOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Name of the key that signs the app today. */
  readonly from: string;
  /** Name of the key that follows. */
  readonly to: string;
  /** API level from which the new key counts: 28, or 33 and later. */
  readonly since?: number | undefined;
  /** What the old key keeps. */
  readonly keeps?: readonly string[] | undefined;
  readonly password: PasswordOf;
}

export interface RotatedKey {
  /** File of the lineage, as it is written in `hull.json`. */
  readonly path: string;
  readonly file: string;
  readonly since: number;
  readonly keeps: readonly LineageCapability[];
  /** Certificates, the oldest first. */
  readonly lineage: readonly CertificateFacts[];
}

function readKeeps(names: readonly string[] | undefined): readonly LineageCapability[] {
  if (names === undefined) return USUAL_CAPABILITIES;
  return names.map((name) => {
    if (Object.hasOwn(CAPABILITIES, name)) return name as LineageCapability;
    throw new HullError('keys.bad-capability', `"${name}" is nothing that an older key may keep.`, {
      location: { option: 'keeps' },
      fix: `Choose from ${Object.keys(CAPABILITIES).join(', ')}; or nothing.`,
    });
  });
}

/**
 * Lets the old key vouch for the new one (APK Signature Scheme v3, "proof of rotation"). Packages are signed with both from
 * then on; neither key is changed.
 *
 * @throws HullError `keys.*`, `signing.*`, `config.*`
 */
export async function rotateKey(options: RotateKeyOptions): Promise<RotatedKey> {
  const project = readProject(options.project ?? '.');
  const { from, to, since = DEFAULT_SINCE } = options;
  const [old, next] = [chooseKey(project, from), chooseKey(project, to)];
  if (next.config.succeeds !== undefined) {
    throw new HullError('keys.exists', `The key "${to}" succeeds "${next.config.succeeds}" already.`, {
      location: project.location('/keys'),
      fix: 'Make a new key, and rotate to that one.',
    });
  }
  if (!isSinceLevel(since)) throw badSince('keys.bad-since', String(since), { option: 'since' });
  const keeps = readKeeps(options.keeps);
  const older = await openKey({ ...old, alias: old.config.alias }, options.password);
  const newer = await openKey({ ...next, alias: next.config.alias }, options.password);
  const before = old.config.lineage === undefined ? [] : readLineage(project.resolve(old.config.lineage));
  const lineage = succeed(before, older, newer, keeps);
  const path = next.path.replace(/(\.[^./]+)?$/, '.lineage');
  const file = project.resolve(path);
  const exists = () =>
    new HullError('keys.exists', 'There is a lineage here already; it was not touched.', {
      location: { file },
      fix: 'Move it away if it belongs to another app.',
    });
  if (existsSync(file)) throw exists();
  await writeNewFile(file, writeLineageFile(lineage), 0o644, exists);
  await changeProject(project, [
    { path: ['keys', to, 'succeeds'], value: from },
    { path: ['keys', to, 'lineage'], value: path },
    ...(since === DEFAULT_SINCE ? [] : [{ path: ['keys', to, 'since'], value: since }]),
    { path: ['android', 'key'], value: to },
  ]);
  return { path, file, since, keeps, lineage: lineage.map((level) => certificateFacts(level.certificate)) };
}
