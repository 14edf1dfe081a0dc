import { createHash, X509Certificate } from 'node:crypto';
import { HullError } from '../../../errors.js';
import { child, children, fromDer, isContext, oidOf } from '../../../keys/asn1.js';

/**
 * Certificates of the vendor's authority, and what its markers say (Apple, "Certification Practice Statement, Worldwide
 * Developer Relations", section 4.11: certificate profiles).
 */

/** SHA-256 of the vendor's root, "Apple Root CA", in hexadecimal; as its page of certificate authorities gives it. */
export const VENDOR_ROOT = 'b0b1730ecbc7ff4505142c49f1295e6eda6bcaed7e2c68c5be91b5a11001f024';

export const MARKER = {
  intermediate: '1.2.840.113635.100.6.2.1',
  development: '1.2.840.113635.100.6.1.2',
  distribution: '1.2.840.113635.100.6.1.4',
} as const;

export type CertificateKind = 'development' | 'distribution';

export const sha256Hex = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

const what = 'a certificate';

/** The identifiers of a certificate's extensions. */
function extensionIds(der: Uint8Array): string[] {
  const fields = children(child(fromDer(der, what), 0, what), what);
  const list = fields.find((node) => isContext(node, 3));
  return list === undefined
    ? []
    : children(child(list, 0, what), what).map((extension) => oidOf(child(extension, 0, what), what));
}

/** What a certificate is for; `undefined` where it is not one of the vendor's for signing apps. */
export function certificateKind(der: Uint8Array): CertificateKind | undefined {
  try {
    const ids = extensionIds(der);
    if (ids.includes(MARKER.development)) return 'development';
    return ids.includes(MARKER.distribution) ? 'distribution' : undefined;
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}

/** One part of a distinguished name as `node:crypto` writes it, a line each. */
const partOf = (name: string, type: 'CN' | 'OU') => new RegExp(`(?:^|\\n)${type}=([^\\n]*)`).exec(name)?.[1];

export const commonNameOf = ({ subject }: X509Certificate): string | undefined => partOf(subject, 'CN');

/** The team of a certificate: the organizational unit of its subject. */
export const teamOf = ({ subject }: X509Certificate): string | undefined => partOf(subject, 'OU');

export type Chain =
  | { readonly is: 'complete'; readonly root: X509Certificate; readonly isTrusted: boolean }
  /** The issuer of the last one found is not there. */
  | { readonly is: 'incomplete'; readonly missing: string };

/**
 * Follows a certificate to its root among others.
 *
 * @param root SHA-256 of the trusted root, in hexadecimal
 */
function chainTo(own: X509Certificate, others: readonly X509Certificate[], root: string): Chain {
  let current = own;
  for (let step = 0; step < 8; step += 1) {
    if (current.subject === current.issuer && current.verify(current.publicKey)) {
      return { is: 'complete', root: current, isTrusted: sha256Hex(current.raw) === root };
    }
    const from = current;
    const next = others.find((one) => one !== from && isIssuer(one, from));
    if (next === undefined) break;
    current = next;
  }
  return { is: 'incomplete', missing: partOf(current.issuer, 'CN') ?? current.issuer };
}

/**
 * Follows a certificate to its root among those that come with it.
 *
 * @param certificates DER, its own first; `undefined` comes of none
 */
export function chainFrom(certificates: readonly Uint8Array[], root: string): Chain | undefined {
  const [own, ...others] = certificates.map((der) => new X509Certificate(der));
  return own && chainTo(own, others, root);
}

function isIssuer(issuer: X509Certificate, issued: X509Certificate): boolean {
  try {
    return issuer.ca && issued.checkIssued(issuer) && issued.verify(issuer.publicKey);
  } catch {
    return false; // a key that is not known here vouches for nothing
  }
}
