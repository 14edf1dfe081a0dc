import { createHash } from 'node:crypto';
import type { Entry, SingleDigest } from '../../../formats/zip/types.js';
import { signCms } from '../../../keys/cms-sign.js';
import type { SigningIdentity } from '../../../keys/signing-identity.js';

/** Making a JAR signature (JAR File Specification, "Signed JAR File"; CMS, RFC 5652): bundles, and APKs for old devices. */

const MANIFEST_PATH = 'META-INF/MANIFEST.MF';
const CREATED_BY = 'Jolly Hull';
/** Bytes of a line without its end: 72 with it (JAR File Specification, "Line length"). */
const LINE = 70;

const DIGEST_ATTRIBUTE: Readonly<Record<SingleDigest, string>> = {
  sha1: 'SHA1-Digest',
  sha256: 'SHA-256-Digest',
};

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
  digest: SingleDigest,
  schemes: string | undefined,
): { readonly manifest: Uint8Array; readonly signatureFile: Uint8Array } {
  const name = DIGEST_ATTRIBUTE[digest];
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

export interface JarSignatureOptions {
  readonly digest: SingleDigest;
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
  const block = await signCms(identity, signatureFile, { digest: options.digest });
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
