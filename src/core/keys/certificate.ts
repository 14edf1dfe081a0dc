import 'reflect-metadata';
import { webcrypto } from 'node:crypto';
import {
  BasicConstraintsExtension,
  type Extension,
  Name,
  SubjectAlternativeNameExtension,
  X509CertificateGenerator,
} from '@peculiar/x509';

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
}

export interface NamePart {
  readonly type: 'C' | 'O' | 'CN';
  readonly text: string;
}

/** Typed values are taken to the letter; a plain text would be parsed for quotation marks and escapes. */
const nameOf = (parts: readonly NamePart[]) =>
  new Name(
    parts.map(({ type, text }) => ({
      [type]: [type === 'C' ? { printableString: text } : { utf8String: text }],
    })),
  );

function extensions({ isAuthority, names }: CertificateRequest): Extension[] {
  const list: Extension[] = [];
  if (isAuthority) list.push(new BasicConstraintsExtension(true, undefined, true));
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
  const { subject, issuer, isAuthority: _authority, names: _names, ...rest } = request;
  const certificate = await X509CertificateGenerator.create(
    { ...rest, subject: nameOf(subject), issuer: nameOf(issuer), extensions: extensions(request) },
    webcrypto as NonNullable<Parameters<typeof X509CertificateGenerator.create>[1]>,
  );
  return new Uint8Array(certificate.rawData);
}

/** A certificate as PEM (RFC 7468 section 5). */
export function certificatePem(der: Uint8Array): string {
  const lines =
    Buffer.from(der)
      .toString('base64')
      .match(/.{1,64}/g) ?? [];
  return `-----BEGIN CERTIFICATE-----\n${lines.join('\n')}\n-----END CERTIFICATE-----\n`;
}
