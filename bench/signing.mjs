// What signing costs at the least beside digests: for the floors.
import { createPrivateKey, pbkdf2, sign } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { promisify } from 'node:util';

/** As `hull keys new` writes keystores: two bags and a checksum. */
const ITERATIONS = 20_000;
const DERIVED = 3;

/** The keys of a keystore, derived from its password. */
export const deriveKeys = () =>
  Promise.all(
    Array.from({ length: DERIVED }, (_, index) =>
      promisify(pbkdf2)('only-for-the-bench', `salt ${index}`, ITERATIONS, 32, 'sha256'),
    ),
  );

/** The bytes that each of two schemes signs. */
export const signedBytes = (digest) => [2, 3].map((scheme) => Buffer.concat([Buffer.from([scheme]), digest]));

/** @param keyFile a private key, PKCS#8 in DER */
export async function signatures(keyFile, digest) {
  const key = createPrivateKey({ key: readFileSync(keyFile), format: 'der', type: 'pkcs8' });
  return {
    key,
    made: await Promise.all(signedBytes(digest).map((bytes) => promisify(sign)('sha256', bytes, key))),
  };
}
