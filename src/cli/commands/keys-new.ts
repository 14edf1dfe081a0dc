import { existsSync } from 'node:fs';
import { createIdentity } from '../../core/keys/create.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { writePkcs12 } from '../../core/keys/pkcs12.js';
import { readProject } from '../../core/project/project.js';
import { pathFrom } from '../../core/util/files.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { checkKeyName, defaultKeyPath, keepKeystore, keyExists, keyTable, nameKey } from '../key-files.js';
import { newPassword } from '../passwords.js';

export interface KeysNewOptions extends CommonOptions {
  readonly file?: string;
  readonly commonName?: string;
  readonly organization?: string;
  readonly country?: string;
  readonly bits: string;
  readonly curve?: 'P-256' | 'P-384';
  readonly years: string;
  readonly passwordFile?: string;
}

/** Who the certificate says it is of: asked on a terminal, with what was given or the app's name as the answer. */
async function subjectOf(io: Io, options: KeysNewOptions, appName: string) {
  const given = {
    commonName: options.commonName ?? appName.slice(0, 64),
    organization: options.organization,
    country: options.country,
  };
  if (!io.interactive || options.commonName !== undefined) return given;
  const { input } = await import('@inquirer/prompts');
  const context = { output: process.stderr, signal: io.signal };
  io.note(
    `${io.paint.dim('certificate')} It names who signs, and can never be changed. Nobody checks it, and users hardly see it: the app’s name is enough.`,
  );
  const commonName = await input(
    {
      message: 'Name in the certificate',
      default: given.commonName,
      validate: (text) => text.length <= 64 || 'At most 64 characters.',
    },
    context,
  );
  const organization = await input(
    { message: 'Organization (may stay empty)', default: given.organization ?? '' },
    context,
  );
  const country = await input(
    {
      message: 'Country, two capital letters (may stay empty)',
      default: given.country ?? '',
      validate: (text) => text === '' || /^[A-Z]{2}$/.test(text) || 'As in NO or PT; or empty.',
    },
    context,
  );
  return { commonName, organization: organization || undefined, country: country || undefined };
}

export async function keysNew(io: Io, options: KeysNewOptions, name: string): Promise<void> {
  const project = readProject(options.project ?? '.');
  checkKeyName(name);
  const known = project.config.keys?.[name];
  const given = options.file === undefined ? undefined : pathFrom(project.dir, options.file);
  const path = given ?? known?.file ?? defaultKeyPath(name);
  const file = project.resolve(path);
  if (existsSync(file)) throw keyExists(file);
  const subject = await subjectOf(io, options, project.config.app.name);
  const password = await newPassword(io, options, path, name);
  const alias = known?.alias ?? name;
  const identity = await createIdentity({
    alias,
    key:
      options.curve === undefined
        ? { type: 'rsa', bits: Number(options.bits) as 2048 | 3072 | 4096 }
        : { type: 'ec', curve: options.curve },
    ...subject,
    years: Number(options.years),
    from: new Date(),
  });
  const keystore = await writePkcs12(identity, password);
  await keepKeystore(file, keystore, options.file === undefined && known === undefined ? 'guarded' : 'as-is');

  const isNamed = await nameKey(project, name, { file: path, alias });
  const facts = certificateFacts(identity.certificates[0] as Uint8Array);
  if (io.json) {
    outJson(io, { name, file, alias, certificate: facts });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(`Key "${name}"`)} made in ${path}${isNamed ? ', and named in hull.json' : ''}`);
  io.out(keyTable(facts));
  io.note(
    `${paint.warn('keep it')} This file and its password are the app’s identity. If you lose either, you can never`,
  );
  io.note('        update the app again. Copy the file to two safe places, and the password apart from it.');
  io.note(`${paint.dim('next')} hull pack apk`);
}
