import { createCipheriv, createDecipheriv } from 'node:crypto';
import { HullError } from '../errors.js';
import type { Budget } from '../formats/bytes/budget.js';
import {
  child,
  children,
  damaged,
  integer,
  isInteger,
  type Node,
  nothing,
  numberOf,
  octets,
  octetsOf,
  oid,
  oidOf,
  sequence,
} from './asn1.js';
import { chargeRounds, deriveKey, type Pbkdf2Parameters } from './kdf.js';
import { decodeLegacyPbe, decryptLegacy, type LegacyPbe } from './pbe-legacy.js';

/** Password-based encryption PBES2 (RFC 8018 section 6.2) with PBKDF2 and AES-CBC. */

const OID_PBES2 = '1.2.840.113549.1.5.13';
const OID_PBKDF2 = '1.2.840.113549.1.5.12';

const PRF_HASH: Readonly<Record<string, string>> = {
  '1.2.840.113549.2.7': 'sha1',
  '1.2.840.113549.2.8': 'sha224',
  '1.2.840.113549.2.9': 'sha256',
  '1.2.840.113549.2.10': 'sha384',
  '1.2.840.113549.2.11': 'sha512',
};
const OID_HMAC_SHA256 = '1.2.840.113549.2.9';

const CIPHERS: Readonly<Record<string, { readonly name: string; readonly keyLength: number }>> = {
  '2.16.840.1.101.3.4.1.2': { name: 'aes-128-cbc', keyLength: 16 },
  '2.16.840.1.101.3.4.1.22': { name: 'aes-192-cbc', keyLength: 24 },
  '2.16.840.1.101.3.4.1.42': { name: 'aes-256-cbc', keyLength: 32 },
};
const OID_AES256_CBC = '2.16.840.1.101.3.4.1.42';

/** More iterations than this would hang rather than protect: a hostile file could ask for billions. */
const MAX_ITERATIONS = 10_000_000;

/** Names of the older algorithms that keystores still use, to say what was met. */
const OLD_ALGORITHMS: Readonly<Record<string, string>> = {
  '1.2.840.113549.1.12.1.1': 'PBE with SHA-1 and 128-bit RC4',
  '1.2.840.113549.1.12.1.2': 'PBE with SHA-1 and 40-bit RC4',
};

export interface Pbes2 {
  readonly salt: Uint8Array;
  readonly iterations: number;
  readonly hash: string;
  readonly cipher: string;
  /** Bytes. */
  readonly keyLength: number;
  readonly iv: Uint8Array;
}

function unsupported(name: string): HullError {
  return new HullError(
    'keys.unsupported',
    `The keystore is encrypted with ${name}, which is not read here.`,
    {
      fix: 'Convert it to a new file with today’s algorithms: openssl pkcs12 -legacy -in old.p12 -nodes | openssl pkcs12 -export -out new.p12',
    },
  );
}

/**
 * Reads an AlgorithmIdentifier: PBES2, or one of the older schemes that keystores still use.
 * Throws `keys.unsupported` or `keys.damaged`.
 */
export function decodeEncryption(node: Node): Pbes2 | LegacyPbe {
  const what = 'its encryption algorithm';
  const id = oidOf(child(node, 0, what), what);
  if (id !== OID_PBES2) {
    const legacy = decodeLegacyPbe(id, node);
    if (legacy === undefined) throw unsupported(OLD_ALGORITHMS[id] ?? `algorithm ${id}`);
    return legacy;
  }
  const parameters = child(node, 1, what);
  const derivation = child(parameters, 0, what);
  const derivationId = oidOf(child(derivation, 0, what), what);
  if (derivationId !== OID_PBKDF2) throw unsupported(`key derivation ${derivationId}`);
  const [salt, iterations, ...rest] = children(child(derivation, 1, what), what);
  const prf = rest.find((item) => !isInteger(item));
  const prfId = prf === undefined ? '1.2.840.113549.2.7' : oidOf(child(prf, 0, what), what);
  const hash = PRF_HASH[prfId];
  if (hash === undefined) throw unsupported(`PBKDF2 with function ${prfId}`);
  const scheme = child(parameters, 1, what);
  const cipherId = oidOf(child(scheme, 0, what), what);
  const cipher = CIPHERS[cipherId];
  if (cipher === undefined) throw unsupported(`cipher ${cipherId}`);
  const count = numberOf(iterations, 'its iteration count');
  if (count < 1 || count > MAX_ITERATIONS) throw damaged(`it asks for ${count} iterations`);
  const iv = octetsOf(child(scheme, 1, what), what);
  if (iv.length !== 16) throw damaged('its initialisation vector has the wrong length');
  return {
    salt: octetsOf(salt, 'its salt'),
    iterations: count,
    hash,
    cipher: cipher.name,
    keyLength: cipher.keyLength,
    iv,
  };
}

/** PBES2 with PBKDF2-HMAC-SHA-256 and AES-256-CBC as an AlgorithmIdentifier. */
export function encodePbes2(salt: Uint8Array, iterations: number, iv: Uint8Array): Node {
  return sequence(
    oid(OID_PBES2),
    sequence(
      sequence(
        oid(OID_PBKDF2),
        sequence(octets(salt), integer(iterations), sequence(oid(OID_HMAC_SHA256), nothing())),
      ),
      sequence(oid(OID_AES256_CBC), octets(iv)),
    ),
  );
}

/** Keys derived so far: bags of one keystore often share salt and count, and deriving is slow on purpose. */
export class Decrypter {
  readonly #password: string;
  readonly #budget: Budget;
  readonly #keys = new Map<string, Promise<Buffer>>();

  constructor(password: string, budget: Budget) {
    this.#password = password;
    this.#budget = budget;
  }

  async #derive(parameters: Pbkdf2Parameters): Promise<Buffer> {
    await chargeRounds(this.#budget, parameters.iterations);
    return deriveKey(this.#password, parameters);
  }

  /**
   * The plain bytes, or `undefined` where the padding shows that password or data are wrong.
   *
   * @throws HullError `file.over-budget`
   */
  async decrypt(algorithm: Pbes2 | LegacyPbe, bytes: Uint8Array): Promise<Buffer | undefined> {
    if ('kind' in algorithm) return decryptLegacy(algorithm, this.#password, bytes, this.#budget);
    const { salt, iterations, hash, keyLength, cipher, iv } = algorithm;
    const name = [Buffer.from(salt).toString('hex'), iterations, hash, keyLength].join();
    let key = this.#keys.get(name);
    if (key === undefined) {
      key = this.#derive({ salt, iterations, hash, length: keyLength });
      this.#keys.set(name, key);
    }
    const decipher = createDecipheriv(cipher, await key, iv);
    try {
      return Buffer.concat([decipher.update(bytes), decipher.final()]);
    } catch {
      return undefined;
    }
  }
}

export function encryptAes256(key: Uint8Array, iv: Uint8Array, bytes: Uint8Array): Uint8Array {
  const cipher = createCipheriv('aes-256-cbc', key, iv);
  return Buffer.concat([cipher.update(bytes), cipher.final()]);
}
