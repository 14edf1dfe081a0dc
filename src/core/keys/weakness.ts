import { type Fix, type Location, task, withTasks } from '../errors.js';
import { bySeverity, type Finding, type Severity } from '../finding.js';
import { child, fromDer, oidOf } from './asn1.js';
import { readCertificate } from './read-certificate.js';

/** Stores refuse certificates that end before this day (the platform’s store, signing requirements). */
export const STORE_MINIMUM_END = new Date('2033-10-22T00:00:00Z');
const TWO_YEARS = 2 * 365 * 24 * 3600 * 1000;
const SHORTEST_RSA = 2048;

/** Signature algorithms that are broken, by object identifier. */
const WEAK_SIGNATURES: Readonly<Record<string, string>> = {
  '1.2.840.113549.1.1.2': 'MD2',
  '1.2.840.113549.1.1.4': 'MD5',
  '1.2.840.113549.1.1.5': 'SHA-1',
  '1.2.840.10040.4.3': 'SHA-1',
  '1.2.840.10045.4.1': 'SHA-1',
};

function digestFault(der: Uint8Array): string | undefined {
  const what = 'a certificate';
  return WEAK_SIGNATURES[oidOf(child(child(fromDer(der, what), 1, what), 0, what), what)];
}

/**
 * Weaknesses of a certificate at `now`, the most severe first.
 *
 * @param der the certificate (X.509, DER)
 * @param location where it was read
 * @throws HullError `keys.bad-certificate`
 */
export function weaknesses(der: Uint8Array, now: Date, location: Location): Finding[] {
  const certificate = readCertificate(der);
  const [from, until] = [new Date(certificate.validFrom), new Date(certificate.validTo)];
  const day = until.toISOString().slice(0, 10);
  const found: Finding[] = [];
  const add = (code: string, severity: Severity, observed: string, impact: string, fix: Fix) =>
    found.push({ code: `keys.${code}`, severity, location, observed, impact, fix });
  if (/\bCN=Android Debug\b/i.test(certificate.subject)) {
    add(
      'debug-key',
      'error',
      'This is a debug key.',
      'Anyone may have a key of this name; stores refuse it, and it is never the key of a released app.',
      withTasks`Sign releases with a key of your own: ${task('createKey')}`,
    );
  }
  if (until < now) {
    add(
      'expired',
      'error',
      `It ended on ${day}.`,
      'Devices go on taking updates that it signs; stores take none any more.',
      withTasks`Rotate the key while it still signs updates: ${task('rotateKey')}`,
    );
  } else if (until < STORE_MINIMUM_END) {
    add(
      'ends-too-soon',
      'warning',
      `It ends on ${day}, and stores want it to last until ${STORE_MINIMUM_END.toISOString().slice(0, 10)} at least.`,
      'A new app cannot be put into the store with it; one that is there already can be updated until it ends.',
      withTasks`For a new app, make a key that lasts: ${task('createKey')}`,
    );
  } else if (until.getTime() - now.getTime() < TWO_YEARS) {
    add(
      'expiring',
      'warning',
      `It ends on ${day}.`,
      'After that day stores accept no new app signed with it.',
      withTasks`Rotate it while it still signs: ${task('rotateKey')}`,
    );
  }
  if (from > now) {
    add(
      'not-yet',
      'warning',
      `It begins only on ${from.toISOString().slice(0, 10)}.`,
      'Devices whose clock is right may refuse it until then.',
      'Wait until then, or check the clock of the machine that made it.',
    );
  }
  const { asymmetricKeyType: type, asymmetricKeyDetails: details } = certificate.publicKey;
  const bits = details?.modulusLength;
  if (type === 'dsa' || (bits !== undefined && bits < SHORTEST_RSA)) {
    add(
      'short-key',
      'warning',
      type === 'dsa' ? 'It is a DSA key.' : `Its RSA key has ${bits} bits.`,
      'Somebody with means could compute the private key and sign updates in your name; stores want RSA 2048 or more.',
      withTasks`Rotate it: ${task('rotateKey')}`,
    );
  }
  const digest = digestFault(der);
  if (digest !== undefined) {
    add(
      'weak-digest',
      'suggestion',
      `The certificate itself is signed with ${digest}.`,
      'For a certificate that signs itself this does no harm, but tools warn about it.',
      'Nothing needs to be done for an existing app.',
    );
  }
  return bySeverity(found);
}
