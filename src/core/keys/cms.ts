import { createHash } from 'node:crypto';
import { HullError } from '../errors.js';
import { child, children, fromDer, isContext, type Node, octetsOf, oidOf, rawBytes } from './asn1.js';
import type { StrictCertificate } from './read-certificate.js';

/** Reading CMS SignedData (RFC 5652 section 5), strictly: what readers could understand differently is refused. */

const OID = {
  signedData: '1.2.840.113549.1.7.2',
  contentType: '1.2.840.113549.1.9.3',
  messageDigest: '1.2.840.113549.1.9.4',
  subjectKeyIdentifier: '2.5.29.14',
} as const;

export type CmsHash = 'sha1' | 'sha224' | 'sha256' | 'sha384' | 'sha512';

/** Digests by their identifiers (RFC 5754). */
export const HASH_BY_OID: Readonly<Record<string, CmsHash>> = {
  '1.3.14.3.2.26': 'sha1',
  '2.16.840.1.101.3.4.2.4': 'sha224',
  '2.16.840.1.101.3.4.2.1': 'sha256',
  '2.16.840.1.101.3.4.2.2': 'sha384',
  '2.16.840.1.101.3.4.2.3': 'sha512',
};

const what = 'the signature';

const bytesEqual = (one: Uint8Array, other: Uint8Array) => Buffer.from(one).equals(other);

/** The parts of SignedData. */
export interface SignedParts {
  readonly contentType: string;
  /** What is signed, where it is inside. */
  readonly content: Uint8Array | undefined;
  readonly certificates: readonly Node[];
  readonly infos: readonly Node[];
}

const TAG = { integer: 2, octets: 4, oid: 6, sequence: 16, set: 17 } as const;

/** Holds a node against the tag that its place demands: a reader that goes by places alone would let others pass. */
function expectTag(node: Node | undefined, tag: number, tagClass: 1 | 3 = 1): void {
  const isConstructed = tagClass === 3 || tag === TAG.sequence || tag === TAG.set;
  const block = node?.idBlock;
  if (block?.tagClass !== tagClass || block.tagNumber !== tag || block.isConstructed !== isConstructed) {
    throw new HullError('signing.malformed', 'Its CMS structure is not as it should be.');
  }
}

/** `AlgorithmIdentifier`, or another sequence that begins with an object identifier. */
function expectIdentified(node: Node | undefined): void {
  expectTag(node, TAG.sequence);
  expectTag(children(node, what)[0], TAG.oid);
}

function expectSignedData(data: readonly Node[]): void {
  const [version, digests, content, ...rest] = data;
  const infos = rest.pop();
  expectTag(version, TAG.integer);
  expectTag(digests, TAG.set);
  for (const digest of children(digests, what)) expectIdentified(digest);
  expectIdentified(content);
  const [certificates, revocations, ...more] = rest;
  if (certificates !== undefined && !isContext(certificates, 1)) expectTag(certificates, 0, 3);
  if (revocations !== undefined) expectTag(revocations, 1, 3);
  if (more.length > 0) throw new HullError('signing.malformed', 'Its CMS structure has parts too many.');
  expectTag(infos, TAG.set);
  for (const info of children(infos, what)) expectSignerInfo(info);
}

function expectSignerInfo(info: Node): void {
  expectTag(info, TAG.sequence);
  const [version, sid, digest, ...rest] = children(info, what);
  expectTag(version, TAG.integer);
  if (!isContext(sid, 0)) {
    expectTag(sid, TAG.sequence);
    expectTag(child(sid, 0, what), TAG.sequence);
    expectTag(child(sid, 1, what), TAG.integer);
  }
  expectIdentified(digest);
  if (isContext(rest[0], 0)) expectTag(rest.shift(), 0, 3);
  const [algorithm, signature, unsigned, ...more] = rest;
  expectIdentified(algorithm);
  expectTag(signature, TAG.octets);
  if (unsigned !== undefined) expectTag(unsigned, 1, 3);
  if (more.length > 0) throw new HullError('signing.malformed', 'Its CMS structure has parts too many.');
}

/** Takes SignedData apart. Throws HullError `keys.damaged`, `signing.malformed`. */
export function readSignedData(bytes: Uint8Array): SignedParts {
  const root = fromDer(bytes, what);
  if (oidOf(child(root, 0, what), what) !== OID.signedData)
    throw new HullError('signing.malformed', 'It is not CMS SignedData.');
  const data = children(child(child(root, 1, what), 0, what), what);
  expectTag(root, TAG.sequence);
  expectTag(child(root, 1, what), 0, 3);
  expectSignedData(data);
  const content = data[2];
  const inner = children(content, what)[1];
  return {
    contentType: oidOf(child(content, 0, what), what),
    content: isContext(inner, 0) ? octetsOf(child(inner, 0, what), what) : undefined,
    certificates: data.filter((node) => isContext(node, 0)).flatMap((node) => children(node, what)),
    infos: children(data.at(-1), what),
  };
}

/** The certificate that a SignerInfo names: by issuer and serial number, or by its subject key identifier. */
export function namedCertificate(
  sid: Node | undefined,
  all: readonly StrictCertificate[],
): StrictCertificate | undefined {
  if (sid === undefined) return undefined;
  if (isContext(sid, 0)) {
    const id = octetsOf(sid, what);
    return all.find(({ extensions }) =>
      extensions.some(
        ({ id: oid, value }) =>
          oid === OID.subjectKeyIdentifier &&
          bytesEqual(octetsOf(fromDer(value.subarray(2), what), what), id),
      ),
    );
  }
  const [issuer, serial] = children(sid, what);
  if (issuer === undefined || serial === undefined) return undefined;
  return all.find(
    (item) => bytesEqual(item.issuer, rawBytes(issuer)) && bytesEqual(item.serial, rawBytes(serial)),
  );
}

/** The one value of a signed attribute. Throws where there are several, which readers choose among differently. */
function singleValue(attributes: readonly Node[], type: string): Node | undefined {
  const found = attributes.filter((item) => oidOf(child(item, 0, what), what) === type);
  if (found.length > 1) throw new HullError('signing.malformed', 'A signed attribute is repeated.');
  const [attribute] = found;
  if (attribute === undefined) return undefined;
  const values = children(child(attribute, 1, what), what);
  if (values.length !== 1) throw new HullError('signing.malformed', 'A signed attribute has several values.');
  return values[0];
}

/** Checks signed attributes; gives what the signature is over, or a fault. */
export function coveredAttributes(
  node: Node,
  contentType: string,
  signed: Uint8Array,
  hash: CmsHash,
): Uint8Array | string {
  const attributes = children(node, what);
  const types = attributes.map((item) => oidOf(child(item, 0, what), what));
  if (new Set(types).size !== types.length) return 'A signed attribute is repeated.';
  const stated = singleValue(attributes, OID.contentType);
  if (stated === undefined) return 'Its signed attributes do not name the content type.';
  if (oidOf(stated, what) !== contentType)
    return 'Its signed attributes name another content type than the block.';
  const digest = singleValue(attributes, OID.messageDigest);
  if (digest === undefined) return 'Its signed attributes have no digest of what is signed.';
  if (!createHash(hash).update(signed).digest().equals(octetsOf(digest, what))) {
    return 'It was changed after it was signed.';
  }
  // Attributes are signed as a SET OF, not with the tag that they have in the block (RFC 5652 section 5.4).
  const covered = new Uint8Array(rawBytes(node));
  covered[0] = 0x31;
  return covered;
}
