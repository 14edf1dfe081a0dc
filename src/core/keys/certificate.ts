import 'reflect-metadata';
import { webcrypto } from 'node:crypto';
import {
  BasicConstraintsExtension,
  ExtendedKeyUsageExtension,
  Extension,
  KeyUsageFlags,
  KeyUsagesExtension,
  Name,
  Pkcs10CertificateRequestGenerator,
  SubjectAlternativeNameExtension,
  X509CertificateGenerator,
} from '@peculiar/x509';
import { pemOf } from './pem.js';

// The package needs a helper of its own loaded before it; here alone the two are loaded.

/** What a certificate says (RFC 5280 section 4.1.2). */
export interface CertificateRequest {
  /** Hexadecimal, positive. */
  readonly serialNumber: string;
  /** Names by their short types, the least specific first: taken to the letter. */
  readonly subject: readonly NamePart[];
  readonly issuer: readonly NamePart[];
  readonly notBefore: Date;
  readonly notAfter: Date;
  readonly publicKey: webcrypto.CryptoKey;
  readonly signingKey: webcrypto.CryptoKey;
  readonly signingAlgorithm: { readonly name: string; readonly hash: string };
  /** Section 4.2.1.9. */
  readonly isAuthority?: boolean;
  /** Section 4.2.1.6: host names and addresses. */
  readonly names?: readonly string[];
  /** Sections 4.2.1.3 and 4.2.1.12: it signs code. */
  readonly signsCode?: boolean;
  /** Section 4.2.1.3: it proves who is at an end of a TLS connection. */
  readonly securesConnections?: boolean;
  /** Identifiers of critical extensions that say nothing but that they are there. */
  readonly markers?: readonly string[];
}

export interface NamePart {
  readonly type: 'C' | 'O' | 'OU' | 'CN';
  readonly text: string;
}

/** Typed values are taken to the letter; a plain text would be parsed for quotation marks and escapes. */
const nameOf = (parts: readonly NamePart[]) =>
  new Name(
    parts.map(({ type, text }) => ({
      [type]: [type === 'C' ? { printableString: text } : { utf8String: text }],
    })),
  );

/** id-kp-codeSigning (section 4.2.1.12). */
const CODE_SIGNING = '1.3.6.1.5.5.7.3.3';
/** NULL in DER. */
const NOTHING = new Uint8Array([5, 0]);

function extensions(request: CertificateRequest): Extension[] {
  const { isAuthority, names, signsCode, securesConnections, markers = [] } = request;
  const list: Extension[] = [];
  if (isAuthority) list.push(new BasicConstraintsExtension(true, undefined, true));
  if (signsCode) {
    list.push(
      new KeyUsagesExtension(KeyUsageFlags.digitalSignature, true),
      new ExtendedKeyUsageExtension([CODE_SIGNING], true),
    );
  }
  if (securesConnections) {
    list.push(
      new BasicConstraintsExtension(false, undefined, true),
      new KeyUsagesExtension(KeyUsageFlags.digitalSignature | KeyUsageFlags.keyEncipherment, true),
    );
  }
  for (const id of markers) list.push(new Extension(id, true, NOTHING));
  if (names) {
    const typed = names.map((value) => ({
      type: /^[\d.]+$|:/.test(value) ? ('ip' as const) : ('dns' as const),
      value,
    }));
    list.push(new SubjectAlternativeNameExtension(typed));
  }
  return list;
}

/** Makes and signs a certificate; gives it as DER. */
export async function makeCertificate(request: CertificateRequest): Promise<Uint8Array> {
  const { serialNumber, subject, issuer, notBefore, notAfter, publicKey, signingKey, signingAlgorithm } =
    request;
  const rest = { serialNumber, notBefore, notAfter, publicKey, signingKey, signingAlgorithm };
  const certificate = await X509CertificateGenerator.create(
    { ...rest, subject: nameOf(subject), issuer: nameOf(issuer), extensions: extensions(request) },
    webcrypto as NonNullable<Parameters<typeof X509CertificateGenerator.create>[1]>,
  );
  return new Uint8Array(certificate.rawData);
}

/** Makes and signs a certification request (PKCS#10, RFC 2986); gives it as DER. */
export async function makeCertificationRequest(request: {
  readonly subject: readonly NamePart[];
  readonly keys: webcrypto.CryptoKeyPair;
  readonly signingAlgorithm: { readonly name: string; readonly hash: string };
}): Promise<Uint8Array> {
  const { subject, keys, signingAlgorithm } = request;
  const made = await Pkcs10CertificateRequestGenerator.create(
    { name: nameOf(subject), keys, signingAlgorithm },
    webcrypto as NonNullable<Parameters<typeof Pkcs10CertificateRequestGenerator.create>[1]>,
  );
  return new Uint8Array(made.rawData);
}

export const certificatePem = (der: Uint8Array): string => pemOf('CERTIFICATE', der);
