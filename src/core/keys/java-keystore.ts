import { createHash, createPrivateKey, timingSafeEqual } from 'node:crypto';
import { HullError } from '../errors.js';
import { Budget } from '../formats/bytes/budget.js';
import { child, damaged, fromDer, numberOf, octetsOf, oidOf } from './asn1.js';
import { decryptJceksKey } from './pbe-legacy.js';
import type { KeystoreEntry } from './pkcs12.js';

/**
 * The JDK's own older keystores, JKS and JCEKS (their layout and key protection are those of the JDK's sources, classes
 * JavaKeyStore and JceKeyStore). They are read so that a key can be adopted, and never written.
 */

const MAGIC = { jks: 0xfeedfeed, jceks: 0xcececece } as const;
const TAG = { key: 1, certificate: 2, secret: 3 } as const;
const DIGEST_SIZE = 20;
/** Mixed into the digest at the end, so that it is not the digest of anything else. */
const WHITENER = 'Mighty Aphrodite';
const OID_JKS_PROTECTION = '1.3.6.1.4.1.42.2.17.1.1';
const OID_JCEKS_PROTECTION = '1.3.6.1.4.1.42.2.19.1';

/** Whether bytes begin as one of these keystores does. */
export function javaKeystoreKind(bytes: Uint8Array): 'jks' | 'jceks' | undefined {
  if (bytes.length < 12) return undefined;
  const magic = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0);
  return magic === MAGIC.jks ? 'jks' : magic === MAGIC.jceks ? 'jceks' : undefined;
}

/** Big-endian reading, as the JDK's data streams write. */
class JavaReader {
  readonly #bytes: Buffer;
  at = 0;

