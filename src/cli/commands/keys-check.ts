import { HullError } from '../../core/errors.js';
import { backupSheet, type SheetKey } from '../../core/keys/backup-sheet.js';
import { checkKeys } from '../../core/keys/check.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { chooseKey } from '../../core/keys/open.js';
import { readProject } from '../../core/project/project.js';
import { writeNewFile } from '../../core/util/files.js';
import { safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { openWithPassword } from '../open-key.js';
import { knownPasswords } from '../passwords.js';

export interface KeysCheckOptions extends CommonOptions {
  readonly sheet?: string;
  readonly passwordFile?: string;
}

export async function keysCheck(io: Io, options: KeysCheckOptions): Promise<number> {
  const project = readProject(options.project ?? '.');
  const names = Object.entries(project.config.keys ?? {}).flatMap(([name, { file }]) =>
    file === undefined ? [] : [name],
  );
  const found = checkKeys(project, knownPasswords(io, options, names), process.platform);
  if (options.sheet !== undefined) {
    const keys: SheetKey[] = [];
    for (const name of names) {
      const key = chooseKey(project, name);
      const identity = await openWithPassword(io, options, key);
      keys.push({
        name,
        file: key.path,
        alias: identity.alias,
        certificate: certificateFacts(identity.certificates[0] as Uint8Array),
        succeeds: key.config.succeeds,
      });
    }
    const sheet = backupSheet(project, keys, new Date().toISOString().slice(0, 10));
    await writeNewFile(
      options.sheet,
      new TextEncoder().encode(sheet),
      0o644,
      () =>
        new HullError('disk.exists', 'There is a file here already; it was not touched.', {
          place: { file: options.sheet as string },
          remedy: 'Somebody may have written on it. Name another file.',
        }),
    );
  }
  const code = found.some(({ severity }) => severity === 'danger') ? 1 : 0;
  if (io.json) {
    outJson(io, { keys: names, findings: found, ...(options.sheet ? { sheet: options.sheet } : {}) });
    return code;
  }
  const { paint } = io;
  for (const { saw, place, remedy } of found) {
    const where = `${place.file ?? ''}${place.line === undefined ? '' : `:${place.line}`}`;
    io.out(`${paint.bad('✗')} ${paint.bold(safe(where))}  ${safe(saw)}`);
    io.out(paint.dim(`  ${wrap(safe(remedy), 92, '  ')}`));
  }
  if (found.length === 0) {
    io.out(
      `${paint.good('Kept well:')} ${names.length === 1 ? 'the keystore is readable by its owner alone' : `${names.length} keystores are readable by their owner alone`}, out of version control, and no password was found written down.`,
    );
  }
  if (options.sheet !== undefined)
    io.out(`${paint.bold(safe(options.sheet))}  to print, fill in and keep apart from this computer`);
  else
    io.note(`${paint.dim('next')} hull keys check --sheet keys.md: a sheet for the safe, without a secret`);
  return code;
}
