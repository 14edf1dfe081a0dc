import { existsSync, readFileSync } from 'node:fs';
import { HullError } from '../../core/errors.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { javaKeystoreAliases } from '../../core/keys/java-keystore.js';
import { noAlias, readKeystoreFile } from '../../core/keys/open.js';
import { readCertificates } from '../../core/keys/pem.js';
import { type KeystoreEntry, writePkcs12 } from '../../core/keys/pkcs12.js';
import { keyFileKind, readAnyKeys } from '../../core/keys/read-any.js';
import { weaknesses } from '../../core/keys/weakness.js';
import { readProject } from '../../core/project/project.js';
import { columns, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { checkKeyName, defaultKeyPath, keepKeystore, keyExists, nameKey } from '../key-files.js';
import { newPassword, oldPassword } from '../passwords.js';

export interface KeysAdoptOptions extends CommonOptions {
  readonly as: string;
  readonly alias?: string;
  readonly certificate?: string;
  readonly passwordFile?: string;
  readonly oldPasswordFile?: string;
  readonly keyPasswordFile?: string;
}

const CHOOSE = 'Choose one with --alias';

async function choose(io: Io, entries: readonly KeystoreEntry[], alias: string | undefined, file: string) {
  const aliases = entries.map((entry) => entry.alias);
  if (alias !== undefined) {
    const found = entries.find((entry) => entry.alias.toLowerCase() === alias.toLowerCase());
    if (found === undefined) throw noAlias(alias, aliases, file, CHOOSE);
    return found;
  }
  const [only] = entries;
  if (entries.length === 1 && only) return only;
  if (!io.interactive) throw noAlias(undefined, aliases, file, CHOOSE);
  const { select } = await import('@inquirer/prompts');
  return select(
    {
      message: 'Which key',
      choices: entries.map((entry) => ({
        name: `${safe(entry.alias)}  ${safe(certificateFacts(entry.certificates[0] as Uint8Array).subject)}`,
        value: entry,
      })),
    },
    { output: process.stderr, signal: io.signal },
  );
}

export async function keysAdopt(io: Io, options: KeysAdoptOptions, source: string): Promise<void> {
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
  const needsPassword =
    isJava || kind === 'PKCS#12' || Buffer.from(bytes).includes('ENCRYPTED') || kind === 'DER';
  const passwords = needsPassword ? await oldPassword(io, options, source) : { store: undefined };
  const more = options.certificate === undefined ? [] : readCertificates(readFileSync(options.certificate));
  let entries: readonly KeystoreEntry[];
  try {
    ({ entries } = await readAnyKeys(
      bytes,
      passwords,
      isJava && aliases.length > 1 ? options.alias : undefined,
      more,
    ));
  } catch (error) {
    throw error instanceof HullError ? error.at({ file: source }) : error;
  }
  const chosen = await choose(io, entries, options.alias, source);
  const alias = chosen.alias === '' ? name : chosen.alias;
  const password = await newPassword(io, options, path, name);
  const keystore = await writePkcs12({ ...chosen, alias }, password);
  await keepKeystore(file, keystore, known === undefined ? 'guarded' : 'as-is');
  await nameKey(project, name, { file: path, alias });
  const certificate = chosen.certificates[0] as Uint8Array;
  const facts = certificateFacts(certificate);
  if (io.json) {
    outJson(io, { name, file, alias, from: { file: source, kind }, certificate: facts });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(`Key "${name}"`)} adopted from ${safe(source)} (${kind}) into ${path}; the original is as it was`,
  );
  io.out(
    columns([
      ['subject', safe(facts.subject)],
      ['key', facts.key],
      ['valid until', facts.notAfter.slice(0, 10)],
      ['SHA-256', facts.sha256],
    ]),
  );
  for (const { saw } of weaknesses(certificate, new Date())) io.note(`${paint.warn('!')} ${safe(saw)}`);
  io.note(`${paint.dim('next')} hull keys check`);
}
