import { createPublicKey, generateKeyPair, type KeyObject, randomBytes, randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { jwtVerify } from 'jose';
import { HullError } from '../../core/errors.js';
import { writeNewFile } from '../../core/util/files.js';
import { OTHER_OWNER, OWNER } from './accounts.js';
import type { Books } from './books.js';
import type { Account, Rights } from './model.js';

/** Keys of the stand-in for App Store Connect's API, and the tokens that they sign (RFC 7519, ES256). */

const generate = promisify(generateKeyPair);
const AUDIENCE = 'appstoreconnect-v1';
/** Seconds for which a token may be good, and by which clocks may differ. */
const LIFETIME = 20 * 60;
const TOLERANCE = 60;

interface NewKey {
  readonly owner: string;
  readonly rights: Rights;
}

/** What every stand-in has: one that releases, one that may only look, one of another developer. */
const KEYS: readonly NewKey[] = [
  { owner: OWNER, rights: 'release' },
  { owner: OWNER, rights: 'look' },
  { owner: OTHER_OWNER, rights: 'release' },
];

export interface StoreKeys {
  /** Files of the keys, in the order of {@link KEYS}. */
  readonly files: readonly string[];
  /** Issuer ID of the first two, and of the last. */
  readonly issuer: string;
  readonly otherIssuer: string;
}

const accountName = (issuer: string, keyId: string) => `${issuer}/${keyId}`;

async function makeKey(books: Books, issuer: string, { owner, rights }: NewKey): Promise<string> {
  const { privateKey, publicKey } = await generate('ec', { namedCurve: 'P-256' });
  const pem = (key: KeyObject, type: 'pkcs8' | 'spki') => key.export({ format: 'pem', type }) as string;
  const keyId = randomBytes(5).toString('hex').toUpperCase();
  const file = join(books.folder, `AuthKey_${keyId}.p8`);
  await writeNewFile(
    file,
    Buffer.from(pem(privateKey, 'pkcs8')),
    0o600,
    () =>
      new HullError('disk.exists', 'There is a key of another stand-in here.', {
        location: { file },
        fix: 'Name another folder for the stand-in’s state, or remove this one.',
      }),
  );
  const account: Account = {
    email: accountName(issuer, keyId),
    keyId,
    publicKey: pem(publicKey, 'spki'),
    owner,
    rights,
  };
  books.addAccount(account);
  return file;
}

/** The keys of a stand-in, made where they are not there yet. */
export async function storeKeys(books: Books): Promise<StoreKeys> {
  const known = books.accounts().filter(({ email }) => email.includes('/'));
  const fileOf = ({ keyId }: Account) => join(books.folder, `AuthKey_${keyId}.p8`);
  const found = KEYS.map((wanted) =>
    known.find(
      (one) => one.owner === wanted.owner && one.rights === wanted.rights && existsSync(fileOf(one)),
    ),
  );
  const issuerOf = (owner: string) =>
    known.find((one) => one.owner === owner)?.email.split('/')[0] ?? randomUUID();
  const issuers: Readonly<Record<string, string>> = {
    [OWNER]: issuerOf(OWNER),
    [OTHER_OWNER]: issuerOf(OTHER_OWNER),
  };
  const files: string[] = [];
  for (const [index, wanted] of KEYS.entries()) {
    const own = found[index];
    files.push(own ? fileOf(own) : await makeKey(books, issuers[wanted.owner] as string, wanted));
  }
  return { files, issuer: issuers[OWNER] as string, otherIssuer: issuers[OTHER_OWNER] as string };
}

/** Who signed a request's token; `undefined` where it is not good. */
export async function keyOf(
  books: Books,
  authorization: string | undefined,
  now: number,
): Promise<Account | undefined> {
  const token = /^Bearer (.+)$/.exec(authorization ?? '')?.[1];
  if (token === undefined) return undefined;
  let account: Account | undefined;
  try {
    const { payload } = await jwtVerify(
      token,
      ({ kid }, { payload: claims }) => {
        const { iss } = JSON.parse(Buffer.from(String(claims), 'base64url').toString('utf8'));
        account = books.account(accountName(String(iss), String(kid)));
        if (account === undefined) throw new Error('The key is not known.');
        return createPublicKey(account.publicKey);
      },
      {
        algorithms: ['ES256'],
        audience: AUDIENCE,
        clockTolerance: TOLERANCE,
        currentDate: new Date(now),
        requiredClaims: ['iss', 'iat', 'exp'],
      },
    );
    const { iat = 0, exp = 0 } = payload;
    return exp - iat <= LIFETIME && iat <= now / 1000 + TOLERANCE ? account : undefined;
  } catch {
    return undefined;
  }
}
