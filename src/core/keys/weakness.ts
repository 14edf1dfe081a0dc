import { child, fromDer, oidOf } from './asn1.js';
import { readCertificate } from './read-certificate.js';

/** What may become trouble with a signing certificate, and what follows from it. */
export interface Weakness {
  readonly code:
    | 'expired'
    | 'expiring'
    | 'ends-too-soon'
    | 'short-key'
    | 'weak-digest'
    | 'debug-key'
    | 'not-yet';
  readonly saw: string;
  readonly means: string;
}

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

/** Weaknesses of a certificate (DER) as they stand at `now`, the worst first. Throws `keys.bad-certificate`. */
export function weaknesses(der: Uint8Array, now: Date): Weakness[] {
  const certificate = readCertificate(der);
  const [from, until] = [new Date(certificate.validFrom), new Date(certificate.validTo)];
  const day = until.toISOString().slice(0, 10);
  const found: Weakness[] = [];
  if (/\bCN=Android Debug\b/i.test(certificate.subject)) {
    found.push({
      code: 'debug-key',
      saw: 'This is a debug key.',
      means:
        'Anyone may have a key of this name; stores refuse it, and it is never the key of a released app.',
    });
  }
  if (until < now) {
    found.push({
      code: 'expired',
      saw: `It ended on ${day}.`,
      means: 'Devices go on taking updates that it signs; stores take none any more.',
    });
  } else if (until < STORE_MINIMUM_END) {
    found.push({
      code: 'ends-too-soon',
      saw: `It ends on ${day}, and stores want it to last until ${STORE_MINIMUM_END.toISOString().slice(0, 10)} at least.`,
      means:
        'A new app cannot be put into the store with it; one that is there already can be updated until it ends.',
    });
  } else if (until.getTime() - now.getTime() < TWO_YEARS) {
    found.push({
      code: 'expiring',
      saw: `It ends on ${day}.`,
      means: 'Let a new key succeed it while this one still signs: hull keys rotate',
    });
  }
  if (from > now) {
    found.push({
      code: 'not-yet',
      saw: `It begins only on ${from.toISOString().slice(0, 10)}.`,
      means: 'Devices whose clock is right may refuse it until then.',
    });
  }
  const { asymmetricKeyType: type, asymmetricKeyDetails: details } = certificate.publicKey;
  const bits = details?.modulusLength;
  if (type === 'dsa' || (bits !== undefined && bits < SHORTEST_RSA)) {
    found.push({
      code: 'short-key',
      saw: type === 'dsa' ? 'It is a DSA key.' : `Its RSA key has ${bits} bits.`,
      means:
        'Somebody with means could compute the private key and sign updates in your name; stores want RSA 2048 or more.',
    });
  }
  const digest = digestFault(der);
  if (digest !== undefined) {
    found.push({
      code: 'weak-digest',
      saw: `The certificate itself is signed with ${digest}.`,
      means: 'For a certificate that signs itself this does no harm, but tools warn about it.',
    });
  }
  return found;
}
