import { type KeyObject, X509Certificate } from 'node:crypto';
import { damaged } from './asn1.js';

/** The chain that belongs to a key: its own certificate first, then the issuers that are there. Throws `keys.damaged`. */
export function chainOf(key: KeyObject, certificates: readonly Uint8Array[]): Uint8Array[] {
  const all = certificates.map((der) => {
    try {
      return { der, certificate: new X509Certificate(der) };
    } catch {
      throw damaged('a certificate cannot be read');
    }
  });
  const own = all.find(({ certificate }) => certificate.checkPrivateKey(key));
  const chain: Uint8Array[] = [];
  for (let current = own; current !== undefined && !chain.includes(current.der); ) {
    chain.push(current.der);
    const { certificate } = current;
    current = all.find(
      (item) => item.certificate !== certificate && certificate.checkIssued(item.certificate),
    );
  }
  return chain;
}
