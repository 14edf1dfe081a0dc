import { existsSync } from 'node:fs';
import { HullError } from '../../core/errors.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { javaKeystoreAliases } from '../../core/keys/java-keystore.js';
import { noAlias, readKeystoreFile } from '../../core/keys/open.js';
import { readCertificates } from '../../core/keys/pem.js';
import { type KeystoreEntry, writePkcs12 } from '../../core/keys/pkcs12.js';
import { type KeyFilePasswords, keyFileKind, readAnyKeys } from '../../core/keys/read-any.js';
import { weaknesses } from '../../core/keys/weakness.js';
import { readProject } from '../../core/project/project.js';
import { readRegularFile } from '../../core/util/files.js';
import { safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { checkKeyName, defaultKeyPath, keepKeystore, keyExists, keyTable, nameKey } from '../key-files.js';
import { keyPassword, newPassword, OLD_REMEDY, oldPassword } from '../passwords.js';

export interface KeysImportOptions extends CommonOptions {
  readonly as: string;
  readonly alias?: string;
  readonly certificate?: string;
  readonly passwordFile?: string;
  readonly oldPasswordFile?: string;
  readonly keyPasswordFile?: string;
}

const CHOOSE = 'Choose one with --alias';

/** Asks which of several keys is meant; an error that lists them where nobody can be asked. */
async function pick(
  io: Io,
  choices: readonly { readonly name: string; readonly value: string }[],
  file: string,
): Promise<string> {
  if (!io.interactive) {
    throw noAlias(
      undefined,
      choices.map(({ value }) => value),
      file,
      CHOOSE,
    );
  }
  const { select } = await import('@inquirer/prompts');
  return select({ message: 'Which key', choices }, { output: process.stderr, signal: io.signal });
}

async function choose(io: Io, entries: readonly KeystoreEntry[], alias: string | undefined, file: string) {
  const [only] = entries;
  if (alias === undefined && entries.length === 1 && only) return only;
  const choices = entries.map((entry) => ({
    name: `${safe(entry.alias)}  ${safe(certificateFacts(entry.certificates[0] as Uint8Array).subject)}`,
    value: entry.alias,
  }));
  const wanted = alias ?? (await pick(io, choices, file));
  const found = entries.find((entry) => entry.alias.toLowerCase() === wanted.toLowerCase());
  if (found === undefined) {
    throw noAlias(
      alias,
      entries.map((entry) => entry.alias),
      file,
      CHOOSE,
    );
  }
  return found;
}

export async function keysImport(io: Io, options: KeysImportOptions, source: string): Promise<void> {
  const project = readProject(options.project ?? '.');
  const name = options.as;
  checkKeyName(name);
  const bytes = readKeystoreFile(source);
  const known = project.config.keys?.[name];
  const path = known?.file ?? defaultKeyPath(name);
  const file = project.resolve(path);
  if (existsSync(file)) throw keyExists(file);
  const kind = keyFileKind(bytes);
  const isJava = kind === 'JKS' || kind === 'JCEKS';
  // Aliases of these are open to read: a wrong one is told before a password is asked for.
  const aliases = isJava ? javaKeystoreAliases(bytes) : [];
  if (
    isJava &&
    options.alias !== undefined &&
    !aliases.some((one) => one.toLowerCase() === options.alias?.toLowerCase())
  ) {
    throw noAlias(options.alias, aliases, source, CHOOSE);
  }
  // They may have a password each, so that one is chosen before any is opened.
  const alias =
    options.alias ??
    (aliases.length > 1
      ? await pick(
          io,
          aliases.map((one) => ({ name: safe(one), value: one })),
          source,
        )
      : undefined);
  const needsPassword =
    isJava || kind === 'PKCS#12' || Buffer.from(bytes).includes('ENCRYPTED') || kind === 'DER';
  const passwords: KeyFilePasswords = needsPassword
    ? await oldPassword(io, options, source)
    : { store: undefined };
  const more =
    options.certificate === undefined ? [] : readCertificates(readRegularFile(options.certificate));
  const read = (given: KeyFilePasswords) => readAnyKeys(bytes, given, isJava ? alias : undefined, more);
  let entries: readonly KeystoreEntry[];
  try {
    ({ entries } = await read(passwords).catch(async (error: unknown) => {
      const hasOwn = error instanceof HullError && error.code === 'keys.wrong-key-password';
      if (!hasOwn || !io.interactive || passwords.key !== undefined) throw error;
      return read({ ...passwords, key: await keyPassword(io, source) });
    }));
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    const place = { ...error.place, file: source };
    throw error.code === 'keys.wrong-password'
      ? new HullError(error.code, error.message, { place, remedy: OLD_REMEDY, cause: error })
      : error.at(place);
  }
  const found = await choose(io, entries, alias, source);
  const chosen = { ...found, alias: found.alias === '' ? name : found.alias };
  const password = await newPassword(io, options, path, name);
  const keystore = await writePkcs12(chosen, password);
  await keepKeystore(file, keystore, known === undefined ? 'guarded' : 'as-is');
  await nameKey(project, name, { file: path, alias: chosen.alias });
  const certificate = chosen.certificates[0] as Uint8Array;
  const facts = certificateFacts(certificate);
  if (io.json) {
    outJson(io, { name, file, alias: chosen.alias, from: { file: source, kind }, certificate: facts });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(`Key "${name}"`)} adopted from ${safe(source)} (${kind}) into ${path}; the original is as it was`,
  );
  io.out(keyTable(facts));
  for (const { saw } of weaknesses(certificate, new Date())) io.note(`${paint.warn('!')} ${safe(saw)}`);
  io.note(`${paint.dim('next')} hull keys check`);
}
