import { createHash } from 'node:crypto';
import * as asn1 from 'asn1js';
import {
  AlgorithmIdentifier,
  Certificate,
  ContentInfo,
  EncapsulatedContentInfo,
  IssuerAndSerialNumber,
  SignedData,
  SignerInfo,
} from 'pkijs';
import { HullError, task, withTasks } from '../../../errors.js';
import type { Entry, EntryDigest } from '../../../formats/zip/types.js';
import type { SigningIdentity } from './identity.js';
import { signBytes } from './sign-bytes.js';

/** Making a JAR signature (JAR File Specification, "Signed JAR File"; CMS, RFC 5652): bundles, and APKs for old devices. */

const MANIFEST_PATH = 'META-INF/MANIFEST.MF';
const CREATED_BY = 'Jolly Hull';
/** Bytes of a line without its end: 72 with it (JAR File Specification, "Line length"). */
const LINE = 70;

/** Attribute name of a digest, and its OID in CMS (RFC 5754). */
const DIGESTS: Readonly<Record<EntryDigest, { readonly attribute: string; readonly oid: string }>> = {
  sha1: { attribute: 'SHA1-Digest', oid: '1.3.14.3.2.26' },
  sha256: { attribute: 'SHA-256-Digest', oid: '2.16.840.1.101.3.4.2.1' },
};
const OID = {
  data: '1.2.840.113549.1.7.1',
  signedData: '1.2.840.113549.1.7.2',
  rsaEncryption: '1.2.840.113549.1.1.1',
  ecdsa: { sha1: '1.2.840.10045.4.1', sha256: '1.2.840.10045.4.3.2' },
} as const;

/** `Name: value` in lines of at most 72 bytes; those that go on begin with a space. */
function attribute(name: string, value: string): Buffer {
  const whole = Buffer.from(`${name}: ${value}`);
  const lines = [whole.subarray(0, LINE)];
  for (let at = LINE; at < whole.length; at += LINE - 1) {
    lines.push(Buffer.concat([Buffer.from(' '), whole.subarray(at, at + LINE - 1)]));
  }
  return Buffer.concat(lines.flatMap((line) => [line, Buffer.from('\r\n')]));
}

const END = Buffer.from('\r\n');
const section = (...attributes: Buffer[]): Buffer => Buffer.concat([...attributes, END]);

/** The manifest and the signature file over it. */
export function jarManifest(
  digests: ReadonlyMap<string, Uint8Array>,
  digest: EntryDigest,
  schemes: string | undefined,
): { readonly manifest: Uint8Array; readonly signatureFile: Uint8Array } {
  const { attribute: name } = DIGESTS[digest];
  const main = section(attribute('Manifest-Version', '1.0'), attribute('Created-By', CREATED_BY));
  const sections = [...digests].map(([path, bytes]) => ({
    path,
    bytes: section(attribute('Name', path), attribute(name, Buffer.from(bytes).toString('base64'))),
  }));
  const manifest = Buffer.concat([main, ...sections.map(({ bytes }) => bytes)]);
  const sum = (bytes: Uint8Array) => createHash(digest).update(bytes).digest('base64');
  const signatureFile = Buffer.concat([
    section(
      attribute('Signature-Version', '1.0'),
      attribute('Created-By', CREATED_BY),
      attribute(`${name}-Manifest`, sum(manifest)),
      ...(schemes === undefined ? [] : [attribute('X-Android-APK-Signed', schemes)]),
    ),
    ...sections.map(({ path, bytes }) => section(attribute('Name', path), attribute(name, sum(bytes)))),
  ]);
  return { manifest, signatureFile };
}

/** A detached CMS signature without signed attributes, which is deterministic for RSA keys. DER. */
export async function cmsSignature(
  identity: SigningIdentity,
  data: Uint8Array,
  digest: EntryDigest,
): Promise<Uint8Array> {
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
    algorithmId: DIGESTS[digest].oid,
    algorithmParams: new asn1.Null(),
  });
  const signatureAlgorithm =
    type === 'rsa'
      ? new AlgorithmIdentifier({ algorithmId: OID.rsaEncryption, algorithmParams: new asn1.Null() })
      : new AlgorithmIdentifier({ algorithmId: OID.ecdsa[digest] });
  const signed = new SignedData({
    version: 1,
    digestAlgorithms: [digestAlgorithm],
    encapContentInfo: new EncapsulatedContentInfo({ eContentType: OID.data }),
    certificates,
    signerInfos: [
      new SignerInfo({
        version: 1,
        sid: new IssuerAndSerialNumber({ issuer: own.issuer, serialNumber: own.serialNumber }),
        digestAlgorithm,
        signatureAlgorithm,
        signature: new asn1.OctetString({
          valueHex: new Uint8Array(await signBytes(digest, data, { key: identity.privateKey })),
        }),
      }),
    ],
  });
  const content = new ContentInfo({ contentType: OID.signedData, content: signed.toSchema(true) });
  return new Uint8Array(content.toSchema().toBER(false));
}

export interface JarSignatureOptions {
  readonly digest: EntryDigest;
  /** Name of the two files behind META-INF/: up to eight capital letters, digits, `_` and `-`. */
  readonly name: string;
  /** Schemes that also sign the package, as in `2, 3`: devices then notice where one was stripped. */
  readonly schemes?: string;
}

/**
 * The files of a JAR signature, which go into the archive behind what they sign.
 *
 * @param digests of the unpacked bytes of every other file by its path; folders are not among them
 */
export async function jarSignature(
  identity: SigningIdentity,
  digests: ReadonlyMap<string, Uint8Array>,
  options: JarSignatureOptions,
): Promise<Entry[]> {
  const files = new Map([...digests].filter(([path]) => !path.endsWith('/')));
  const { manifest, signatureFile } = jarManifest(files, options.digest, options.schemes);
  const block = await cmsSignature(identity, signatureFile, options.digest);
  const ending = identity.privateKey.asymmetricKeyType === 'rsa' ? 'RSA' : 'EC';
  const file = (path: string, content: Uint8Array): Entry => ({
    path,
    content,
    method: 'deflate',
    alignment: 1,
  });
  return [
    file(`META-INF/${options.name}.SF`, signatureFile),
    file(`META-INF/${options.name}.${ending}`, block),
    file(MANIFEST_PATH, manifest),
  ];
}
