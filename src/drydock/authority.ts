import { KeyObject, randomBytes, webcrypto } from 'node:crypto';
import { certificatePem, makeCertificate } from '../core/keys/certificate.js';

/** A server's key and certificate, PEM. */
export interface ServerCertificate {
  readonly key: string;
  readonly cert: string;
}

/** A certificate authority for one run: its key never leaves this process. */
export interface ThrowAwayAuthority {
  /** Its certificate, PEM. */
  readonly pem: string;
  /** @param names host names and addresses @param days until its end; a negative number has ended already */
  issue(names: readonly string[], days?: number): Promise<ServerCertificate>;
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const DAY = 86_400_000;
/** Days until the authority itself ends. */
const LIFE = 60;
const USUAL = 30;

const newKeys = () => webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);

/** Makes an authority and, with it, certificates for servers on loopback (RFC 5280). */
export async function throwAwayAuthority(name: string): Promise<ThrowAwayAuthority> {
  const own = await newKeys();
  const issuer = [{ type: 'CN' as const, text: name }];
  const shared = (days: number) => ({
    serialNumber: `01${randomBytes(8).toString('hex')}`,
    issuer,
    notBefore: new Date(Date.now() - (days < 0 ? LIFE : 1) * DAY),
    notAfter: new Date(Date.now() + days * DAY),
    signingKey: own.privateKey,
    signingAlgorithm: ALGORITHM,
  });
  const root = await makeCertificate({
    ...shared(LIFE),
    subject: issuer,
    publicKey: own.publicKey,
    isAuthority: true,
  });
  return {
    pem: certificatePem(root),
    async issue(names, days = USUAL) {
      const keys = await newKeys();
      const leaf = await makeCertificate({
        ...shared(days),
        subject: [{ type: 'CN', text: names[0] ?? 'localhost' }],
        publicKey: keys.publicKey,
        names,
      });
      return {
        key: KeyObject.from(keys.privateKey).export({ type: 'pkcs8', format: 'pem' }) as string,
        cert: certificatePem(leaf),
      };
    },
  };
}
