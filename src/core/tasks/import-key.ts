import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { readIssued } from '../keys/certification-request.js';
import { chainOf, readChainCertificates } from '../keys/chain.js';
import { type CertificateFacts, certificateFacts } from '../keys/fingerprint.js';
import { javaKeystoreAliases } from '../keys/java-keystore.js';
import { noAlias, readKeystoreFile } from '../keys/open.js';
import { readCertificates, readKeyFile } from '../keys/pem.js';
import { type KeystoreEntry, writePkcs12 } from '../keys/pkcs12.js';
import { type KeyFilePasswords, keyFileKind, readAnyKeys } from '../keys/read-any.js';
import {
  type AppleCertificate,
  appleCertificate,
  missingIssuer,
} from '../platforms/apple/signing/judge-certificate.js';
import { type Project, readProject } from '../project/project.js';
import { readRegularFile } from '../util/files.js';
import { trustedRoot } from './apple-signing.js';
import { newKeystore } from './create-key.js';
import { judgeCertificates } from './judge-certificates.js';
import { keepKeystore, nameKey } from './key-files.js';
import { type PasswordOf, withPassword } from './passwords.js';
import { answeredRequest, type PendingRequest } from './request-certificate.js';

/** One of several keys in a file. */
export interface KeyChoice {
  readonly alias: string;
  /** Subject of its certificate, where that can be read without a password. */
  readonly subject?: string;
}

export interface ImportKeyOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** PKCS#12, JKS, JCEKS, PEM or DER file, or a certificate that was issued for a request; it is not changed. */
  readonly source: string;
  /** Name of the key in `hull.json`; by default `release`, or that of the request. */
  readonly name?: string | undefined;
  /** Which key, where the file holds several. */
  readonly alias?: string | undefined;
  /** Chooses one of several where no alias is given; without it that is an error. */
  readonly choose?: ((choices: readonly KeyChoice[]) => Promise<string>) | undefined;
  /** Files of certificates that go along: the key's own where the source holds a key alone, and its issuers'. */
  readonly certificates?: readonly string[] | undefined;
  /** Gives the password of the source; called where it needs one. */
  readonly sourcePassword: () => Promise<{ readonly store: string; readonly key?: string | undefined }>;
  /** Gives the password of the key itself, called once it is known to have one of its own. */
  readonly keyPassword?: (() => Promise<string>) | undefined;
  /** Gives the new keystore's password. */
  readonly password: PasswordOf;
  /** Gives the password of a request's key, which its keystore will have too; by default `password`. */
  readonly requestPassword?: PasswordOf | undefined;
}

