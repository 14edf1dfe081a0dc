import { KeyObject, randomBytes, webcrypto } from 'node:crypto';
import { HullError } from '../errors.js';
import { makeCertificate, type NamePart } from './certificate.js';
import type { KeystoreEntry } from './pkcs12.js';
import { rsaAlgorithm } from './rsa.js';

/** RSA by its modulus length in bits, or an elliptic curve (FIPS 186-5, appendix "P-256", "P-384"). */
export type KeyAlgorithm =
  | { readonly type: 'rsa'; readonly bits: 2048 | 3072 | 4096 }
  | { readonly type: 'ec'; readonly curve: 'P-256' | 'P-384' };

export interface IdentityRequest {
  readonly alias: string;
  readonly key: KeyAlgorithm;
  readonly commonName: string;
  readonly organization?: string | undefined;
  /** ISO 3166 code of two letters. */
  readonly country?: string | undefined;
  /** Whole years of validity from `from`. */
  readonly years: number;
  readonly from: Date;
}

/** Stores refuse certificates that end sooner; updates need the same key for as long as the app lives. */
export const MIN_YEARS = 27;
/** The longest common name and organization (RFC 5280 appendix A, ub-common-name, ub-organization-name). */
const MAX_NAME = 64;

function fail(message: string, option: string, fix: string): never {
  throw new HullError('keys.bad-subject', message, { location: { option }, fix });
}

/** Throws `keys.bad-subject` where a text cannot be the name in a certificate. */
export function checkCommonName(name: string): void {
  if (name.trim() !== '' && name.length <= MAX_NAME) return;
  fail(
    `A certificate’s name has 1 to ${MAX_NAME} characters.`,
    'commonName',
    'Give the app’s or the team’s name.',
  );
}

function checkRequest(request: IdentityRequest): void {
  checkCommonName(request.commonName);
  if (
    request.organization !== undefined &&
    (request.organization === '' || request.organization.length > MAX_NAME)
  ) {
    fail(
      `An organization’s name has 1 to ${MAX_NAME} characters.`,
      'organization',
      'Shorten it or leave it out.',
    );
  }
  if (request.country !== undefined && !/^[A-Z]{2}$/.test(request.country)) {
    fail(
      `"${request.country}" is not a country code of two capital letters.`,
      'country',
      'Write it as in NO or PT.',
    );
  }
  if (!Number.isInteger(request.years) || request.years < MIN_YEARS || request.years > 100) {
    fail(
      `A signing certificate is valid for ${MIN_YEARS} to 100 years.`,
      'years',
      'Stores refuse certificates that end sooner, and an app cannot change its key at will.',
    );
  }
}

/**
 * A new key and a self-signed X.509 certificate for it (RFC 5280), signed with SHA-256.
 *
 * @throws HullError `keys.bad-subject`
 */
export async function createIdentity(request: IdentityRequest): Promise<KeystoreEntry> {
  checkRequest(request);
  const algorithm =
    request.key.type === 'rsa'
      ? rsaAlgorithm(request.key.bits)
      : { name: 'ECDSA', hash: 'SHA-256', namedCurve: request.key.curve };
  const keys = await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify']);
  const subject: NamePart[] = [
    ...(request.country === undefined ? [] : [{ type: 'C' as const, text: request.country }]),
    ...(request.organization === undefined ? [] : [{ type: 'O' as const, text: request.organization }]),
    { type: 'CN', text: request.commonName },
  ];
  const notBefore = new Date(Math.floor(request.from.getTime() / 1000) * 1000);
  const notAfter = new Date(notBefore);
  notAfter.setUTCFullYear(notAfter.getUTCFullYear() + request.years);
  // A positive serial number of 127 bits at most (RFC 5280 section 4.1.2.2).
  const serial = randomBytes(16);
  serial[0] = ((serial[0] as number) & 0x7f) | 0x40;
  const certificate = await makeCertificate({
    serialNumber: serial.toString('hex'),
    subject,
    issuer: subject,
    notBefore,
    notAfter,
    publicKey: keys.publicKey,
    signingKey: keys.privateKey,
    signingAlgorithm: algorithm,
  });
  return {
    alias: request.alias,
    privateKey: KeyObject.from(keys.privateKey),
    certificates: [certificate],
  };
}
