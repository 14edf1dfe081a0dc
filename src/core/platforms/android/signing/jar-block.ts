import { verify as verifyBytes } from 'node:crypto';
import { child, children, isContext, octetsOf, oidOf, rawBytes } from '../../../keys/asn1.js';
import {
  type CmsHash,
  coveredAttributes,
  HASH_BY_OID,
  namedCertificate,
  readSignedData,
} from '../../../keys/cms.js';
import { readStrictCertificate, type StrictCertificate } from '../../../keys/read-certificate.js';
import type { VerifiedSigner } from './report.js';

/** The signature block of a JAR signature: CMS SignedData (RFC 5652 section 5) over a signature file. */

const KEY_USAGE = '2.5.29.15';

interface BlockAlgorithm {
  readonly keyType: 'rsa' | 'dsa' | 'ec';
  /** The digests that may be beside it, each with the API level from which every device knows the pair. */
  readonly since: Readonly<Partial<Record<CmsHash, number>>>;
}

const onlyWith = (keyType: BlockAlgorithm['keyType'], hash: CmsHash, since: number): BlockAlgorithm => ({
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

/** Why a certificate may not sign, as devices judge it; `undefined` where it may. */
function usageFault({ extensions }: StrictCertificate): string | undefined {
  for (const { id, isCritical, value } of extensions) {
    if (isCritical && !KNOWN_EXTENSIONS.has(id)) {
      return `The signing certificate has a critical extension (${id}) that devices do not know.`;
    }
    if (id !== KEY_USAGE) continue;
    // KeyUsage ::= BIT STRING, bit 0 digitalSignature and bit 1 nonRepudiation, inside an OCTET STRING.
    const bits = value.at(2) === 3 ? (value.at(5) ?? 0) : 0;
    if ((bits & 0xc0) === 0) return 'The signing certificate is not meant for signatures (key usage).';
  }
  return undefined;
}

/**
 * Checks a signature block over a signature file's bytes. Faults are sentences; what is not CMS throws.
 *
 * @throws HullError `keys.damaged`, `keys.bad-certificate`, `signing.malformed`
 */
export function checkBlock(bytes: Uint8Array, signed: Uint8Array): BlockResult {
  const { contentType, certificates, infos } = readSignedData(bytes);
  const read = certificates.map((node) => readStrictCertificate(new Uint8Array(rawBytes(node)), node));
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
