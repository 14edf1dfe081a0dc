import { X509Certificate } from 'node:crypto';
import { HullError, task, withTasks } from '../errors.js';
import { Kept } from '../util/kept.js';
import { child, children, fromDer, isContext, type Node, numberOf, oidOf, rawBytes } from './asn1.js';

/**
 * X.509 certificates as strict readers take them (RFC 5280 section 4.1): OpenSSL lets pass what the platform's own reader
 * refuses, such as a date that is none.
 */

/** UTCTime and GeneralizedTime as certificates write them, without the day's plausibility (sections 4.1.2.5.1 and .2). */
const TIMES: Readonly<Record<number, RegExp>> = { 23: /^\d{12}Z$/, 24: /^\d{14}Z$/ };
/** Milliseconds that no JavaScript date has, as OpenSSL gives a date that it cannot read. */
const isDate = (text: string) => Number.isFinite(Date.parse(text));

const what = 'a certificate';

function bad(why: string): HullError {
  return new HullError('keys.bad-certificate', `A certificate cannot be read: ${why}.`, {
    fix: withTasks`Sign with a certificate in X.509 form (RFC 5280); ${task('createKey')} makes one.`,
  });
}

const bytesEqual = (one: Uint8Array, other: Uint8Array) => Buffer.from(one).equals(other);

/** A certificate's parts, by their place in TBSCertificate. */
interface Parts {
  readonly issuer: Uint8Array;
  readonly subject: Uint8Array;
  readonly serial: Uint8Array;
  readonly extensions: readonly {
    readonly id: string;
    readonly isCritical: boolean;
    readonly value: Uint8Array;
  }[];
}

/** Takes a certificate apart, and refuses what is not of the form. */
function partsOf(der: Uint8Array, root: Node): Parts {
  if (rawBytes(root).length !== der.length) throw bad('bytes follow it');
  const outer = children(root, what);
  const fields = [...children(outer[0], what)];
  if (outer.length !== 3) throw bad('it does not have three parts');
  const version = isContext(fields[0], 0) ? numberOf(child(fields.shift(), 0, what), what) : 0;
  const [serial, algorithm, issuer, validity, subject, key, ...rest] = fields;
  if (serial === undefined || algorithm === undefined || key === undefined) throw bad('it is cut short');
  if (version < 0 || version > 2) throw bad(`its version is ${version + 1}`);
  if (outer[1] === undefined || !bytesEqual(rawBytes(algorithm), rawBytes(outer[1]))) {
    throw bad('it names two signature algorithms');
  }
  const dates = children(validity, what);
  for (const date of dates) {
    const text = Buffer.from(rawBytes(date).subarray(2)).toString('latin1');
    if (!TIMES[date.idBlock.tagNumber]?.test(text)) throw bad('its period of validity is not a date');
  }
  if (dates.length !== 2) throw bad('its period of validity is not a date');
  const list = rest.find((node) => isContext(node, 3));
  const extensions = (list ? children(child(list, 0, what), what) : []).map((extension) => {
    const parts = children(extension, what);
    const value = parts.at(-1);
    if (value === undefined || parts.length > 3) throw bad('one of its extensions is malformed');
    return {
      id: oidOf(parts[0], what),
      isCritical: parts.length === 3 && rawBytes(parts[1] as typeof value).at(-1) !== 0,
      value: new Uint8Array(rawBytes(value)),
    };
  });
  if (new Set(extensions.map(({ id }) => id)).size !== extensions.length)
    throw bad('an extension is repeated');
  return {
    issuer: rawBytes(issuer as typeof serial),
    subject: rawBytes(subject as typeof serial),
    serial: rawBytes(serial),
    extensions,
  };
}

/** What was read of certificates, by their bytes: those of a signer are in every signature, and are read back from each. */
const certificates = new Map<string, X509Certificate>();
const strict = new Map<string, StrictCertificate>();
const MAX_KNOWN = 32;

/** What was read before, else what is read now. What throws is not kept. */
function once<T>(known: Map<string, T>, bytes: Uint8Array, read: () => T): T {
  const key = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1');
  const there = known.get(key);
  if (there !== undefined) return there;
  const made = read();
  if (known.size >= MAX_KNOWN) known.clear();
  known.set(key, made);
  return made;
}

/**
 * Reads a certificate in DER or PEM form.
 *
 * @throws HullError `keys.bad-certificate`
 */
export function readCertificate(input: Uint8Array | string): X509Certificate {
  return typeof input === 'string' ? read(input) : once(certificates, input, () => read(input));
}

function read(input: Uint8Array | string): X509Certificate {
  let certificate: X509Certificate;
  try {
    certificate = new X509Certificate(input);
    // A key of a kind that is not known here is only read when it is asked for.
    void certificate.publicKey;
  } catch (cause) {
    throw bad(
      cause instanceof Error && /unsupported|decode/i.test(cause.message)
        ? 'its key is not supported'
        : 'it is damaged',
    );
  }
  if (!isDate(certificate.validFrom) || !isDate(certificate.validTo)) {
    throw bad('its period of validity is not a date');
  }
  return certificate;
}

const publicKeys = new Kept<X509Certificate, 'spki', Uint8Array>();

/** The public key of a certificate: SubjectPublicKeyInfo (RFC 5280 section 4.1.2.7), DER. */
export function publicKeyBytes(certificate: X509Certificate): Uint8Array {
  return publicKeys.get(certificate, 'spki', () =>
    certificate.publicKey.export({ type: 'spki', format: 'der' }),
  );
}

/** A certificate with what a signature's reader asks of it. */
export interface StrictCertificate extends Parts {
  readonly certificate: X509Certificate;
}

/**
 * Reads a certificate as the platform's verifier does, which refuses more than OpenSSL. One that signs itself must also
 * match its own signature, so that no byte of it was changed.
 *
 * @param root the same certificate, where it was read already as a part of something
 * @throws HullError `keys.bad-certificate`
 */
export function readStrictCertificate(der: Uint8Array, root?: Node): StrictCertificate {
  return once(strict, der, () => readStrictly(der, root));
}

function readStrictly(der: Uint8Array, root: Node | undefined): StrictCertificate {
  const certificate = readCertificate(der);
  let parts: Parts;
  try {
    parts = partsOf(der, root ?? fromDer(der, what));
  } catch (error) {
    throw error instanceof HullError && error.code === 'keys.bad-certificate' ? error : bad('it is damaged');
  }
  if (bytesEqual(parts.issuer, parts.subject) && !matchesItself(certificate)) {
    throw bad('it was changed after it was made');
  }
  return { certificate, ...parts };
}

function matchesItself(certificate: X509Certificate): boolean {
  try {
    return certificate.verify(certificate.publicKey);
  } catch {
    return true; // signed with an algorithm that is not known here
  }
}
