import { createPrivateKey, type KeyObject } from 'node:crypto';
import { HullError } from '../errors.js';
import { damaged } from './asn1.js';
import { chainOf, readChainCertificates } from './chain.js';
import type { KeystoreEntry } from './pkcs12.js';
import { readCertificate } from './read-certificate.js';

/** Keys and certificates in files of their own: PEM (RFC 7468) or DER; PKCS#1, PKCS#8 plain or encrypted, SEC 1. */

export function isPem(bytes: Uint8Array): boolean {
  return Buffer.from(bytes.subarray(0, 64 * 1024))
    .toString('latin1')
    .includes('-----BEGIN ');
}

/** DER as PEM (RFC 7468). @param label as in `CERTIFICATE` */
export function pemOf(label: string, der: Uint8Array): string {
  const lines =
    Buffer.from(der)
      .toString('base64')
      .match(/.{1,64}/g) ?? [];
  return `-----BEGIN ${label}-----\n${lines.join('\n')}\n-----END ${label}-----\n`;
}

/** DER of the first block of a PEM file with one of these labels. */
export function pemBlock(bytes: Uint8Array, labels: readonly string[]): Uint8Array | undefined {
  const text = blocks(bytes).find(({ label }) => labels.includes(label))?.text;
  return text === undefined
    ? undefined
    : new Uint8Array(Buffer.from(text.replace(/-----[^-]+-----/g, ''), 'base64'));
}

/** The blocks of a PEM file. Goes over it once, however many blocks begin and never end. */
function blocks(bytes: Uint8Array): { readonly label: string; readonly text: string }[] {
  const whole = Buffer.from(bytes).toString('latin1');
  const found: { label: string; text: string }[] = [];
  const isUnended = new Set<string>();
  const begin = /-----BEGIN ([A-Z0-9 ]{1,64})-----/g;
  for (let match = begin.exec(whole); match !== null; match = begin.exec(whole)) {
    const label = match[1] as string;
    const ending = `-----END ${label}-----`;
    const end = isUnended.has(label) ? -1 : whole.indexOf(ending, begin.lastIndex);
    if (end < 0) {
      isUnended.add(label);
      continue;
    }
    found.push({ label, text: whole.slice(match.index, end + ending.length) });
    begin.lastIndex = end + ending.length;
  }
  return found;
}

/** Certificates of a PEM or DER file, in their order. Throws `keys.bad-certificate`. */
export function readCertificates(bytes: Uint8Array): Uint8Array[] {
  const read = (input: string | Uint8Array) => new Uint8Array(readCertificate(input).raw);
  if (!isPem(bytes)) return [read(bytes)];
  return blocks(bytes)
    .filter(({ label }) => label === 'CERTIFICATE')
    .map(({ text }) => read(text));
}

function wrongPassword(): HullError {
  return new HullError('keys.wrong-password', 'The password does not open this key.', {
    fix: 'Give the right password.',
  });
}

function readPemKey(text: string, label: string, password: string | undefined): KeyObject {
  const isEncrypted = label.startsWith('ENCRYPTED') || text.includes('Proc-Type: 4,ENCRYPTED');
  if (isEncrypted && password === undefined) throw wrongPassword();
  try {
    return createPrivateKey({ key: text, format: 'pem', ...(isEncrypted ? { passphrase: password } : {}) });
  } catch (error) {
    if (!isEncrypted) throw damaged('the key cannot be read');
    // Four wrong passwords in a thousand give bytes that look decrypted and are no key: the decoder calls that unsupported too.
    if ((error as NodeJS.ErrnoException).code === 'ERR_OSSL_EVP_UNSUPPORTED') {
      throw new HullError('keys.unsupported', 'The key is encrypted with a cipher that is not read here.', {
        fix: 'Encrypt it again: openssl pkcs8 -topk8 -in old.pem -out new.pem',
      });
    }
    throw wrongPassword();
  }
}

function readDerKey(bytes: Uint8Array, password: string | undefined): KeyObject {
  for (const type of ['pkcs8', 'pkcs1', 'sec1'] as const) {
    try {
      return createPrivateKey({
        key: Buffer.from(bytes),
        format: 'der',
        type,
        ...(password === undefined ? {} : { passphrase: password }),
      });
    } catch {
      // Of another kind.
    }
  }
  throw damaged('it is neither a keystore nor a key in a form that is known, or its password is another');
}

/**
 * The one key of a PEM or DER file, with the certificates that are beside it or are given.
 *
 * @throws HullError `keys.wrong-password`, `keys.damaged`, `keys.unsupported`, `keys.no-certificate`
 */
export function readKeyFile(
  bytes: Uint8Array,
  password: string | undefined,
  more: readonly Uint8Array[],
): KeystoreEntry[] {
  const found = isPem(bytes) ? blocks(bytes) : [];
  const keys = found.filter(({ label }) => label.endsWith('PRIVATE KEY'));
  const [first] = keys;
  if (isPem(bytes) && first === undefined) throw damaged('it holds no private key');
  const privateKey = first ? readPemKey(first.text, first.label, password) : readDerKey(bytes, password);
  const beside = isPem(bytes) ? readCertificates(bytes) : [];
  const certificates = chainOf(privateKey, readChainCertificates([...beside, ...more]));
  if (certificates.length === 0) {
    throw new HullError('keys.no-certificate', 'The key is there, and no certificate that belongs to it.', {
      fix: 'Give the file of its certificate too.',
    });
  }
  return [{ alias: '', privateKey, certificates }];
}
