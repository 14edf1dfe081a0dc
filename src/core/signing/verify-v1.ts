import { createHash, verify as verifyBytes, X509Certificate } from 'node:crypto';
import { HullError } from '../errors.js';
import type { ByteSource } from '../formats/bytes/source.js';
import { readEntry } from '../formats/zip/reader.js';
import type { ZipEntry, ZipLayout } from '../formats/zip/types.js';
import { child, children, fromDer, isContext, octetsOf, oidOf, rawBytes } from '../keys/asn1.js';
import { type ManifestSection, parseJarManifest } from './jar-manifest.js';
import type { SchemeName, VerifiedSigner } from './report.js';

/** The JAR signature scheme that Android calls v1 (JAR File Specification, "Signed JAR File"; CMS, RFC 5652). */

const MANIFEST = 'META-INF/MANIFEST.MF';
const SIGNATURE_FILE = /^META-INF\/([^/]+)\.SF$/i;
const SIGNATURE_BLOCK = /^META-INF\/([^/]+)\.(RSA|DSA|EC)$/i;
/** Files about the signature itself, which no manifest lists. */
const ABOUT_SIGNATURE = /^META-INF\/(MANIFEST\.MF|[^/]+\.(SF|RSA|DSA|EC)|SIG-[^/]*)$/i;
const SIGNATURE_LIMIT = 64 * 1024 * 1024;

const HASH_BY_OID: Readonly<Record<string, string>> = {
  '1.3.14.3.2.26': 'sha1',
  '2.16.840.1.101.3.4.2.4': 'sha224',
  '2.16.840.1.101.3.4.2.1': 'sha256',
  '2.16.840.1.101.3.4.2.2': 'sha384',
  '2.16.840.1.101.3.4.2.3': 'sha512',
};
const OID_MESSAGE_DIGEST = '1.2.840.113549.1.9.4';

/** Digest attributes by the start of their name, strongest first; MD5 is not among them. */
const DIGEST_NAMES = [
  ['sha-512', 'sha512'],
  ['sha-384', 'sha384'],
  ['sha-256', 'sha256'],
  ['sha1', 'sha1'],
  ['sha-1', 'sha1'],
] as const;

/** Schemes that a signature file may say stand beside it (`X-Android-APK-Signed`). */
const PROMISED: Readonly<Record<string, SchemeName>> = { '2': 'v2', '3': 'v3' };

/** Whether a path is that of a signature's own file. */
export function isAboutSignature(path: string): boolean {
  return ABOUT_SIGNATURE.test(path);
}

export interface JarResult {
  readonly signers: readonly VerifiedSigner[];
  readonly faults: readonly string[];
}

/** Whether `bytes` match the strongest digest among attributes that end in `suffix`; `undefined` where there is none. */
function matchesDigest(section: ManifestSection, suffix: string, bytes: Uint8Array): boolean | undefined {
  for (const [prefix, hash] of DIGEST_NAMES) {
    const value = section.attributes.get(`${prefix}-${suffix}`);
    if (value !== undefined) return createHash(hash).update(bytes).digest('base64') === value;
  }
  return undefined;
}

interface Signed {
  readonly signer: VerifiedSigner | undefined;
  readonly fault: string | undefined;
}

