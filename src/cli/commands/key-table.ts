import type { CertificateFacts } from '../../core/keys/fingerprint.js';
import { columns, safe } from '../terminal/format.js';

/** What commands print of a key that they put into a keystore. */
export function keyTable(facts: CertificateFacts): string {
  return columns([
    ['subject', safe(facts.subject)],
    ['key', facts.key],
    ['valid until', facts.notAfter.slice(0, 10)],
    ['SHA-256', facts.sha256],
  ]);
}
