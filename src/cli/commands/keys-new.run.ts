import { createKey, type Subject } from '../../core/tasks/create-key.js';
import type { OptionsOf } from '../define-command.js';
import { labelled } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { newPasswordOf } from '../terminal/passwords.js';
import { keyTable } from './key-table.js';
import type { declare } from './keys-new.js';

type KeysNewOptions = OptionsOf<typeof declare>;

/** Who the certificate says it is of: asked on a terminal, with what was given or the app's name as the answer. */
async function subjectOf(io: Io, options: KeysNewOptions, suggested: Subject): Promise<Subject> {
  const { commonName = suggested.commonName, organization, country } = options;
  if (!io.interactive || options.commonName !== undefined) return { commonName, organization, country };
  const { input } = await import('@inquirer/prompts');
  const context = { output: process.stderr, signal: io.signal };
  io.note(
    `${io.paint.dim('certificate')} It names who signs, and can never be changed. Nobody checks it, and users hardly see it: the app’s name is enough.`,
  );
  const typedName = await input(
    {
      message: 'Name in the certificate',
      default: commonName,
      validate: (text) => text.length <= 64 || 'At most 64 characters.',
    },
    context,
  );
  const typedOrganization = await input(
    { message: 'Organization (may stay empty)', default: organization ?? '' },
    context,
  );
  const typedCountry = await input(
    {
      message: 'Country, two capital letters (may stay empty)',
      default: country ?? '',
      validate: (text) => text === '' || /^[A-Z]{2}$/.test(text) || 'As in NO or PT; or empty.',
    },
    context,
  );
  return {
    commonName: typedName,
    organization: typedOrganization || undefined,
    country: typedCountry || undefined,
  };
}

export async function run(io: Io, options: KeysNewOptions, name: string): Promise<void> {
  const created = await createKey({
    project: options.project,
    name,
    file: options.file,
    subject: (suggested) => subjectOf(io, options, suggested),
    key:
      options.curve === undefined
        ? { type: 'rsa', bits: Number(options.bits) as 2048 | 3072 | 4096 }
        : { type: 'ec', curve: options.curve },
    years: Number(options.years),
    password: newPasswordOf(io, options),
  });
  const { file, path, alias, certificate, named } = created;
  if (io.json) {
    emit(io, 'keys new', { name, file: jsonPath(io, file), alias, certificate });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(`Key "${name}"`)} made in ${path}${named ? ', and named in hull.json' : ''}`);
  io.out(keyTable(certificate));
  io.note(
    labelled(
      paint.warn('keep it'),
      'This file and its password are the app’s identity. If you lose either, you can never update the app again. Copy the file to two safe places, and the password apart from it.',
      io.width,
    ),
  );
  io.note(`${paint.dim('next')} hull pack apk`);
}