/** Checks a signature block (CMS SignedData) over a signature file's bytes. */
function checkBlock(block: Uint8Array, signed: Uint8Array): Signed {
  const what = 'the signature block';
  const data = children(child(child(fromDer(block, what), 1, what), 0, what), what);
  const certificates = data
    .filter((node) => isContext(node, 0))
    .flatMap((node) => children(node, what).map((item) => rawBytes(item)));
  const [info] = children(data.at(-1), what);
  const fields = children(info, what);
  const hash = HASH_BY_OID[oidOf(child(fields[2], 0, what), what)];
  if (hash === undefined)
    return { signer: undefined, fault: 'It is signed with a digest that is weak or unknown.' };
  const attributes = fields.find((node) => isContext(node, 0));
  const signature = octetsOf(fields[attributes === undefined ? 4 : 5], what);
  let covered = signed;
  if (attributes !== undefined) {
    const digest = children(attributes, what).find(
      (item) => oidOf(child(item, 0, what), what) === OID_MESSAGE_DIGEST,
    );
    const stated = octetsOf(children(child(digest, 1, what), what)[0], what);
    if (!createHash(hash).update(signed).digest().equals(stated)) {
      return { signer: undefined, fault: 'The signature file was changed after signing.' };
    }
    // Attributes are signed as a SET OF, not with the tag that they have in the block (RFC 5652 section 5.4).
    covered = new Uint8Array(rawBytes(attributes));
    covered[0] = 0x31;
  }
  for (const der of certificates) {
    const { publicKey } = new X509Certificate(der);
    if (!verifyBytes(hash, covered, publicKey, signature)) continue;
    const others = certificates.filter((item) => item !== der);
    const name = `${publicKey.asymmetricKeyType?.toUpperCase()} with ${hash.toUpperCase()}, JAR`;
    return { signer: { certificates: [der, ...others], algorithms: [name] }, fault: undefined };
  }
  return { signer: undefined, fault: 'The signature does not match the signature file.' };
}

/** Checks a signature file against the manifest: as a whole, else section by section. */
function checkSignatureFile(
  file: Uint8Array,
  manifest: Uint8Array,
  sections: readonly ManifestSection[],
): string[] {
  const [main, ...rest] = parseJarManifest(file);
  if (main === undefined) return ['The signature file is empty.'];
  if (matchesDigest(main, 'digest-manifest', manifest) === true) return [];
  const byName = new Map(rest.map((section) => [section.name, section]));
  for (const section of sections.slice(1)) {
    const stated = byName.get(section.name);
    if (stated === undefined || matchesDigest(stated, 'digest', section.bytes) !== true) {
      return [`The manifest was changed after signing (its part about ${section.name}).`];
    }
  }
  return [];
}

function strippedSchemes(file: Uint8Array, others: readonly SchemeName[]): string[] {
  const promised = parseJarManifest(file)[0]?.attributes.get('x-android-apk-signed') ?? '';
  return promised
    .split(',')
    .flatMap((id) => PROMISED[id.trim()] ?? [])
    .filter((scheme) => !others.includes(scheme))
    .map(
      (scheme) => `It says that a ${scheme} signature stands beside it, and there is none: it was stripped.`,
    );
}

/** Sizes of a data descriptor behind an entry, without and with its signature (APPNOTE.TXT 4.3.9). */
const DESCRIPTORS = [12, 16, 20, 24] as const;
const DESCRIPTOR_SIGNATURE = 0x08074b50;

/** Whether the bytes behind an entry are its data descriptor, which says its checksum once more. */
async function isDescriptor(source: ByteSource, entry: ZipEntry, at: number, size: number): Promise<boolean> {
  if (!DESCRIPTORS.some((known) => known === size)) return false;
  const bytes = await source.read(at, size);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const first = view.getUint32(0, true);
  return first === entry.crc32 || (first === DESCRIPTOR_SIGNATURE && view.getUint32(4, true) === entry.crc32);
}

/**
 * Bytes that belong to no file. A JAR signature covers files only, so that they could be anything; schemes that cover the
 * whole package say so themselves.
 *
 * @param end where the files have to end: at the signing block, else at the directory
 */
async function strayBytes(source: ByteSource, entries: readonly ZipEntry[], end: number): Promise<string[]> {
  const ordered = [...entries].sort((a, b) => a.headerOffset - b.headerOffset);
  const [first] = ordered;
  const faults: string[] = [];
  if (first && first.headerOffset > 0) {
    faults.push(`There are ${first.headerOffset} bytes before the first file, which nothing covers.`);
  }
  for (const [index, entry] of ordered.entries()) {
    const at = entry.dataOffset + entry.compressedSize;
    const gap = (ordered[index + 1]?.headerOffset ?? end) - at;
    if (gap === 0 || (await isDescriptor(source, entry, at, gap))) continue;
    faults.push(
      `There are ${gap} bytes behind ${entry.path} that belong to no file, and that nothing covers.`,
    );
    break;
  }
  return faults;
}

