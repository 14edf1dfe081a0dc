import { existsSync } from 'node:fs';
import { HullError } from '../../core/errors.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { chooseKey, openIdentity, readKeystoreFile } from '../../core/keys/open.js';
import {
  CAPABILITIES,
  type Capability,
  succeed,
  USUAL_CAPABILITIES,
  writeLineageFile,
} from '../../core/platforms/android/signing/lineage.js';
import {
  badSince,
  DEFAULT_SINCE,
  isSinceLevel,
  readLineage,
} from '../../core/platforms/android/signing/plan.js';
import { changeProject } from '../../core/project/edit.js';
import { readProject } from '../../core/project/project.js';
import { writeNewFile } from '../../core/util/files.js';
import { columns } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { passwordFor } from '../passwords.js';

export interface KeysRotateOptions extends CommonOptions {
  readonly since: string;
  readonly keeps?: string;
  readonly passwordFile?: string;
}

function readKeeps(text: string | undefined): readonly Capability[] {
  if (text === undefined) return USUAL_CAPABILITIES;
  return text.split(',').flatMap((part) => {
    const name = part.trim();
    if (name === '' || name === 'nothing') return [];
    if (Object.hasOwn(CAPABILITIES, name)) return [name as Capability];
    throw new HullError('cli.usage', `"${name}" is nothing that an older key may keep.`, {
      remedy: `Choose from ${Object.keys(CAPABILITIES).join(', ')}; or nothing.`,
    });
  });
}

/** The old key vouches for the new one; packages are signed with the new one from then on. */
export async function keysRotate(
  io: Io,
  options: KeysRotateOptions,
  from: string,
  to: string,
): Promise<void> {
  const project = readProject(options.project ?? '.');
  const [old, next] = [chooseKey(project, from), chooseKey(project, to)];
  if (next.config.succeeds !== undefined) {
    throw new HullError('keys.exists', `The key "${to}" succeeds "${next.config.succeeds}" already.`, {
      place: project.place('/keys'),
      remedy: 'Make a new key, and let that one succeed.',
    });
  }
  const since = Number(options.since);
  if (!isSinceLevel(since)) throw badSince('cli.usage', options.since, { option: '--since' });
  const keeps = readKeeps(options.keeps);
  const open = async (key: typeof old) => {
    readKeystoreFile(key.file);
    return openIdentity(key.file, key.config.alias, await passwordFor(io, options, key.path, key.name));
  };
  const [older, newer] = [await open(old), await open(next)];
  const before = old.config.lineage === undefined ? [] : readLineage(project.resolve(old.config.lineage));
  const lineage = succeed(before, older, newer, keeps);
  const path = next.path.replace(/(\.[^./]+)?$/, '.lineage');
  const file = project.resolve(path);
  const exists = () =>
    new HullError('keys.exists', 'There is a lineage here already; it was not touched.', {
      place: { file },
      remedy: 'Move it away if it belongs to another app.',
    });
  if (existsSync(file)) throw exists();
  await writeNewFile(file, writeLineageFile(lineage), 0o644, exists);
  await changeProject(project, [
    { path: ['keys', to, 'succeeds'], value: from },
    { path: ['keys', to, 'lineage'], value: path },
    ...(since === DEFAULT_SINCE ? [] : [{ path: ['keys', to, 'since'], value: since }]),
    { path: ['android', 'key'], value: to },
  ]);
  const certificates = lineage.map((level) => certificateFacts(level.certificate));
  if (io.json) {
    outJson(io, { file, since, keeps, lineage: certificates });
    return;
  }
  io.out(`${io.paint.bold(`"${to}" succeeds "${from}"`)} from API ${since} on; the lineage is in ${path}`);
  io.out(columns(certificates.map((one, index) => [`${index + 1}`, one.subject, one.sha256])));
  io.note(
    `${io.paint.warn('keep both')} Older devices go on with the first key: every package is signed with both. The lineage holds no secret; keep it with the keys.`,
  );
}
