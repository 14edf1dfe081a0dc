import { createHash } from 'node:crypto';
import * as asn1 from 'asn1js';
import {
  AlgorithmIdentifier,
  Attribute,
  Certificate,
  ContentInfo,
  EncapsulatedContentInfo,
  IssuerAndSerialNumber,
  SignedAndUnsignedAttributes,
  SignedData,
  SignerInfo,
} from 'pkijs';
import { HullError, task, withTasks } from '../errors.js';
import type { SingleDigest } from '../formats/zip/types.js';
import { type Node, octets, oid, set, toDer } from './asn1.js';
import { signBytes } from './sign-bytes.js';
import type { SigningIdentity } from './signing-identity.js';

/** Making CMS SignedData (RFC 5652 section 5). */

/** Digests (RFC 5754). */
export const DIGEST_OID: Readonly<Record<SingleDigest, string>> = {
  sha1: '1.3.14.3.2.26',
  sha256: '2.16.840.1.101.3.4.2.1',
};
const OID = {
  data: '1.2.840.113549.1.7.1',
  signedData: '1.2.840.113549.1.7.2',
  contentType: '1.2.840.113549.1.9.3',
  messageDigest: '1.2.840.113549.1.9.4',
  signingTime: '1.2.840.113549.1.9.5',
  rsaEncryption: '1.2.840.113549.1.1.1',
  ecdsa: { sha1: '1.2.840.10045.4.1', sha256: '1.2.840.10045.4.3.2' },
} as const;

/** An attribute that is signed along (section 11). */
export interface SignedAttribute {
  readonly type: string;
  readonly values: readonly Node[];
}

export interface CmsOptions {
  readonly digest: SingleDigest;
  /** `inside`: what is signed goes along; else it stays apart. */
  readonly content?: 'inside' | 'apart';
  /** With a time, attributes are signed: content type, digest, the time, and these. */
  readonly time?: Date;
  readonly attributes?: readonly SignedAttribute[];
}

/** The signed attributes in the order of DER (X.690 section 11.6), and their bytes as they are signed (section 5.4). */
function attributesOver(data: Uint8Array, time: Date, { digest, attributes = [] }: CmsOptions) {
  const rows: readonly SignedAttribute[] = [
    { type: OID.contentType, values: [oid(OID.data)] },
    { type: OID.signingTime, values: [new asn1.UTCTime({ valueDate: time })] },
    { type: OID.messageDigest, values: [octets(createHash(digest).update(data).digest())] },
    ...attributes,
  ];
  const made = rows.map(({ type, values }) => new Attribute({ type, values: [...values] }));
  const sorted = made
    .map((attribute) => ({ attribute, der: toDer(attribute.toSchema()) }))
    .sort((one, other) => Buffer.compare(one.der, other.der));
  return {
    attributes: sorted.map(({ attribute }) => attribute),
    signed: toDer(set(...sorted.map(({ attribute }) => attribute.toSchema() as Node))),
  };
}

/**
 * A CMS signature: DER. With an RSA key it is the same each time.
 *
 * @throws HullError `signing.unsupported` for keys of other types
 */
export async function signCms(
  identity: SigningIdentity,
  data: Uint8Array,
  options: CmsOptions,
): Promise<Uint8Array> {
  const { digest, content = 'apart', time } = options;
  const type = identity.privateKey.asymmetricKeyType;
  if (type !== 'rsa' && type !== 'ec') {
    throw new HullError('signing.unsupported', `Packages cannot be signed with a key of type ${type}.`, {
      fix: withTasks`Use an RSA or EC key: ${task('createKey')} makes one.`,
    });
  }
  const certificates = identity.certificates.map((der) => Certificate.fromBER(new Uint8Array(der)));
  const [own] = certificates;
  if (own === undefined) throw new HullError('signing.unsupported', 'There is no certificate to sign with.');
  const digestAlgorithm = new AlgorithmIdentifier({
    algorithmId: DIGEST_OID[digest],
    algorithmParams: new asn1.Null(),
  });
  const signatureAlgorithm =
    type === 'rsa'
      ? new AlgorithmIdentifier({ algorithmId: OID.rsaEncryption, algorithmParams: new asn1.Null() })
      : new AlgorithmIdentifier({ algorithmId: OID.ecdsa[digest] });
  const covered = time && attributesOver(data, time, options);
  const signed = new SignedData({
    version: 1,
    digestAlgorithms: [digestAlgorithm],
    encapContentInfo: new EncapsulatedContentInfo({
      eContentType: OID.data,
      ...(content === 'inside' ? { eContent: octets(data) } : {}),
    }),
    certificates,
    signerInfos: [
      new SignerInfo({
        version: 1,
        sid: new IssuerAndSerialNumber({ issuer: own.issuer, serialNumber: own.serialNumber }),
        digestAlgorithm,
        ...(covered
          ? { signedAttrs: new SignedAndUnsignedAttributes({ type: 0, attributes: covered.attributes }) }
          : {}),
        signatureAlgorithm,
        signature: new asn1.OctetString({
          valueHex: new Uint8Array(
            await signBytes(digest, covered?.signed ?? data, { key: identity.privateKey }),
          ),
        }),
      }),
    ],
  });
  const info = new ContentInfo({ contentType: OID.signedData, content: signed.toSchema(true) });
  return new Uint8Array(info.toSchema().toBER(false));
}
