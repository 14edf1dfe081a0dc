import { createPrivateKey, type KeyObject } from 'node:crypto';
import { SignJWT } from 'jose';
import { fromSystemError, HullError, systemErrorCode } from '../../errors.js';
import { readRegularFile } from '../../util/files.js';
import { isObject } from '../../util/json-object.js';
import { isLoopback, parseUrl } from '../../util/url-path.js';
import { callStore, jsonOf, type StoreAccess } from '../http.js';

/** A service account's key: a JSON file of the store's console. */
export interface ServiceAccount {
  readonly file: string;
  readonly email: string;
  readonly keyId: string;
  readonly key: KeyObject;
  /** Where tokens are asked for. */
  readonly tokenUrl: string;
}

const SCOPE = 'https://www.googleapis.com/auth/androidpublisher';
/** Seconds for which a token is asked, at most an hour (RFC 7523, 3; the store's documentation). */
const LIFETIME = 3600;
/** A token is not used in its last minute. */
const MARGIN = 60_000;
const MOST_BYTES = 64 * 1024;
const GRANT = 'urn:ietf:params:oauth:grant-type:jwt-bearer';

const notAnAccount = (file: string, message: string, cause?: unknown) =>
  new HullError('store.bad-account', message, {
    location: { file },
    fix: 'Give the JSON key of a service account: in the cloud console of the store, under the account’s keys.',
    cause,
  });

/** Whether a key is given by its content, as from a build server's store of secrets, and not by its file. */
export const isKeyContent = (account: string): boolean => account.trimStart().startsWith('{');

/**
 * Reads a service account's key.
 *
 * @param account its file, or its content: that is never shown
 * @throws HullError `store.bad-account`, `file.*`
 */
export function readServiceAccount(account: string): ServiceAccount {
  const isContent = isKeyContent(account);
  const file = isContent ? '(the account’s key)' : account;
  let value: unknown;
  try {
    value = JSON.parse(isContent ? account : readRegularFile(file, MOST_BYTES).toString('utf8'));
  } catch (error) {
    if (error instanceof HullError) throw error.at({ file });
    if (systemErrorCode(error) !== undefined) throw fromSystemError(error, file);
    // What the parser says may hold a part of the secret.
    throw notAnAccount(
      file,
      'This is not the key of a service account: it is not JSON.',
      isContent ? undefined : error,
    );
  }
  const read = (key: string): string => {
    const text = isObject(value) ? value[key] : undefined;
    if (typeof text === 'string' && text !== '') return text;
    throw notAnAccount(file, `This is not the key of a service account: there is no "${key}".`);
  };
  const tokenUrl = read('token_uri');
  const url = parseUrl(tokenUrl);
  if (url?.protocol !== 'https:' && !(url?.protocol === 'http:' && isLoopback(url.hostname)))
    throw notAnAccount(file, `"token_uri" is not an https address: ${tokenUrl}.`);
  let key: KeyObject;
  try {
    key = createPrivateKey(read('private_key'));
  } catch (cause) {
    if (cause instanceof HullError) throw cause;
    throw notAnAccount(file, 'The private key in it is damaged.', cause);
  }
  if (key.asymmetricKeyType !== 'rsa')
    throw notAnAccount(file, `The private key in it is ${key.asymmetricKeyType}, not RSA.`);
  return { file, email: read('client_email'), keyId: read('private_key_id'), key, tokenUrl };
}

interface Token {
  readonly text: string;
  /** ms since 1970. */
  readonly until: number;
}

/** Tokens of a service account (RFC 7523), asked for when they are needed. */
export class TokenSource {
  readonly #account: ServiceAccount;
  readonly #access: StoreAccess;
  #token: Promise<Token> | undefined;

  constructor(account: ServiceAccount, access: StoreAccess) {
    this.#account = account;
    this.#access = access;
  }

  async token(): Promise<string> {
    const now = await this.#token;
    if (now && now.until > Date.now()) return now.text;
    this.#token = this.#ask();
    this.#token.catch(() => {
      this.#token = undefined;
    });
    return (await this.#token).text;
  }

  /** The token that was used is refused: the next one is asked for again. */
  forget(): void {
    this.#token = undefined;
  }

  async #ask(): Promise<Token> {
    const { email, keyId, key, tokenUrl, file } = this.#account;
    const now = Math.floor(Date.now() / 1000);
    const assertion = await new SignJWT({ scope: SCOPE })
      .setProtectedHeader({ alg: 'RS256', typ: 'JWT', kid: keyId })
      .setIssuer(email)
      .setAudience(tokenUrl)
      .setIssuedAt(now)
      .setExpirationTime(now + LIFETIME)
      .sign(key);
    const answer = await callStore(
      { method: 'POST', url: tokenUrl, body: { form: { grant_type: GRANT, assertion } } },
      this.#access,
    );
    const body = jsonOf(answer, tokenUrl);
    const token = isObject(body) ? body.access_token : undefined;
    if (answer.status === 200 && typeof token === 'string') {
      const seconds = isObject(body) && typeof body.expires_in === 'number' ? body.expires_in : LIFETIME;
      return { text: token, until: Date.now() + seconds * 1000 - MARGIN };
    }
    throw this.#refused(answer.status, body, answer.headers.date, file);
  }

  #refused(status: number, body: unknown, date: string | undefined, file: string): HullError {
    const { error, error_description: words } = isObject(body) ? body : {};
    const theirs = date === undefined ? Number.NaN : Date.parse(date);
    const skew = Math.round((Date.now() - theirs) / 1000);
    const location = { file };
    if (error === 'invalid_grant' && Math.abs(skew) > 60) {
      return new HullError(
        'store.clock',
        `The store refuses the key: this computer’s clock is ${Math.abs(skew)} seconds ${skew > 0 ? 'ahead of' : 'behind'} the store’s.`,
        { location, fix: 'Set the clock, best by network time, and try again.' },
      );
    }
    const detail = typeof words === 'string' ? ` ("${words}")` : '';
    return new HullError(
      'store.account-refused',
      `The store refuses the key of ${this.#account.email}: ${typeof error === 'string' ? error : `it answers ${status}`}${detail}.`,
      {
        location,
        fix: 'The key may have been deleted, or the account disabled. Make a new key in the cloud console, and take the old one away.',
      },
    );
  }
}
