import { createPublicKey, generateKeyPair, type KeyObject, randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { errors, jwtVerify } from 'jose';
import { HullError } from '../../core/errors.js';
import { writeNewFile } from '../../core/util/files.js';
import type { Books } from './books.js';
import type { Account, Rights } from './model.js';

/** Service accounts of the stand-in, and the tokens that they get (RFC 7523). */

const generate = promisify(generateKeyPair);
const SCOPE = 'https://www.googleapis.com/auth/androidpublisher';
const GRANT = 'urn:ietf:params:oauth:grant-type:jwt-bearer';
/** Seconds for which a token is good. */
const LIFETIME = 3600;
/** Seconds by which clocks may differ. */
const TOLERANCE = 60;

export const OWNER = 'Saltmarsh Ferry Line';
export const OTHER_OWNER = 'Another developer account';

interface NewAccount {
  readonly file: string;
  readonly name: string;
  readonly owner: string;
  readonly rights: Rights;
}

/** What every stand-in has: one that releases, one that may only look, one of another developer. */
const ACCOUNTS: readonly NewAccount[] = [
  { file: 'account.json', name: 'harbour-master', owner: OWNER, rights: 'release' },
  { file: 'account-look.json', name: 'lookout', owner: OWNER, rights: 'look' },
  { file: 'account-other.json', name: 'stranger', owner: OTHER_OWNER, rights: 'release' },
];

async function makeAccount(books: Books, { file, name, owner, rights }: NewAccount): Promise<void> {
  const email = `${name}@drydock.example`;
  const path = join(books.folder, file);
  if (existsSync(path) && books.account(email)) return;
  const { privateKey, publicKey } = await generate('rsa', { modulusLength: 2048 });
  const pem = (key: KeyObject, type: 'pkcs8' | 'spki') => key.export({ format: 'pem', type }) as string;
  const keyId = randomBytes(20).toString('hex');
  const content = {
    type: 'service_account',
    project_id: 'drydock',
    private_key_id: keyId,
    private_key: pem(privateKey, 'pkcs8'),
    client_email: email,
    // The port is another at each start; it is put in when the stand-in listens.
    token_uri: 'http://127.0.0.1/token',
  };
  await writeNewFile(
    path,
    Buffer.from(`${JSON.stringify(content, null, 2)}\n`),
    0o600,
    () =>
      new HullError('disk.exists', 'There is an account of another stand-in here.', {
        location: { file: path },
        fix: 'Name another folder for the stand-in’s state, or remove this one.',
      }),
  );
  books.addAccount({ email, keyId, publicKey: pem(publicKey, 'spki'), owner, rights });
}

export const accountFiles = (): readonly string[] => ACCOUNTS.map(({ file }) => file);

export async function makeAccounts(books: Books): Promise<void> {
  for (const one of ACCOUNTS) await makeAccount(books, one);
}

export interface TokenAnswer {
  readonly status: number;
  readonly body: Readonly<Record<string, string | number>>;
}

/** Gives tokens to those who prove to hold an account's key, and knows them again. */
export class Tokens {
  readonly #books: Books;
  readonly #now: () => number;
  readonly #given = new Map<string, { readonly email: string; readonly until: number }>();

  constructor(books: Books, now: () => number) {
    this.#books = books;
    this.#now = now;
  }

  /** @param audience address of the token endpoint itself */
  async grant(form: Readonly<Record<string, string>>, audience: string): Promise<TokenAnswer> {
    const refuse = (error: string, words: string): TokenAnswer => ({
      status: 400,
      body: { error, error_description: words },
    });
    if (form.grant_type !== GRANT)
      return refuse('unsupported_grant_type', 'Only JWT bearer grants are taken.');
    let account: Account | undefined;
    try {
      const { payload } = await jwtVerify(
        form.assertion ?? '',
        ({ kid }, token) => {
          const claims: unknown = JSON.parse(
            Buffer.from(String(token.payload), 'base64url').toString('utf8'),
          );
          const email = (claims as { iss?: unknown }).iss;
          account = typeof email === 'string' ? this.#books.account(email) : undefined;
          if (account === undefined) throw new errors.JWTInvalid('Invalid grant: account not found');
          if (account.keyId !== kid)
            throw new errors.JWTInvalid('Invalid grant: this key is not one of the account');
          return createPublicKey(account.publicKey);
        },
        {
          algorithms: ['RS256'],
          audience,
          clockTolerance: TOLERANCE,
          currentDate: new Date(this.#now()),
          requiredClaims: ['iat', 'exp', 'iss'],
        },
      );
      const { iat = 0, exp = 0, scope } = payload;
      if (exp - iat > LIFETIME)
        return refuse('invalid_grant', 'Invalid JWT: it is good for more than an hour.');
      if (iat > this.#now() / 1000 + TOLERANCE)
        return refuse(
          'invalid_grant',
          'Invalid JWT: Token must be a short-lived token and in a reasonable timeframe.',
        );
      if (scope !== SCOPE) return refuse('invalid_scope', 'The scope is missing or unknown.');
    } catch (error) {
      return refuse(
        'invalid_grant',
        error instanceof Error ? `Invalid JWT: ${error.message}` : 'Invalid JWT.',
      );
    }
    const token = randomBytes(24).toString('base64url');
    this.#given.set(token, {
      email: (account as Account | undefined)?.email ?? '',
      until: this.#now() + LIFETIME * 1000,
    });
    return { status: 200, body: { access_token: token, expires_in: LIFETIME, token_type: 'Bearer' } };
  }

  /** The account whose token a request has. */
  accountOf(authorization: string | undefined): Account | undefined {
    const token = /^Bearer (.+)$/.exec(authorization ?? '')?.[1];
    const given = token === undefined ? undefined : this.#given.get(token);
    return given && given.until > this.#now() ? this.#books.account(given.email) : undefined;
  }
}
