import { createHash, type X509Certificate } from 'node:crypto';
import { HullError } from '../errors.js';
import { readCertificate } from './read-certificate.js';

/** What people compare of a certificate. */
export interface CertificateFacts {
  /** RFC 4514 style, most specific first. */
  readonly subject: string;
  readonly issuer: string;
  /** Hexadecimal. */
  readonly serialNumber: string;
  /** ISO 8601, UTC. */
  readonly notBefore: string;
  readonly notAfter: string;
  /** Upper-case hexadecimal pairs with colons, as consoles and association files write them. */
  readonly sha1: string;
  readonly sha256: string;
  /** As in `RSA 3072`. */
  readonly key: string;
}

/** A digest of a certificate's DER in the form that consoles show. */
export function fingerprint(der: Uint8Array, hash: 'sha1' | 'sha256'): string {
  const hex = createHash(hash).update(der).digest('hex').toUpperCase();
  return (hex.match(/../g) ?? []).join(':');
}

function distinguishedName(multiline: string): string {
  return multiline
    .split('\n')
    .map((line) => line.replace(/([,+"\\<>;])/g, '\\$1'))
    .reverse()
    .join(', ');
}

/** Curves by the names of FIPS 186-5, where OpenSSL has another. */
const CURVES: Readonly<Record<string, string>> = {
  prime256v1: 'P-256',
  secp384r1: 'P-384',
  secp521r1: 'P-521',
};

function keyName(certificate: X509Certificate): string {
  const { publicKey } = certificate;
  const details = publicKey.asymmetricKeyDetails;
  const type = (publicKey.asymmetricKeyType ?? 'unknown').toUpperCase();
  const curve = details?.namedCurve;
  return [type, details?.modulusLength ?? (curve && (CURVES[curve] ?? curve))]
    .filter((part) => part !== undefined)
    .join(' ');
}

/** Facts of a DER certificate. Throws HullError `keys.bad-certificate`. */
export function certificateFacts(der: Uint8Array): CertificateFacts {
  const certificate = readCertificate(der);
  return {
    subject: distinguishedName(certificate.subject ?? ''),
    issuer: distinguishedName(certificate.issuer ?? ''),
    serialNumber: certificate.serialNumber,
    notBefore: new Date(certificate.validFrom).toISOString(),
    notAfter: new Date(certificate.validTo).toISOString(),
    sha1: fingerprint(der, 'sha1'),
    sha256: fingerprint(der, 'sha256'),
    key: keyName(certificate),
  };
}

/** The same, or `undefined` for a certificate that cannot be read: what is wrong with it is said elsewhere. */
export function readableFacts(der: Uint8Array | undefined): CertificateFacts | undefined {
  try {
    return der && certificateFacts(der);
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}
