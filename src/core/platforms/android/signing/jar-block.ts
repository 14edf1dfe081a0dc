import { createHash, verify as verifyBytes } from 'node:crypto';
import { HullError } from '../../../errors.js';
import {
  child,
  children,
  fromDer,
  isContext,
  type Node,
  octetsOf,
  oidOf,
  rawBytes,
} from '../../../keys/asn1.js';
import { readStrictCertificate, type StrictCertificate } from '../../../keys/read-certificate.js';
import type { VerifiedSigner } from './report.js';

/** The signature block of a JAR signature: CMS SignedData (RFC 5652 section 5) over a signature file. */

const OID = {
  signedData: '1.2.840.113549.1.7.2',
  data: '1.2.840.113549.1.7.1',
  contentType: '1.2.840.113549.1.9.3',
  messageDigest: '1.2.840.113549.1.9.4',
  keyUsage: '2.5.29.15',
  subjectKeyIdentifier: '2.5.29.14',
} as const;

type BlockHash = 'sha1' | 'sha224' | 'sha256' | 'sha384' | 'sha512';

const HASH_BY_OID: Readonly<Record<string, BlockHash>> = {
  '1.3.14.3.2.26': 'sha1',
  '2.16.840.1.101.3.4.2.4': 'sha224',
  '2.16.840.1.101.3.4.2.1': 'sha256',
  '2.16.840.1.101.3.4.2.2': 'sha384',
  '2.16.840.1.101.3.4.2.3': 'sha512',
};

interface BlockAlgorithm {
  readonly keyType: 'rsa' | 'dsa' | 'ec';
  /** The digests that may be beside it, each with the API level from which every device knows the pair. */
  readonly since: Readonly<Partial<Record<BlockHash, number>>>;
}

const onlyWith = (keyType: BlockAlgorithm['keyType'], hash: BlockHash, since: number): BlockAlgorithm => ({
  keyType,
  since: { [hash]: since },
});

/**
 * Signature algorithms (RFC 3279, RFC 5754) with the levels of the platform's own verifier (V1SchemeVerifier,
 * "getSigAlgSupportedApiLevels"). MD5, and digests other than the algorithm's own, are left out as weak.
 */
const ALGORITHM_BY_OID: Readonly<Record<string, BlockAlgorithm>> = {
  '1.2.840.113549.1.1.1': {
    keyType: 'rsa',
    since: { sha1: 1, sha224: 21, sha256: 18, sha384: 18, sha512: 18 },
  },
  '1.2.840.113549.1.1.5': onlyWith('rsa', 'sha1', 1),
  '1.2.840.113549.1.1.14': onlyWith('rsa', 'sha224', 21),
  '1.2.840.113549.1.1.11': onlyWith('rsa', 'sha256', 21),
  '1.2.840.113549.1.1.12': onlyWith('rsa', 'sha384', 21),
  '1.2.840.113549.1.1.13': onlyWith('rsa', 'sha512', 21),
  '1.2.840.10040.4.1': { keyType: 'dsa', since: { sha1: 1, sha224: 22, sha256: 22 } },
  '1.2.840.10040.4.3': onlyWith('dsa', 'sha1', 9),
  '2.16.840.1.101.3.4.3.1': onlyWith('dsa', 'sha224', 22),
  '2.16.840.1.101.3.4.3.2': onlyWith('dsa', 'sha256', 22),
  '1.2.840.10045.2.1': {
    keyType: 'ec',
    since: { sha1: 18, sha224: 21, sha256: 18, sha384: 18, sha512: 18 },
  },
  '1.2.840.10045.4.1': onlyWith('ec', 'sha1', 18),
  '1.2.840.10045.4.3.1': onlyWith('ec', 'sha224', 21),
  '1.2.840.10045.4.3.2': onlyWith('ec', 'sha256', 21),
  '1.2.840.10045.4.3.3': onlyWith('ec', 'sha384', 21),
  '1.2.840.10045.4.3.4': onlyWith('ec', 'sha512', 21),
};

/** Below this level devices do not check the digest among signed attributes (Android 4.4). */
const ATTRIBUTES_SINCE = 19;

/** Critical extensions that the platform's reader understands (RFC 5280 section 4.2.1). */
const KNOWN_EXTENSIONS: ReadonlySet<string> = new Set(
  [14, 15, 17, 18, 19, 30, 31, 32, 33, 35, 36, 37, 54].map((last) => `2.5.29.${last}`),
);

const what = 'the signature block';

export interface BlockResult {
  readonly signer: VerifiedSigner | undefined;
  readonly fault: string | undefined;
  /** API level below which devices cannot read the block although it is right. */
  readonly since: number;
}

const failed = (fault: string): BlockResult => ({ signer: undefined, fault, since: 1 });

const bytesEqual = (one: Uint8Array, other: Uint8Array) => Buffer.from(one).equals(other);

