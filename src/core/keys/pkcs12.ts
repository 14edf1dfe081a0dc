import {
  createHmac,
  createPrivateKey,
  type KeyObject,
  randomBytes,
  timingSafeEqual,
  X509Certificate,
} from 'node:crypto';
import { HullError } from '../errors.js';
import { Budget } from '../formats/bytes/budget.js';
import {
  bmpString,
  child,
  children,
  damaged,
  embedded,
  explicit,
  fromDer,
  implicitOctets,
  integer,
  type Node,
  nothing,
  numberOf,
  octets,
  octetsOf,
  oid,
  oidOf,
  sequence,
  set,
  textOf,
  toDer,
} from './asn1.js';
import { chainOf, readChainCertificates } from './chain.js';
import { deriveKey, pkcs12MacKey } from './kdf.js';
import { Decrypter, decodeEncryption, encodePbes2, encryptAes256 } from './pbes2.js';

/** PKCS#12 keystores (RFC 7292), encrypted with PBES2. */

const OID = {
  data: '1.2.840.113549.1.7.1',
  encryptedData: '1.2.840.113549.1.7.6',
  keyBag: '1.2.840.113549.1.12.10.1.1',
  shroudedKeyBag: '1.2.840.113549.1.12.10.1.2',
  certBag: '1.2.840.113549.1.12.10.1.3',
  x509Certificate: '1.2.840.113549.1.9.22.1',
  friendlyName: '1.2.840.113549.1.9.20',
  localKeyId: '1.2.840.113549.1.9.21',
  sha256: '2.16.840.1.101.3.4.2.1',
} as const;

const MAC_HASH: Readonly<Record<string, string>> = {
  '1.3.14.3.2.26': 'sha1',
  [OID.sha256]: 'sha256',
  '2.16.840.1.101.3.4.2.2': 'sha384',
  '2.16.840.1.101.3.4.2.3': 'sha512',
};

/**
 * Rounds of key derivation for new keystores: twice what the JDK's own keystores use. Key and certificate share one
 * derivation, so that opening costs it once.
 */
const ITERATIONS = 20_000;
/**
 * Rounds for the integrity code, whose derivation no library does natively. A guesser could test passwords against
 * it, so it has the same number.
 */
const MAC_ITERATIONS = ITERATIONS;
const SALT_BYTES = 20;
/** The most keys that are read of one keystore. */
const MAX_KEYS = 200;
const MAX_MAC_ITERATIONS = 10_000_000;

export interface KeystoreEntry {
  readonly alias: string;
  readonly privateKey: KeyObject;
  /** DER, the key's own first. */
  readonly certificates: readonly Uint8Array[];
}

/** EncryptedPrivateKeyInfo (RFC 5958 section 3). @param key derived from the password and `salt` */
function encryptedKey(privateKey: KeyObject, salt: Uint8Array, key: Uint8Array): Node {
  const iv = randomBytes(16);
  const pkcs8 = privateKey.export({ type: 'pkcs8', format: 'der' });
  return sequence(encodePbes2(salt, ITERATIONS, iv), octets(encryptAes256(key, iv, pkcs8)));
}

const derivedKey = (password: string, salt: Uint8Array) =>
  deriveKey(password, { salt, iterations: ITERATIONS, length: 32, hash: 'sha256' });

/** A private key alone, encrypted as in a keystore: EncryptedPrivateKeyInfo (RFC 5958 section 3), DER. */
export async function encryptPrivateKey(privateKey: KeyObject, password: string): Promise<Uint8Array> {
  const salt = randomBytes(SALT_BYTES);
  return toDer(encryptedKey(privateKey, salt, await derivedKey(password, salt)));
}

