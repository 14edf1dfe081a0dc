import 'reflect-metadata';
import { KeyObject, randomBytes, webcrypto } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  BasicConstraintsExtension,
  SubjectAlternativeNameExtension,
  type X509CertificateCreateParams,
  X509CertificateGenerator,
} from '@peculiar/x509';
import { temporaryFolder } from './temporary.js';

export interface TestCertificate {
  /** PEM, both. */
  readonly key: string;
  readonly cert: string;
  /** File of the authority's certificate, PEM. */
  readonly ca: string;
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const DAY = 86_400_000;

/** A certificate for a host from an authority of the test's own; needs no program on the machine. */
export async function testCertificate(host: string, days = 30): Promise<TestCertificate> {
  const crypto = webcrypto as NonNullable<Parameters<typeof X509CertificateGenerator.create>[1]>;
  const newKeys = () => webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
  const [authority, own] = await Promise.all([newKeys(), newKeys()]);
  const issuer = 'CN=Test harbour authority';
  const make = (
    subject: string,
    publicKey: typeof own.publicKey,
    extensions: X509CertificateCreateParams['extensions'],
    length: number,
  ) =>
    X509CertificateGenerator.create(
      {
        serialNumber: `01${randomBytes(8).toString('hex')}`,
        subject,
        issuer,
        notBefore: new Date(Date.now() - DAY),
        notAfter: new Date(Date.now() + length * DAY),
        publicKey,
        signingKey: authority.privateKey,
        signingAlgorithm: ALGORITHM,
        ...(extensions ? { extensions } : {}),
      },
      crypto,
    );
  const root = await make(
    issuer,
    authority.publicKey,
    [new BasicConstraintsExtension(true, undefined, true)],
    60,
  );
  const names = new SubjectAlternativeNameExtension([{ type: 'dns', value: host }]);
  const leaf = await make(`CN=${host}`, own.publicKey, [names], days);
  const ca = join(temporaryFolder(), 'ca.pem');
  writeFileSync(ca, root.toString('pem'));
  return {
    key: KeyObject.from(own.privateKey).export({ type: 'pkcs8', format: 'pem' }) as string,
    cert: leaf.toString('pem'),
    ca,
  };
}