interface Block {
  readonly contentType: string;
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

function decodeBlock(bytes: Uint8Array): Block {
  const root = fromDer(bytes, what);
  if (oidOf(child(root, 0, what), what) !== OID.signedData)
    throw new HullError('signing.malformed', 'It is not CMS SignedData.');
  const data = children(child(child(root, 1, what), 0, what), what);
  expectTag(root, TAG.sequence);
  expectTag(child(root, 1, what), 0, 3);
  expectSignedData(data);
  const content = data[2];
  return {
    contentType: oidOf(child(content, 0, what), what),
    certificates: data.filter((node) => isContext(node, 0)).flatMap((node) => children(node, what)),
    infos: children(data.at(-1), what),
  };
}

/** The certificate that a SignerInfo names: by issuer and serial number, or by its subject key identifier. */
function namedCertificate(
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

/** Why a certificate may not sign, as devices judge it; `undefined` where it may. */
function usageFault({ extensions }: StrictCertificate): string | undefined {
  for (const { id, isCritical, value } of extensions) {
    if (isCritical && !KNOWN_EXTENSIONS.has(id)) {
      return `The signing certificate has a critical extension (${id}) that devices do not know.`;
    }
    if (id !== OID.keyUsage) continue;
    // KeyUsage ::= BIT STRING, bit 0 digitalSignature and bit 1 nonRepudiation, inside an OCTET STRING.
    const bits = value.at(2) === 3 ? (value.at(5) ?? 0) : 0;
    if ((bits & 0xc0) === 0) return 'The signing certificate is not meant for signatures (key usage).';
  }
  return undefined;
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
function coveredAttributes(
  node: Node,
  contentType: string,
  signed: Uint8Array,
  hash: BlockHash,
): Uint8Array | string {
  const attributes = children(node, what);
  const types = attributes.map((item) => oidOf(child(item, 0, what), what));
  if (new Set(types).size !== types.length) return 'A signed attribute is repeated.';
  const stated = singleValue(attributes, OID.contentType);
  if (stated === undefined) return 'Its signed attributes do not name the content type.';
  if (oidOf(stated, what) !== contentType)
    return 'Its signed attributes name another content type than the block.';
  const digest = singleValue(attributes, OID.messageDigest);
  if (digest === undefined) return 'Its signed attributes have no digest of the signature file.';
  if (!createHash(hash).update(signed).digest().equals(octetsOf(digest, what))) {
    return 'The signature file was changed after signing.';
  }
  // Attributes are signed as a SET OF, not with the tag that they have in the block (RFC 5652 section 5.4).
  const covered = new Uint8Array(rawBytes(node));
  covered[0] = 0x31;
  return covered;
}

/**
 * Checks a signature block over a signature file's bytes. Faults are sentences; what is not CMS throws.
 *
 * @throws HullError `keys.damaged`, `keys.bad-certificate`, `signing.malformed`
 */
export function checkBlock(bytes: Uint8Array, signed: Uint8Array): BlockResult {
  const { contentType, certificates, infos } = decodeBlock(bytes);
  const read = certificates.map((node) => readStrictCertificate(new Uint8Array(rawBytes(node))));
  const [info, ...more] = infos;
  if (info === undefined) return failed('It names no signer.');
  // Older devices read the first one, newer ones the first that holds.
  if (more.length > 0)
    return failed('One signature block has several signers; devices choose among them differently.');
  const fields = children(info, what);
  const hash = HASH_BY_OID[oidOf(child(fields[2], 0, what), what)];
  if (hash === undefined) return failed('It is signed with a digest that is weak or unknown.');
  const attributes = isContext(fields[3], 0) ? fields[3] : undefined;
  const [algorithmNode, signatureNode] = fields.slice(attributes === undefined ? 3 : 4);
  const algorithm = ALGORITHM_BY_OID[oidOf(child(algorithmNode, 0, what), what)];
  const since = algorithm?.since[hash];
  if (algorithm === undefined || since === undefined) {
    return failed('Its signature algorithm is weak or unknown, or does not go with its digest.');
  }
  const own = namedCertificate(fields[1], read);
  if (own === undefined) return failed('The certificate that its signer names is not in the block.');
  const usage = usageFault(own);
  if (usage !== undefined) return failed(usage);
  const { publicKey } = own.certificate;
  if (publicKey.asymmetricKeyType !== algorithm.keyType) {
    return failed("Its signature algorithm is not one for the certificate's key.");
  }
  const covered =
    attributes === undefined ? signed : coveredAttributes(attributes, contentType, signed, hash);
  if (typeof covered === 'string') return failed(covered);
  if (!verifyBytes(hash, covered, publicKey, octetsOf(signatureNode, what))) {
    return failed('The signature does not match the signature file.');
  }
  const ownDer = new Uint8Array(own.certificate.raw);
  const others = read
    .filter((item) => item !== own)
    .map(({ certificate }) => new Uint8Array(certificate.raw));
  const name = `${publicKey.asymmetricKeyType.toUpperCase()} with ${hash.toUpperCase()}, JAR`;
  return {
    signer: { certificates: [ownDer, ...others], algorithms: [name] },
    fault: undefined,
    since: attributes === undefined ? since : Math.max(since, ATTRIBUTES_SINCE),
  };
}