  constructor(bytes: Uint8Array) {
    this.#bytes = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  take(count: number, what: string): Buffer {
    if (count < 0 || this.at + count > this.#bytes.length) throw damaged(`${what} ends outside the file`);
    this.at += count;
    return this.#bytes.subarray(this.at - count, this.at);
  }

  u16(what: string): number {
    return this.take(2, what).readUInt16BE();
  }

  u32(what: string): number {
    return this.take(4, what).readUInt32BE();
  }

  /** Modified UTF-8 differs from UTF-8 only outside the basic plane and at zero. */
  text(what: string): string {
    return this.take(this.u16(what), what).toString('utf8');
  }

  block(what: string): Buffer {
    return this.take(this.u32(what), what);
  }
}

/** A password as the keystore's digests take it. */
const wide = (password: string) => Buffer.from(password, 'utf16le').swap16();

/** JKS: the key is mixed with a chain of SHA-1 digests, and a digest behind it proves the password. */
function openJksKey(bytes: Buffer, password: string): Buffer | undefined {
  const salt = bytes.subarray(0, DIGEST_SIZE);
  const mixed = bytes.subarray(DIGEST_SIZE, bytes.length - DIGEST_SIZE);
  const proof = bytes.subarray(bytes.length - DIGEST_SIZE);
  if (bytes.length < 2 * DIGEST_SIZE) throw damaged('a key is cut short');
  const secret = wide(password);
  const plain = Buffer.alloc(mixed.length);
  let pad: Buffer = salt;
  for (let at = 0; at < mixed.length; at += 1) {
    if (at % DIGEST_SIZE === 0) pad = createHash('sha1').update(secret).update(pad).digest();
    plain[at] = (mixed[at] as number) ^ (pad[at % DIGEST_SIZE] as number);
  }
  const found = createHash('sha1').update(secret).update(plain).digest();
  return timingSafeEqual(found, proof) ? plain : undefined;
}

async function openKey(protectedKey: Buffer, password: string, budget: Budget): Promise<Buffer | undefined> {
  const what = 'a key';
  const info = fromDer(protectedKey, what);
  const algorithm = child(info, 0, what);
  const id = oidOf(child(algorithm, 0, what), what);
  const bytes = Buffer.from(octetsOf(child(info, 1, what), what));
  if (id === OID_JKS_PROTECTION) return openJksKey(bytes, password);
  if (id === OID_JCEKS_PROTECTION) {
    const parameters = child(algorithm, 1, what);
    const salt = octetsOf(child(parameters, 0, what), what);
    const iterations = numberOf(child(parameters, 1, what), what);
    return decryptJceksKey({ salt, iterations }, password, bytes, budget);
  }
  throw new HullError('keys.unsupported', `A key is protected with algorithm ${id}, which is not read here.`);
}

interface ProtectedEntry {
  readonly alias: string;
  readonly bytes: Buffer;
  readonly certificates: readonly Uint8Array[];
}

function readCertificate(reader: JavaReader): Uint8Array {
  const type = reader.text('a certificate’s type');
  if (type !== 'X.509') throw damaged(`a certificate is of type ${type.slice(0, 20)}`);
  return new Uint8Array(reader.block('a certificate'));
}

function readEntries(reader: JavaReader): ProtectedEntry[] {
  const version = reader.u32('its version');
  if (version !== 1 && version !== 2) throw damaged(`it is of version ${version}`);
  const count = reader.u32('its number of entries');
  const entries: ProtectedEntry[] = [];
  for (let index = 0; index < count; index += 1) {
    const tag = reader.u32('an entry');
    const alias = reader.text('an alias');
    reader.take(8, 'a date');
    if (tag === TAG.secret) {
      throw new HullError(
        'keys.unsupported',
        `The entry "${alias}" is a secret key, which signs no package.`,
        {
          fix: 'Copy the signing key into a keystore of its own: keytool -importkeystore -srcalias <alias> …',
        },
      );
    }
    if (tag === TAG.certificate) {
      if (version === 2) readCertificate(reader);
      else reader.block('a certificate');
      continue;
    }
    if (tag !== TAG.key) throw damaged(`it has an entry of kind ${tag}`);
    const bytes = reader.block('a key');
    const chain = reader.u32('a chain’s length');
    const certificates: Uint8Array[] = [];
    for (let i = 0; i < chain; i += 1) certificates.push(readCertificate(reader));
    entries.push({ alias, bytes, certificates });
  }
  return entries;
}

/** Whether a password opens one of the keys. */
async function opensAny(
  entries: readonly ProtectedEntry[],
  password: string,
  budget: Budget,
): Promise<boolean> {
  for (const { bytes } of entries) {
    try {
      if ((await openKey(bytes, password, budget)) !== undefined) return true;
    } catch (error) {
      if (error instanceof HullError && error.code === 'file.over-budget') throw error;
    }
  }
  return false;
}

/**
 * Every key of a JKS or JCEKS keystore with its certificates.
 *
 * @param passwords of the store, and of its keys where that is another; the keys of other aliases may have others still
 * @param wanted the alias that is to be opened; every key where undefined
 * @throws HullError `keys.wrong-password`, `keys.wrong-key-password`, `keys.damaged`, `keys.unsupported`,
 *   `file.over-budget`
 */
export async function readJavaKeystore(
  bytes: Uint8Array,
  passwords: { readonly store: string; readonly key?: string | undefined },
  wanted: string | undefined,
): Promise<KeystoreEntry[]> {
  const budget = new Budget(bytes.length);
  const reader = new JavaReader(bytes);
  reader.at = 4;
  const entries = readEntries(reader);
  const body = bytes.subarray(0, reader.at);
  const stated = reader.take(DIGEST_SIZE, 'its digest');
  const found = createHash('sha1').update(wide(passwords.store)).update(WHITENER).update(body).digest();
  if (!timingSafeEqual(stated, found)) {
    // The digest is keyed by the password, so that damage and a wrong password look alike; a key that opens tells.
    const opens = await opensAny(entries, passwords.key ?? passwords.store, budget);
    if (opens) throw damaged('its digest does not match its content');
    throw new HullError('keys.wrong-password', 'The password does not open this keystore.', {
      fix: 'Give the right password.',
    });
  }
  const opened: KeystoreEntry[] = [];
  for (const { alias, bytes: key, certificates } of entries) {
    if (wanted !== undefined && alias.toLowerCase() !== wanted.toLowerCase()) continue;
    const pkcs8 = await openKey(key, passwords.key ?? passwords.store, budget);
    if (pkcs8 === undefined) {
      throw new HullError('keys.wrong-key-password', `The keystore opens, and the key "${alias}" does not.`, {
        fix: 'The key has a password of its own: give that one too.',
      });
    }
    try {
      const privateKey = createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' });
      opened.push({ alias, privateKey, certificates });
    } catch {
      throw damaged(`the key "${alias}" is of a kind that cannot be read`);
    }
  }
  return opened;
}

/** Aliases of a keystore's keys; no password is needed to list them. */
export function javaKeystoreAliases(bytes: Uint8Array): string[] {
  const reader = new JavaReader(bytes);
  reader.at = 4;
  return readEntries(reader).map(({ alias }) => alias);
}
