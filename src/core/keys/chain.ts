import type { KeyObject, X509Certificate } from 'node:crypto';
import { damaged } from './asn1.js';
import { readCertificate } from './read-certificate.js';

/** A certificate with its bytes (DER). */
export interface ReadCertificate {
  readonly der: Uint8Array;
  readonly certificate: X509Certificate;
}

/** The most certificates that are read of one file: keystores with a whole list of authorities have about 150. */
const MAX_CERTIFICATES = 500;
/** The longest chain: the platforms' own have four. */
const MAX_CHAIN = 20;

/** Reads the certificates of a file, once. Throws `keys.bad-certificate`, `keys.damaged`. */
export function readChainCertificates(certificates: readonly Uint8Array[]): ReadCertificate[] {
  if (certificates.length > MAX_CERTIFICATES) {
    throw damaged(`it holds ${certificates.length} certificates, and ${MAX_CERTIFICATES} at most are read`);
  }
  return certificates.map((der) => ({ der, certificate: readCertificate(der) }));
}

/** The chain that belongs to a key: its own certificate first, then the issuers that are there. */
export function chainOf(key: KeyObject, all: readonly ReadCertificate[]): Uint8Array[] {
  const chain: ReadCertificate[] = [];
  let current = all.find(({ certificate }) => certificate.checkPrivateKey(key));
  while (current !== undefined && !chain.includes(current) && chain.length < MAX_CHAIN) {
    const last = current;
    chain.push(last);
    current = all.find((item) => item !== last && last.certificate.checkIssued(item.certificate));
  }
  return chain.map(({ der }) => der);
}