class JarVerifier {
  readonly faults: string[] = [];
  readonly signers: VerifiedSigner[] = [];
  readonly #source: ByteSource;
  readonly #entries: readonly ZipEntry[];

  constructor(source: ByteSource, layout: ZipLayout) {
    this.#source = source;
    this.#entries = layout.entries;
  }

  async #read(path: string): Promise<Uint8Array | undefined> {
    const entry = this.#entries.find((item) => item.path.toLowerCase() === path.toLowerCase());
    return entry && readEntry(this.#source, entry, SIGNATURE_LIMIT);
  }

  /** Every entry must stand in the manifest with a digest that it matches. */
  async #checkContents(sections: readonly ManifestSection[]): Promise<void> {
    const byName = new Map(sections.map((section) => [section.name, section]));
    for (const entry of this.#entries) {
      if (entry.path.endsWith('/') || ABOUT_SIGNATURE.test(entry.path)) continue;
      const section = byName.get(entry.path);
      const matches = section && matchesDigest(section, 'digest', await readEntry(this.#source, entry));
      if (matches === undefined) this.faults.push(`${entry.path} is not signed.`);
      else if (!matches) this.faults.push(`${entry.path} was changed after signing.`);
      if (this.faults.length > 0) return;
    }
  }

  async verify(others: readonly SchemeName[]): Promise<void> {
    const manifest = await this.#read(MANIFEST);
    if (manifest === undefined) {
      this.faults.push('There is no manifest of digests.');
      return;
    }
    const sections = parseJarManifest(manifest);
    for (const { path } of this.#entries.filter((entry) => SIGNATURE_FILE.test(entry.path))) {
      const name = SIGNATURE_FILE.exec(path)?.[1] as string;
      const blockPath = this.#entries.find((entry) => SIGNATURE_BLOCK.exec(entry.path)?.[1] === name)?.path;
      const [file, block] = [await this.#read(path), blockPath && (await this.#read(blockPath))];
      if (!file || !block) {
        this.faults.push(`${path} has no signature.`);
        continue;
      }
      const { signer, fault } = checkBlock(block, file);
      if (fault !== undefined) this.faults.push(fault);
      if (signer !== undefined) this.signers.push(signer);
      this.faults.push(...checkSignatureFile(file, manifest, sections), ...strippedSchemes(file, others));
    }
    if (this.signers.length === 0 && this.faults.length === 0) this.faults.push('It names no signer.');
    if (this.faults.length === 0) await this.#checkContents(sections);
  }
}

/** Whether a package has a JAR signature at all. */
export function hasJarSignature(layout: ZipLayout): boolean {
  return layout.entries.some((entry) => SIGNATURE_BLOCK.test(entry.path) || SIGNATURE_FILE.test(entry.path));
}

/**
 * Judges the JAR signature of a package: signature blocks, signature files, manifest, and every entry against it.
 * Damage is a fault in the result.
 *
 * @param others schemes that stand in the package too, to notice one that was stripped
 */
export async function verifyJarSignature(
  source: ByteSource,
  layout: ZipLayout,
  others: readonly SchemeName[],
): Promise<JarResult> {
  const verifier = new JarVerifier(source, layout);
  try {
    if (others.length === 0) {
      verifier.faults.push(...(await strayBytes(source, layout.entries, layout.centralDirectory.offset)));
    }
    await verifier.verify(others);
  } catch (error) {
    const why = error instanceof HullError ? error.message : 'its signature block cannot be read.';
    verifier.faults.push(`It is damaged: ${why}`);
  }
  return { signers: verifier.signers, faults: verifier.faults };
}
