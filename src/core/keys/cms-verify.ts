import { verify as verifyBytes } from 'node:crypto';
import { HullError } from '../errors.js';
import { child, children, isContext, type Node, octetsOf, oidOf, rawBytes } from './asn1.js';
import { coveredAttributes, HASH_BY_OID, namedCertificate, readSignedData } from './cms.js';
import { readStrictCertificate } from './read-certificate.js';

/** Signature algorithms by their identifiers (RFC 3279, RFC 5754), with the digest that is part of some. */
const KEY_TYPES: Readonly<Record<string, 'rsa' | 'ec'>> = {
  '1.2.840.113549.1.1.1': 'rsa',
  '1.2.840.113549.1.1.5': 'rsa',
  '1.2.840.113549.1.1.11': 'rsa',
  '1.2.840.113549.1.1.12': 'rsa',
  '1.2.840.113549.1.1.13': 'rsa',
  '1.2.840.10045.2.1': 'ec',
  '1.2.840.10045.4.1': 'ec',
  '1.2.840.10045.4.3.2': 'ec',
  '1.2.840.10045.4.3.3': 'ec',
  '1.2.840.10045.4.3.4': 'ec',
};

const what = 'the signature';

export interface CheckedSignedData {
  /** What is signed. */
  readonly content: Uint8Array;
  /** DER: the signer's own first, then the others in it. */
  readonly certificates: readonly Uint8Array[];
  /** The signed attributes by type. */
  readonly attributes: ReadonlyMap<string, readonly Node[]>;
  /** Why the signature does not hold, in words that follow a colon; `undefined` where it does. */
  readonly fault: string | undefined;
}

/**
 * Checks a CMS signature (RFC 5652 section 5.6) of one signer; whom its certificate belongs to is for others to judge.
 *
 * @param apart what is signed, where it is not inside
 * @throws HullError `keys.damaged`, `keys.bad-certificate`, `signing.malformed` for what is not CMS
 */
export function checkSignedData(bytes: Uint8Array, apart: Uint8Array | undefined): CheckedSignedData {
  const { contentType, content: inside, certificates, infos } = readSignedData(bytes);
  const content = apart ?? inside;
  if (content === undefined)
    throw new HullError('signing.malformed', 'There is nothing in it that is signed.');
  const [info, ...more] = infos;
  const read = certificates.map((node) => readStrictCertificate(new Uint8Array(rawBytes(node)), node));
  const all = read.map(({ certificate }) => new Uint8Array(certificate.raw));
  const failed = (fault: string): CheckedSignedData => ({
    content,
    certificates: all,
    attributes: new Map(),
    fault,
  });
  if (info === undefined) return failed('it names no signer');
  if (more.length > 0) return failed('it has several signers');
  const fields = children(info, what);
  const hash = HASH_BY_OID[oidOf(child(fields[2], 0, what), what)];
  const attributesNode = isContext(fields[3], 0) ? fields[3] : undefined;
  const [algorithmNode, signatureNode] = fields.slice(attributesNode === undefined ? 3 : 4);
  const keyType = KEY_TYPES[oidOf(child(algorithmNode, 0, what), what)];
  if (hash === undefined || keyType === undefined) return failed('its algorithm is weak or unknown');
  const own = namedCertificate(fields[1], read);
  if (own === undefined) return failed('the certificate that its signer names is not in it');
  const ownDer = new Uint8Array(own.certificate.raw);
  const ordered = [ownDer, ...all.filter((der) => !Buffer.from(der).equals(ownDer))];
  const attributes = new Map<string, readonly Node[]>();
  for (const attribute of attributesNode === undefined ? [] : children(attributesNode, what)) {
    attributes.set(oidOf(child(attribute, 0, what), what), children(child(attribute, 1, what), what));
  }
  const result = { content, certificates: ordered, attributes };
  const covered =
    attributesNode === undefined ? content : coveredAttributes(attributesNode, contentType, content, hash);
  if (typeof covered === 'string') return { ...result, fault: lowered(covered) };
  const { publicKey } = own.certificate;
  if (publicKey.asymmetricKeyType !== keyType)
    return { ...result, fault: 'its algorithm is not one for the certificate’s key' };
  const holds = verifyBytes(hash, covered, publicKey, octetsOf(signatureNode, what));
  return { ...result, fault: holds ? undefined : 'it does not match what it signs' };
}

/** A sentence as it follows a colon. */
const lowered = (sentence: string) => sentence.charAt(0).toLowerCase() + sentence.slice(1).replace(/\.$/, '');
