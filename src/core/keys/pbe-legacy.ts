import { createDecipheriv, createHash } from 'node:crypto';
import type { Budget } from '../formats/bytes/budget.js';
import { child, damaged, type Node, numberOf, octetsOf } from './asn1.js';
import { chargeRounds, inSlices, pkcs12Derive } from './kdf.js';

/**
 * Encryption of older keystores: PKCS#12's own schemes with 3DES and RC2 (RFC 7292 appendix C). They are read so that a
 * key can be adopted, and never written.
 */

export interface LegacyPbe {
  readonly kind: 'legacy';
  readonly cipher: '3des' | 'rc2';
  /** Bytes. */
  readonly keyLength: number;
  readonly salt: Uint8Array;
  readonly iterations: number;
}

/** By object identifier (RFC 7292 appendix C). */
const SCHEMES: Readonly<Record<string, Pick<LegacyPbe, 'cipher' | 'keyLength'>>> = {
  '1.2.840.113549.1.12.1.3': { cipher: '3des', keyLength: 24 },
  '1.2.840.113549.1.12.1.4': { cipher: '3des', keyLength: 16 },
  '1.2.840.113549.1.12.1.5': { cipher: 'rc2', keyLength: 16 },
  '1.2.840.113549.1.12.1.6': { cipher: 'rc2', keyLength: 5 },
};

/** Both ciphers work on blocks of 8 bytes. */
const BLOCK = 8;
const MAX_ITERATIONS = 10_000_000;
const PURPOSE = { key: 1, iv: 2 } as const;

/** The scheme of an AlgorithmIdentifier; `undefined` where it is none of these. Throws `keys.damaged`. */
export function decodeLegacyPbe(id: string, algorithm: Node): LegacyPbe | undefined {
  const scheme = Object.hasOwn(SCHEMES, id) ? SCHEMES[id] : undefined;
  if (scheme === undefined) return undefined;
  const what = 'its encryption algorithm';
  const parameters = child(algorithm, 1, what);
  const iterations = numberOf(child(parameters, 1, what), 'its iteration count');
  if (iterations < 1 || iterations > MAX_ITERATIONS) throw damaged(`it asks for ${iterations} iterations`);
  return { kind: 'legacy', ...scheme, salt: octetsOf(child(parameters, 0, what), 'its salt'), iterations };
}

/** The plain bytes, or `undefined` where the padding shows that password or data are wrong. */
export async function decryptLegacy(
  scheme: LegacyPbe,
  password: string,
  bytes: Uint8Array,
  budget: Budget,
): Promise<Buffer | undefined> {
  const { salt, iterations, keyLength } = scheme;
  const derive = (purpose: number, length: number) =>
    pkcs12Derive({ password, salt, iterations, hash: 'sha1', purpose, length }, budget);
  const key = await derive(PURPOSE.key, keyLength);
  const iv = await derive(PURPOSE.iv, BLOCK);
  try {
    if (scheme.cipher === '3des') {
      // Two keys are three with the first used again.
      const whole = keyLength === 16 ? Buffer.concat([key, key.subarray(0, 8)]) : key;
      const decipher = createDecipheriv('des-ede3-cbc', whole, iv);
      return Buffer.concat([decipher.update(bytes), decipher.final()]);
    }
    return (await import('./rc2.js')).decryptRc2(key, iv, bytes);
  } catch {
    return undefined;
  }
}

/** Key protection of JCEKS keystores (com.sun.crypto.provider, PBEWithMD5AndTripleDES): salt and rounds as given. */
export async function decryptJceksKey(
  { salt, iterations }: { readonly salt: Uint8Array; readonly iterations: number },
  password: string,
  bytes: Uint8Array,
  budget: Budget,
): Promise<Buffer | undefined> {
  if (salt.length !== 8 || iterations < 1 || iterations > MAX_ITERATIONS) {
    throw damaged('the protection of its key is not as it should be');
  }
  const halves = [Buffer.from(salt.subarray(0, 4)), Buffer.from(salt.subarray(4))] as [Buffer, Buffer];
  if (halves[0].equals(halves[1])) {
    // What the keystore's own writer does, slip and all: it means to turn the first half around.
    const [a = 0, b = 0, , d = 0] = halves[0];
    halves[0] = Buffer.of(d, a, b, d);
  }
  const secret = Buffer.from(password, 'latin1');
  await chargeRounds(budget, 2 * iterations);
  for (const index of [0, 1] as const) {
    await inSlices(iterations, () => {
      halves[index] = createHash('md5').update(halves[index]).update(secret).digest();
    });
  }
  const derived = Buffer.concat(halves);
  try {
    const decipher = createDecipheriv('des-ede3-cbc', derived.subarray(0, 24), derived.subarray(24));
    return Buffer.concat([decipher.update(bytes), decipher.final()]);
  } catch {
    return undefined;
  }
}
