import { existsSync } from 'node:fs';
import { createIdentity } from '../keys/create.js';
import { type CertificateFacts, certificateFacts } from '../keys/fingerprint.js';
import { writePkcs12 } from '../keys/pkcs12.js';
import { type Project, readProject } from '../project/project.js';
import { pathFrom } from '../util/files.js';
import { checkKeyName, defaultKeyPath, keepKeystore, keyExists, nameKey } from './key-files.js';
import type { PasswordOf } from './passwords.js';

/** Who a certificate names. */
export interface Subject {
  /** 1 to 64 characters. */
  readonly commonName: string;
  readonly organization?: string | undefined;
  /** Two capital letters (ISO 3166-1). */
  readonly country?: string | undefined;
}

export interface CreateKeyOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Name of the key in `hull.json`; by default `release`. */
  readonly name?: string | undefined;
  /** Keystore to make, relative to the working folder; by default `keys/<name>.p12` of the project. */
  readonly file?: string | undefined;
  /** By default the app's name alone. */
  readonly subject?: ((suggested: Subject) => Subject | Promise<Subject>) | undefined;
  readonly key?:
    | { readonly type: 'rsa'; readonly bits: 2048 | 3072 | 4096 }
    | { readonly type: 'ec'; readonly curve: 'P-256' | 'P-384' }
    | undefined;
  /** How long the certificate is valid: 27 to 100. */
  readonly years?: number | undefined;
  /** Gives the new keystore's password. */
  readonly password: PasswordOf;
}

export interface CreatedKey {
  readonly name: string;
  /** As it is written in `hull.json`. */
  readonly path: string;
  readonly file: string;
  readonly alias: string;
  readonly certificate: CertificateFacts;
  /** Whether `hull.json` was changed to name it. */
  readonly named: boolean;
}

/** Where a key's new keystore goes. Throws `keys.exists`, `keys.bad-name`. */
export function newKeystore(
  project: Project,
  name: string,
  given: string | undefined,
): { readonly path: string; readonly file: string; readonly isOurs: boolean } {
  checkKeyName(name);
  const known = project.settings.keys[name]?.file;
  const path =
    (given === undefined ? undefined : pathFrom(project.dir, given)) ?? known ?? defaultKeyPath(name);
  const file = project.resolve(path);
  if (existsSync(file)) throw keyExists(file);
  return { path, file, isOurs: given === undefined && known === undefined };
}

/**
 * Makes a signing key with a self-signed certificate in a new PKCS#12 keystore, and names it in `hull.json`.
 *
 * @throws HullError `keys.exists`, `keys.bad-name`, `keys.bad-subject`, `keys.password-unfit`, `config.*`
 */
export async function createKey(options: CreateKeyOptions): Promise<CreatedKey> {
  const project = readProject(options.project ?? '.');
  const { name = 'release', years = 30, key = { type: 'rsa', bits: 3072 } as const } = options;
  const { path, file, isOurs } = newKeystore(project, name, options.file);
  const suggested: Subject = { commonName: project.settings.app.name.slice(0, 64) };
  const subject = (await options.subject?.(suggested)) ?? suggested;
  const password = await options.password({ name, path });
  const alias = project.settings.keys[name]?.alias ?? name;
  const identity = await createIdentity({
    alias,
    key,
    commonName: subject.commonName,
    organization: subject.organization,
    country: subject.country,
    years,
    from: new Date(),
  });
  await keepKeystore(file, await writePkcs12(identity, password), isOurs ? 'guarded' : 'as-is');
  const named = await nameKey(project, name, { file: path, alias });
  const certificate = certificateFacts(identity.certificates[0] as Uint8Array);
  return { name, path, file, alias, certificate, named };
}
