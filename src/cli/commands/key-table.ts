import type { CertificateFacts } from '../../core/keys/fingerprint.js';
import type { AppleCertificate } from '../../core/platforms/apple/signing/judge-certificate.js';
import { columns, safe } from '../terminal/format.js';

/** What a certificate of the developer programme is for. */
export const appleRow = (apple: AppleCertificate | null): [string, string][] =>
  apple === null
    ? []
    : [['kind', `Apple ${apple.kind}${apple.team === null ? '' : `, team ${safe(apple.team)}`}`]];

/** What commands print of a key that they put into a keystore. */
export function keyTable(facts: CertificateFacts, apple: AppleCertificate | null = null): string {
  return columns([
    ['subject', safe(facts.subject)],
    ...appleRow(apple),
    ['key', facts.key],
    ['valid until', facts.notAfter.slice(0, 10)],
    ['SHA-256', facts.sha256],
  ]);
}