/** A keystore with one key and its certificates. The alias is the friendly name that keystore tools show. */
export async function writePkcs12(entry: KeystoreEntry, password: string): Promise<Uint8Array> {
  const salt = randomBytes(SALT_BYTES);
  const key = await derivedKey(password, salt);
  const [own] = entry.certificates;
  if (own === undefined) throw new HullError('keys.damaged', 'A key without a certificate cannot be kept.');
  const localKeyId = Buffer.from(new X509Certificate(own).fingerprint.replaceAll(':', ''), 'hex');
  const attributes = set(
    sequence(oid(OID.friendlyName), set(bmpString(entry.alias))),
    sequence(oid(OID.localKeyId), set(octets(localKeyId))),
  );

  const certificateBags = entry.certificates.map((der, index) =>
    sequence(
      oid(OID.certBag),
      explicit(0, sequence(oid(OID.x509Certificate), explicit(0, octets(der)))),
      ...(index === 0 ? [attributes] : []),
    ),
  );
  const certificateIv = randomBytes(16);
  const certificates = sequence(
    oid(OID.encryptedData),
    explicit(
      0,
      sequence(
        integer(0),
        sequence(
          oid(OID.data),
          encodePbes2(salt, ITERATIONS, certificateIv),
          implicitOctets(0, encryptAes256(key, certificateIv, toDer(sequence(...certificateBags)))),
        ),
      ),
    ),
  );

  const keyBag = sequence(
    oid(OID.shroudedKeyBag),
    explicit(0, encryptedKey(entry.privateKey, salt, key)),
    attributes,
  );
  const keys = sequence(oid(OID.data), explicit(0, octets(toDer(sequence(keyBag)))));

  const safe = toDer(sequence(keys, certificates));
  const macSalt = randomBytes(SALT_BYTES);
  const macParameters = { password, salt: macSalt, iterations: MAC_ITERATIONS, hash: 'sha256' };
  const macKey = await pkcs12MacKey(macParameters, new Budget(safe.length));
  const mac = createHmac('sha256', macKey).update(safe).digest();
  return toDer(
    sequence(
      integer(3),
      sequence(oid(OID.data), explicit(0, octets(safe))),
      sequence(
        sequence(sequence(oid(OID.sha256), nothing()), octets(mac)),
        octets(macSalt),
        integer(MAC_ITERATIONS),
      ),
    ),
  );
}

interface Attributes {
  readonly alias: string | undefined;
  readonly keyId: string | undefined;
}

interface KeyBag extends Attributes {
  readonly key: KeyObject;
}

interface CertificateBag extends Attributes {
  readonly der: Uint8Array;
}

function attributesOf(node: Node | undefined): Attributes {
  let alias: string | undefined;
  let keyId: string | undefined;
  if (node !== undefined) {
    for (const attribute of children(node, 'a bag’s attributes')) {
      const id = oidOf(child(attribute, 0, 'an attribute'), 'an attribute');
      const [value] = children(child(attribute, 1, 'an attribute'), 'an attribute');
      if (id === OID.friendlyName) alias = textOf(value);
      if (id === OID.localKeyId) keyId = Buffer.from(octetsOf(value, 'a key ID')).toString('hex');
    }
  }
  return { alias, keyId };
}

class Pkcs12Reader {
  readonly #decrypter: Decrypter;
  readonly keys: KeyBag[] = [];
  readonly certificates: CertificateBag[] = [];

  constructor(password: string, budget: Budget) {
    this.#decrypter = new Decrypter(password, budget);
  }

  /** False where something could not be decrypted, which is a wrong password or damage. */
  async readSafe(safe: Node): Promise<boolean> {
    const parts = children(safe, 'its content');
    const opened = await Promise.all(parts.map((part) => this.#readPart(part)));
    return opened.every(Boolean);
  }

  async #readPart(part: Node): Promise<boolean> {
    const what = 'one of its parts';
    const id = oidOf(child(part, 0, what), what);
    const content = child(child(part, 1, what), 0, what);
    if (id === OID.data) return this.#readBags(embedded(content, what));
    if (id !== OID.encryptedData) {
      throw new HullError(
        'keys.unsupported',
        `The keystore holds a part of kind ${id}, which is not read here.`,
      );
    }
    const info = child(content, 1, what);
    const plain = await this.#decrypter.decrypt(
      decodeEncryption(child(info, 1, what)),
      octetsOf(child(info, 2, what), what),
    );
    if (plain === undefined) return false;
    try {
      return await this.#readBags(fromDer(plain, 'a list of bags'));
    } catch (error) {
      // With a wrong password the padding is right by chance once in 256 times; what comes out is then no ASN.1.
      if (error instanceof HullError && error.code === 'keys.damaged') return false;
      throw error;
    }
  }

