import { KeyObject, webcrypto } from 'node:crypto';
import { HullError } from '../errors.js';
import { child, fromDer, rawBytes } from './asn1.js';
import { readSignedData } from './cms.js';
import { isPem, pemBlock, pemOf, readCertificates } from './pem.js';
import { readCertificate } from './read-certificate.js';
import { rsaAlgorithm } from './rsa.js';

/** Asking an authority for a certificate, and reading what it issued. */

const ALGORITHM = rsaAlgorithm(2048);

export interface CertificationRequest {
  readonly privateKey: KeyObject;
  /** PKCS#10 (RFC 2986) as PEM. */
  readonly request: string;
}

/** A new RSA key of 2,048 bits, the kind that Apple's authority certifies, and a request for it. */
export async function requestCertification(commonName: string): Promise<CertificationRequest> {
  // Loaded here: reading a request needs none of it.
  const { makeCertificationRequest } = await import('./certificate.js');
  const keys = await webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
  const der = await makeCertificationRequest({
    subject: [{ type: 'CN', text: commonName }],
    keys,
    signingAlgorithm: ALGORITHM,
  });
  return { privateKey: KeyObject.from(keys.privateKey), request: pemOf('CERTIFICATE REQUEST', der) };
}

/** The public key that a request is for: SubjectPublicKeyInfo, DER (RFC 2986 section 4.1). Throws `keys.damaged`. */
export function requestedKey(request: Uint8Array): Uint8Array {
  const what = 'the request';
  const der = pemBlock(request, ['CERTIFICATE REQUEST', 'NEW CERTIFICATE REQUEST']) ?? request;
  return rawBytes(child(child(fromDer(der, what), 0, what), 2, what));
}

const withoutKey = (bytes: Uint8Array) => !Buffer.from(bytes).includes('PRIVATE KEY-----');

/** Certificates in CMS (RFC 5652 section 5), as authorities send them without anything signed. */
function bundled(der: Uint8Array): Uint8Array[] {
  return readSignedData(der).certificates.map((node) => new Uint8Array(readCertificate(rawBytes(node)).raw));
}

/**
 * What an authority issued: X.509 or PKCS#7 (CMS), PEM or DER.
 *
 * @returns certificates, DER; `undefined` where the file is something else, or holds a private key
 */
export function readIssued(bytes: Uint8Array): Uint8Array[] | undefined {
  try {
    if (!isPem(bytes)) {
      try {
        return readCertificates(bytes);
      } catch {
        return bundled(bytes);
      }
    }
    if (!withoutKey(bytes)) return undefined;
    const bundle = pemBlock(bytes, ['PKCS7', 'CMS']);
    const found = bundle === undefined ? readCertificates(bytes) : bundled(bundle);
    return found.length === 0 ? undefined : found;
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}