export interface ImportedKey {
  readonly name: string;
  /** The new keystore, as it is written in `hull.json`. */
  readonly path: string;
  readonly file: string;
  readonly alias: string;
  readonly from: { readonly file: string; readonly kind: string };
  readonly certificate: CertificateFacts;
  /** What it signs for Apple's systems; `null` for any other certificate. */
  readonly apple: AppleCertificate | null;
  /** The request that the certificate answers, as a path in the project; `null` where a key was imported. */
  readonly request: string | null;
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

/** A key with its certificates, on its way into a new keystore. */
interface Taken {
  readonly entry: KeystoreEntry;
  /** Of the source. */
  readonly kind: string;
  readonly request: PendingRequest | undefined;
  /** `undefined` where the new keystore's is still to be asked for. */
  readonly password: string | undefined;
}

async function takeKey(
  bytes: Uint8Array,
  more: readonly Uint8Array[],
  name: string,
  options: ImportKeyOptions,
): Promise<Taken> {
  const { source } = options;
  const kind = keyFileKind(bytes);
  const isJava = kind === 'JKS' || kind === 'JCEKS';
  const alias = isJava ? await chooseJavaAlias(bytes, options) : options.alias;
  const needsPassword =
    isJava || kind === 'PKCS#12' || kind === 'DER' || Buffer.from(bytes).includes('ENCRYPTED');
  const passwords: KeyFilePasswords = needsPassword ? await options.sourcePassword() : { store: undefined };
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
  // A keystore's own chain is kept as it is, unless something is added to it.
  const certificates =
    more.length === 0
      ? found.certificates
      : chainOf(found.privateKey, readChainCertificates([...found.certificates, ...more]));
  const entry = { ...found, certificates, alias: found.alias === '' ? name : found.alias };
  return { entry, kind, request: undefined, password: undefined };
}

/** Joins a certificate with the key whose request it answers. */
async function joinRequest(
  project: Project,
  request: PendingRequest,
  certificates: readonly Uint8Array[],
  name: string,
  { password, requestPassword = password }: ImportKeyOptions,
): Promise<Taken> {
  const file = project.resolve(request.key);
  const bytes = readKeystoreFile(file);
  return withPassword({ name: request.name, path: request.key }, requestPassword, (text) => {
    try {
      const [entry] = readKeyFile(bytes, text, certificates);
      if (entry === undefined) throw new Error('a key file without a key');
      return { entry: { ...entry, alias: name }, kind: 'certificate', request, password: text };
    } catch (error) {
      throw error instanceof HullError ? error.at({ file }) : error;
    }
  });
}

/** Throws `keys.no-issuer` where nobody could sign an app with these: the signature has to hold the issuers' certificates too. */
function checkIssuers(certificates: readonly Uint8Array[], root: string, source: string): void {
  const missing = missingIssuer(certificates, root);
  if (missing === undefined) return;
  throw new HullError(
    'keys.no-issuer',
    `The certificate was issued by "${missing}", whose own certificate is not there; nothing was imported.`,
    {
      location: { file: source, option: 'certificate' },
      fix: 'Download it from the vendor’s page of certificate authorities, and give it too; likewise that of the root.',
    },
  );
}

/**
 * Copies a key out of a keystore of any age and kind into a new PKCS#12 keystore, or joins an issued certificate with the key
 * of its request there; and names it in `hull.json`. The source is not changed.
 *
 * @throws HullError `keys.*`, `file.missing`, `config.*`
 */
export async function importKey(options: ImportKeyOptions): Promise<ImportedKey> {
  const { source } = options;
  const project = readProject(options.project ?? '.');
  const bytes = readKeystoreFile(source);
  const more = (options.certificates ?? []).flatMap(readIssuedFile);
  const issued = readIssued(bytes);
  const all = issued && [...issued, ...more];
  const request = all && answeredRequest(project, all, source);
  const name = options.name ?? request?.name ?? 'release';
  const { path, file, isOurs } = newKeystore(project, name, undefined);
  const { entry, kind, password } =
    all && request
      ? await joinRequest(project, request, all, name, options)
      : await takeKey(bytes, more, name, options);
  const [certificate] = entry.certificates as [Uint8Array];
  const apple = appleCertificate(certificate);
  if (apple) checkIssuers(entry.certificates, trustedRoot(project).root, source);
  const secret = password ?? (await options.password({ name, path }));
  await keepKeystore(file, await writePkcs12(entry, secret), isOurs ? 'guarded' : 'as-is');
  await nameKey(project, name, { file: path, alias: entry.alias }, apple && 'apple');
  return {
    name,
    path,
    file,
    alias: entry.alias,
    from: { file: source, kind },
    certificate: certificateFacts(certificate),
    apple: apple ?? null,
    request: request?.request ?? null,
    findings: judgeCertificates(entry.certificates, project, { file }),
  };
}

/** Certificates of a file that is given beside a key. Throws `keys.bad-certificate`. */
function readIssuedFile(file: string): readonly Uint8Array[] {
  const bytes = readRegularFile(file);
  // Where it is of none of the forms, the reader says what is wrong with it.
  return readIssued(bytes) ?? readCertificates(bytes);
}