  async #readBags(list: Node): Promise<boolean> {
    const bags = children(list, 'a list of bags');
    const opened = await Promise.all(bags.map((bag) => this.#readBag(bag)));
    return opened.every(Boolean);
  }

  async #readBag(bag: Node): Promise<boolean> {
    const parts = children(bag, 'a bag');
    const id = oidOf(parts[0], 'a bag');
    const value = child(parts[1], 0, 'a bag');
    const attributes = attributesOf(parts[2]);
    if (id === OID.certBag) {
      const content = child(child(value, 1, 'a certificate'), 0, 'a certificate');
      this.certificates.push({ ...attributes, der: octetsOf(content, 'a certificate') });
      return true;
    }
    if (id !== OID.shroudedKeyBag && id !== OID.keyBag) return true;
    const pkcs8 =
      id === OID.keyBag
        ? Buffer.from(toDer(value))
        : await this.#decrypter.decrypt(
            decodeEncryption(child(value, 0, 'a key')),
            octetsOf(child(value, 1, 'a key'), 'a key'),
          );
    if (pkcs8 === undefined) return false;
    try {
      this.keys.push({ ...attributes, key: createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' }) });
      return true;
    } catch {
      return false;
    }
  }
}

/** Whether the integrity code holds; `undefined` where the file has none. */
async function checkMac(
  macData: Node | undefined,
  safe: Uint8Array,
  password: string,
  budget: Budget,
): Promise<boolean | undefined> {
  if (macData === undefined) return undefined;
  const what = 'its integrity code';
  const [digestInfo, salt, iterations] = children(macData, what);
  const hashId = oidOf(child(child(digestInfo, 0, what), 0, what), what);
  const hash = MAC_HASH[hashId];
  if (hash === undefined) {
    throw new HullError(
      'keys.unsupported',
      `The keystore’s integrity code is of kind ${hashId}, which is not read here.`,
    );
  }
  const count = iterations === undefined ? 1 : numberOf(iterations, what);
  if (count < 1 || count > MAX_MAC_ITERATIONS)
    throw damaged(`its integrity code asks for ${count} iterations`);
  const expected = octetsOf(child(digestInfo, 1, what), what);
  const parameters = { password, salt: octetsOf(salt, what), iterations: count, hash };
  const found = createHmac(hash, await pkcs12MacKey(parameters, budget))
    .update(safe)
    .digest();
  return expected.length === found.length && timingSafeEqual(found, expected);
}

/**
 * Every key of a keystore with its certificates.
 *
 * The integrity code is only computed where something does not fit: a key that decrypts and belongs to its
 * certificate has shown that password and data are right, and the derivation is slow.
 *
 * @throws HullError `keys.wrong-password`, `keys.damaged`, `keys.unsupported` (with the algorithm's name), `file.over-budget`
 */
export async function readPkcs12(bytes: Uint8Array, password: string): Promise<KeystoreEntry[]> {
  const pfx = fromDer(bytes, 'the file');
  if (numberOf(child(pfx, 0, 'the file'), 'its version') !== 3) throw damaged('it is not of version 3');
  const what = 'its content';
  const content = child(child(child(pfx, 1, what), 1, what), 0, what);
  const safe = octetsOf(content, what);
  const macData = children(pfx, 'the file')[2];
  const budget = new Budget(bytes.length);
  const reader = new Pkcs12Reader(password, budget);
  const opened = await reader.readSafe(embedded(content, what));
  if (reader.keys.length > MAX_KEYS) throw damaged(`it holds ${reader.keys.length} keys`);
  const certificates = readChainCertificates(reader.certificates.map(({ der }) => der));
  const entries = reader.keys.map((key) => ({
    alias: key.alias ?? '',
    privateKey: key.key,
    certificates: chainOf(key.key, certificates),
  }));
  if (opened && entries.length > 0 && entries.every((entry) => entry.certificates.length > 0)) return entries;

  const holds = await checkMac(macData, safe, password, budget);
  if (holds === true) {
    if (!opened) throw damaged('a part of it cannot be decrypted, though the password is right');
    throw damaged(entries.length === 0 ? 'it holds no private key' : 'a key has no certificate of its own');
  }
  if (opened && entries.length > 0) throw damaged('its integrity code does not match its content');
  throw new HullError('keys.wrong-password', 'The password does not open this keystore.', {
    fix: 'Give the right password.',
  });
}
