import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { type CertificateFacts, certificateFacts } from '../keys/fingerprint.js';
import { javaKeystoreAliases } from '../keys/java-keystore.js';
import { noAlias, readKeystoreFile } from '../keys/open.js';
import { readCertificates } from '../keys/pem.js';
import { type KeystoreEntry, writePkcs12 } from '../keys/pkcs12.js';
import { type KeyFilePasswords, keyFileKind, readAnyKeys } from '../keys/read-any.js';
import { weaknesses } from '../keys/weakness.js';
import { readProject } from '../project/project.js';
import { readRegularFile } from '../util/files.js';
import { newKeystore } from './create-key.js';
import { keepKeystore, nameKey } from './key-files.js';
import type { PasswordOf } from './passwords.js';

/** One of several keys in a file. */
export interface KeyChoice {
  readonly alias: string;
  /** Subject of its certificate, where that can be read without a password. */
  readonly subject?: string;
}

export interface ImportKeyOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** PKCS#12, JKS, JCEKS, PEM or DER file; it is not changed. */
  readonly source: string;
  /** Name of the key in `hull.json`; by default `release`. */
  readonly name?: string | undefined;
  /** Which key, where the file holds several. */
  readonly alias?: string | undefined;
  /** Chooses one of several where no alias is given; without it that is an error. */
  readonly choose?: ((choices: readonly KeyChoice[]) => Promise<string>) | undefined;
  /** File of certificates, where the source holds a key alone. */
  readonly certificate?: string | undefined;
  /** Gives the password of the source; called where it needs one. */
  readonly sourcePassword: () => Promise<{ readonly store: string; readonly key?: string | undefined }>;
  /** Gives the password of the key itself, called once it is known to have one of its own. */
  readonly keyPassword?: (() => Promise<string>) | undefined;
  /** Gives the new keystore's password. */
  readonly password: PasswordOf;
}

export interface ImportedKey {
  readonly name: string;
  /** The new keystore, as it is written in `hull.json`. */
  readonly path: string;
  readonly file: string;
  readonly alias: string;
  readonly from: { readonly file: string; readonly kind: string };
  readonly certificate: CertificateFacts;
  /** What is weak about the certificate. */
  readonly findings: readonly Finding[];
}

const CHOOSE = 'Choose one of these aliases';

const sameAlias = (one: string, other: string) => one.toLowerCase() === other.toLowerCase();

async function chooseEntry(
  entries: readonly KeystoreEntry[],
  alias: string | undefined,
  { source, choose }: ImportKeyOptions,
): Promise<KeystoreEntry> {
  const aliases = entries.map((entry) => entry.alias);
  const [only] = entries;
  if (alias === undefined && entries.length === 1 && only) return only;
  if (alias === undefined && !choose) throw noAlias(undefined, aliases, source, CHOOSE);
  const choices = entries.map((entry) => ({
    alias: entry.alias,
    subject: certificateFacts(entry.certificates[0] as Uint8Array).subject,
  }));
  const wanted = alias ?? (await choose?.(choices)) ?? '';
  const found = entries.find((entry) => sameAlias(entry.alias, wanted));
  if (found === undefined) throw noAlias(alias, aliases, source, CHOOSE);
  return found;
}

/** Which key of a Java keystore is meant: its aliases can be read without a password, and each key may have its own. */
async function chooseJavaAlias(bytes: Uint8Array, options: ImportKeyOptions): Promise<string | undefined> {
  const aliases = javaKeystoreAliases(bytes);
  const { alias, choose, source } = options;
  if (alias !== undefined) {
    if (!aliases.some((one) => sameAlias(one, alias))) throw noAlias(alias, aliases, source, CHOOSE);
    return alias;
  }
  if (aliases.length <= 1) return undefined;
  if (!choose) throw noAlias(undefined, aliases, source, CHOOSE);
  return choose(aliases.map((one) => ({ alias: one })));
}

/**
 * Copies a key out of a keystore of any age and kind into a new PKCS#12 keystore, and names it in `hull.json`. The source is
 * not changed.
 *
 * @throws HullError `keys.*`, `file.missing`, `config.*`
 */
export async function importKey(options: ImportKeyOptions): Promise<ImportedKey> {
  const { source, name = 'release' } = options;
  const project = readProject(options.project ?? '.');
  const bytes = readKeystoreFile(source);
  const { path, file, isOurs } = newKeystore(project, name, undefined);
  const kind = keyFileKind(bytes);
  const isJava = kind === 'JKS' || kind === 'JCEKS';
  const alias = isJava ? await chooseJavaAlias(bytes, options) : options.alias;
  const needsPassword =
    isJava || kind === 'PKCS#12' || kind === 'DER' || Buffer.from(bytes).includes('ENCRYPTED');
  const passwords: KeyFilePasswords = needsPassword ? await options.sourcePassword() : { store: undefined };
  const more =
    options.certificate === undefined ? [] : readCertificates(readRegularFile(options.certificate));
  const read = (given: KeyFilePasswords) => readAnyKeys(bytes, given, isJava ? alias : undefined, more);
  let entries: readonly KeystoreEntry[];
  try {
    ({ entries } = await read(passwords).catch(async (error: unknown) => {
      const hasOwn = error instanceof HullError && error.code === 'keys.wrong-key-password';
      if (!hasOwn || !options.keyPassword || passwords.key !== undefined) throw error;
      return read({ ...passwords, key: await options.keyPassword() });
    }));
  } catch (error) {
    throw error instanceof HullError ? error.at({ ...error.location, file: source }) : error;
  }
  const found = await chooseEntry(entries, alias, options);
  const chosen = { ...found, alias: found.alias === '' ? name : found.alias };
  const password = await options.password({ name, path });
  await keepKeystore(file, await writePkcs12(chosen, password), isOurs ? 'guarded' : 'as-is');
  await nameKey(project, name, { file: path, alias: chosen.alias });
  const certificate = chosen.certificates[0] as Uint8Array;
  return {
    name,
    path,
    file,
    alias: chosen.alias,
    from: { file: source, kind },
    certificate: certificateFacts(certificate),
    findings: weaknesses(certificate, new Date(), { file }),
  };
}
