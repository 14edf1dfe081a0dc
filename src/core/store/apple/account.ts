import { createPrivateKey, type KeyObject } from 'node:crypto';
import { basename } from 'node:path';
import { SignJWT } from 'jose';
import { fromSystemError, HullError, type Location, systemErrorCode } from '../../errors.js';
import { readRegularFile } from '../../util/files.js';

/** A key of App Store Connect's API. */
export interface StoreKey {
  readonly file: string;
  readonly keyId: string;
  /** Whose key it is. */
  readonly issuer: string;
  readonly key: KeyObject;
}

const AUDIENCE = 'appstoreconnect-v1';
/** Seconds for which a token is good; the store takes at most 20 minutes. */
const LIFETIME = 15 * 60;
/** A token is not used in its last minute. */
const MARGIN = 60_000;
const MOST_BYTES = 16 * 1024;
/** As the store names the file when it is downloaded, once. */
const FILE_NAME = /^AuthKey_([A-Za-z0-9]{2,32})\.p8$/;

const notAKey = (file: string, message: string, cause?: unknown) =>
  new HullError('store.bad-account', message, {
    location: { file },
    fix: 'Give the file AuthKey_….p8 as App Store Connect gave it, under users and access, integrations.',
    cause,
  });

/**
 * Reads a key of App Store Connect's API: PKCS#8 in PEM (RFC 7468), with the key's ID in the file's name.
 *
 * @param issuer whose key it is: the store shows it above the keys
 * @param place where `hull.json` would say so
 * @throws HullError `store.bad-account`, `file.*`
 */
export function readStoreKey(file: string, issuer: string | undefined, place: Location): StoreKey {
  let text: string;
  try {
    text = readRegularFile(file, MOST_BYTES).toString('utf8');
  } catch (error) {
    if (systemErrorCode(error) !== undefined) throw fromSystemError(error, file);
    throw error instanceof HullError ? error.at({ file }) : error;
  }
  const keyId = FILE_NAME.exec(basename(file))?.[1];
  if (keyId === undefined)
    throw notAKey(file, 'The file’s name does not say which key it is: it is not AuthKey_….p8.');
  let key: KeyObject;
  try {
    key = createPrivateKey(text);
  } catch (cause) {
    throw notAKey(file, 'This is not a private key: it is not PKCS#8 in PEM.', cause);
  }
  if (key.asymmetricKeyType !== 'ec' || key.asymmetricKeyDetails?.namedCurve !== 'prime256v1')
    throw notAKey(file, 'The key is not one on the curve P-256, as those of this store are.');
  if (issuer === undefined) {
    throw new HullError('store.no-account', 'hull.json does not say whose key this is.', {
      location: place,
      fix: 'Add the issuer ID that App Store Connect shows above the keys: "release": { "apple": { "issuer": "…" } }',
    });
  }
  return { file, keyId, issuer, key };
}

/** Tokens that a key signs (RFC 7519, ES256), made when they are needed. */
export class StoreTokens {
  readonly #key: StoreKey;
  #token: { readonly text: string; readonly until: number } | undefined;

  constructor(key: StoreKey) {
    this.#key = key;
  }

  async token(): Promise<string> {
    if (this.#token && this.#token.until > Date.now()) return this.#token.text;
    const { issuer, keyId, key } = this.#key;
    const now = Math.floor(Date.now() / 1000);
    const text = await new SignJWT()
      .setProtectedHeader({ alg: 'ES256', typ: 'JWT', kid: keyId })
      .setIssuer(issuer)
      .setAudience(AUDIENCE)
      .setIssuedAt(now)
      .setExpirationTime(now + LIFETIME)
      .sign(key);
    this.#token = { text, until: (now + LIFETIME) * 1000 - MARGIN };
    return text;
  }
}
