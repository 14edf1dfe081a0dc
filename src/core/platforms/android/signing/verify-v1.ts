import { createHash } from 'node:crypto';
import { HullError } from '../../../errors.js';
import type { ByteSource } from '../../../formats/bytes/source.js';
import { readEntry, readEntryInPieces } from '../../../formats/zip/reader.js';
import type { ZipEntry, ZipLayout } from '../../../formats/zip/types.js';
import { checkBlock } from './jar-block.js';
import { type ManifestSection, parseJarManifest } from './jar-manifest.js';
import type { SchemeName, VerifiedSigner } from './report.js';
import { MAX_SIGNERS } from './scheme.js';

/**
 * The JAR signature scheme that Android calls v1 (JAR File Specification, "Signed JAR File"). Readers differ in what they
 * let pass; what one of them would refuse or read differently is refused here.
 */

const FOLDER = 'META-INF/';
const MANIFEST = 'META-INF/MANIFEST.MF';
/** Names are matched to the letter, as devices do: others are files like any. */
const SIGNATURE_FILE = /^META-INF\/([^/]+)\.SF$/;
const SIGNATURE_BLOCK = /^META-INF\/([^/]+)\.(RSA|DSA|EC)$/;
/** Files about a signature, however their names are written: what is signed again leaves them out. */
const ABOUT_SIGNATURE = /^META-INF\/(MANIFEST\.MF|[^/]+\.(SF|RSA|DSA|EC)|SIG-[^/]*)$/i;
const SIGNATURE_LIMIT = 64 * 1024 * 1024;
/** A signature block holds a signature and certificates. */
const BLOCK_LIMIT = 1024 * 1024;
/** Files above this many bytes are digested in pieces. */
const LARGE = 4 * 1024 * 1024;
/** Below this level devices choose digests by the attribute Digest-Algorithms (Android 4.3). */
const STRONGEST_SINCE = 18;

/** Digest attributes by the start of their names, strongest first; MD5 is not among them. */
const DIGEST_NAMES = [
  ['sha-512', 'sha512'],
  ['sha-384', 'sha384'],
  ['sha-256', 'sha256'],
  ['sha1', 'sha1'],
] as const;
/** Names that only devices below {@link STRONGEST_SINCE} know, for SHA-1. */
const OLD_NAMES = ['sha1', 'sha', 'sha-1'] as const;

/** Schemes that a signature file may say are there too (`X-Android-APK-Signed`). */
const PROMISED: Readonly<Record<number, SchemeName>> = { 2: 'v2', 3: 'v3' };

/** Whether a path is that of a signature's own file. */
export function isAboutSignature(path: string): boolean {
  return ABOUT_SIGNATURE.test(path);
}

/** Whether a manifest has to list a file. */
const needsDigest = ({ path }: ZipEntry) =>
  !path.endsWith('/') &&
  !(
    path === MANIFEST ||
    SIGNATURE_FILE.test(path) ||
    SIGNATURE_BLOCK.test(path) ||
    /^META-INF\/SIG-[^/]*$/.test(path)
  );

export interface JarResult {
  readonly signers: readonly VerifiedSigner[];
  readonly faults: readonly string[];
  /** API level below which devices cannot read the signature although it is right. */
  readonly since: number;
}

export interface JarOptions {
  /** Schemes that are in the package too, to notice one that was stripped. */
  readonly others: readonly SchemeName[];
  /** The lowest API level that has to read the signature. */
  readonly min: number;
}

interface NamedDigest {
  readonly hash: string;
  readonly base64: string;
}

/** Every digest that a section states with a name that ends in `suffix`; readers differ in which they ask. */
function statedDigests({ attributes }: ManifestSection, suffix: string): NamedDigest[] {
  const stated: NamedDigest[] = [];
  for (const [prefix, hash] of DIGEST_NAMES) {
    const base64 = attributes.get(`${prefix}-${suffix}`);
    if (base64 !== undefined) stated.push({ hash, base64 });
  }
  if (stated.length === 0) return stated;
  for (const prefix of OLD_NAMES) {
    const base64 = prefix === 'sha1' ? undefined : attributes.get(`${prefix}-${suffix}`);
    if (base64 !== undefined) stated.push({ hash: 'sha1', base64 });
  }
  return stated;
}

/** Whether a device below API 18 finds a digest in a section (Digest-Algorithms, else SHA-1). */
function hasOldDigest({ attributes }: ManifestSection, suffix: string): boolean {
  const list = attributes.get('digest-algorithms') ?? 'SHA SHA1';
  return list
    .toLowerCase()
    .split(/\s+/)
    .some((name) => (OLD_NAMES as readonly string[]).includes(name) && attributes.has(`${name}-${suffix}`));
}

const sum = (hash: string, bytes: Uint8Array) => createHash(hash).update(bytes).digest('base64');
const allMatch = (digests: readonly NamedDigest[], bytes: Uint8Array) =>
  digests.every(({ hash, base64 }) => sum(hash, bytes) === base64);

/** Sections by the file that they are about. Unnamed and repeated ones are faults. */
function byName(
  sections: readonly ManifestSection[],
  where: string,
  faults: string[],
): Map<string, ManifestSection> {
  const found = new Map<string, ManifestSection>();
  for (const section of sections) {
    if (section.fault !== undefined) faults.push(`In the ${where}: ${section.fault}`);
    else if (section.name === undefined) faults.push(`The ${where} has a section without a name.`);
    else if (found.has(section.name)) faults.push(`The ${where} lists ${section.name} twice.`);
    else found.set(section.name, section);
    if (faults.length > 0) break;
  }
  return found;
}

/** Schemes that a signature file promises and that are not there. */
function strippedSchemes(main: ManifestSection, others: readonly SchemeName[]): string[] {
  const promised = main.attributes.get('x-android-apk-signed') ?? '';
  return promised
    .split(',')
    .flatMap((id) => PROMISED[Number.parseInt(id, 10)] ?? [])
    .filter((scheme) => !others.includes(scheme))
    .map((scheme) => `It promises a ${scheme} signature, and there is none: that signature was stripped.`);
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

/** One signature file with its block. */
interface SignatureFile {
  readonly path: string;
  readonly bytes: Uint8Array;
  readonly block: Uint8Array;
}

class JarVerifier {
  readonly faults: string[] = [];
  readonly signers: VerifiedSigner[] = [];
  since = 1;
  readonly #source: ByteSource;
  readonly #entries: readonly ZipEntry[];
  readonly #byPath: ReadonlyMap<string, ZipEntry>;
  readonly #options: JarOptions;

  constructor(source: ByteSource, layout: ZipLayout, options: JarOptions) {
    this.#source = source;
    this.#entries = layout.entries;
    this.#byPath = new Map(layout.entries.map((entry) => [entry.path, entry]));
    this.#options = options;
  }

  async #read(path: string): Promise<Uint8Array | undefined> {
    const entry = this.#byPath.get(path);
    const limit = SIGNATURE_BLOCK.test(path) ? BLOCK_LIMIT : SIGNATURE_LIMIT;
    return entry && readEntry(this.#source, entry, limit);
  }

  /** Whether an entry's unpacked bytes match every digest. */
  async #matches(entry: ZipEntry, digests: readonly NamedDigest[]): Promise<boolean> {
    if (entry.size <= LARGE) return allMatch(digests, await readEntry(this.#source, entry));
    const hashes = digests.map(({ hash }) => createHash(hash));
    for await (const piece of readEntryInPieces(this.#source, entry))
      for (const hash of hashes) hash.update(piece);
    return hashes.every((hash, index) => hash.digest('base64') === digests[index]?.base64);
  }

  /** A level below {@link STRONGEST_SINCE} needs a digest that its devices look for. */
  #needOldDigest(section: ManifestSection, suffix: string): void {
    if (this.#options.min < STRONGEST_SINCE && !hasOldDigest(section, suffix)) {
      this.since = Math.max(this.since, STRONGEST_SINCE);
    }
  }

  /** Every file must be in the manifest with digests that it matches. */
  async #checkContents(sections: ReadonlyMap<string, ManifestSection>): Promise<void> {
    let count = 0;
    for (const entry of this.#entries) {
      if (entry.hasOtherHeader && !entry.path.endsWith('/')) {
        this.faults.push(
          `${entry.path} has another checksum, size or flag in its own header than in the directory.`,
        );
        return;
      }
      if (!needsDigest(entry)) continue;
      const section = sections.get(entry.path);
      const digests = section ? statedDigests(section, 'digest') : [];
      if (section === undefined || digests.length === 0) {
        this.faults.push(`${entry.path} is not signed.`);
        return;
      }
      this.#needOldDigest(section, 'digest');
      if (!(await this.#matches(entry, digests))) {
        this.faults.push(`${entry.path} was changed after signing.`);
        return;
      }
      if (!entry.path.startsWith(FOLDER)) count += 1;
    }
    if (count === 0) this.faults.push('It signs no file.');
  }

  /** Checks a signature file against the manifest: as a whole, else section by section. */
  #checkSignatureFile(
    path: string,
    file: Uint8Array,
    manifest: Uint8Array,
    main: ManifestSection,
    sections: ReadonlyMap<string, ManifestSection>,
  ): void {
    const [own, ...rest] = parseJarManifest(file);
    if (own === undefined || own.fault !== undefined) {
      this.faults.push(`In ${path}: ${own?.fault ?? 'It is empty.'}`);
      return;
    }
    if (!own.attributes.has('signature-version')) this.faults.push(`${path} does not name its version.`);
    if (own.attributes.get('created-by')?.includes('signtool')) {
      this.faults.push(`${path} says that signtool made it, whose digests readers take differently.`);
    }
    this.faults.push(...strippedSchemes(own, this.#options.others));
    const mainDigests = statedDigests(own, 'digest-manifest-main-attributes');
    if (mainDigests.length > 0 && (main.hasExtraBlankLines || !allMatch(mainDigests, main.bytes))) {
      this.faults.push('The main attributes of the manifest were changed after signing.');
    }
    const whole = statedDigests(own, 'digest-manifest');
    const isWhole = whole.length > 0 && allMatch(whole, manifest);
    if (isWhole) this.#needOldDigest(own, 'digest-manifest');
    const named = byName(rest, 'signature file', this.faults);
    for (const [name, section] of sections) {
      if (this.faults.length > 0) return;
      const stated = named.get(name);
      if (stated === undefined) {
        this.faults.push(`${path} does not list ${name}.`);
        return;
      }
      if (isWhole) continue;
      this.#needOldDigest(stated, 'digest');
      const digests = statedDigests(stated, 'digest');
      if (digests.length === 0 || section.hasExtraBlankLines || !allMatch(digests, section.bytes)) {
        this.faults.push(`The manifest was changed after signing (its part about ${name}).`);
      }
    }
    const extra = [...named.keys()].find((name) => !sections.has(name));
    if (extra !== undefined) this.faults.push(`${path} lists ${extra}, and the manifest does not.`);
  }

  /** The signature files with their blocks. One without the other is a fault. */
  async #signatureFiles(): Promise<SignatureFile[]> {
    const found: SignatureFile[] = [];
    const blocks = new Map<string, string[]>();
    for (const { path } of this.#entries) {
      const name = SIGNATURE_BLOCK.exec(path)?.[1];
      if (name === undefined) continue;
      const others = blocks.get(name);
      if (others) others.push(path);
      else blocks.set(name, [path]);
    }
    for (const { path } of this.#entries) {
      const name = SIGNATURE_FILE.exec(path)?.[1];
      if (name === undefined) continue;
      const [first, second] = blocks.get(name) ?? [];
      const [bytes, block] = [await this.#read(path), first && (await this.#read(first))];
      if (!bytes || !block) this.faults.push(`${path} has no signature.`);
      else if (second) this.faults.push(`${path} has two signature blocks.`);
      else found.push({ path, bytes, block });
    }
    const alone = [...blocks].find(([name]) => !this.#byPath.has(`${FOLDER}${name}.SF`));
    if (alone) this.faults.push(`${alone[1][0]} has no signature file.`);
    if (found.length > MAX_SIGNERS) this.faults.push(`It has more than ${MAX_SIGNERS} signers.`);
    return found;
  }

  async verify(): Promise<void> {
    const manifest = await this.#read(MANIFEST);
    if (manifest === undefined) {
      this.faults.push('There is no manifest of digests.');
      return;
    }
    const [main, ...rest] = parseJarManifest(manifest);
    if (main === undefined || main.fault !== undefined) {
      this.faults.push(`In the manifest: ${main?.fault ?? 'It is empty.'}`);
      return;
    }
    const sections = byName(rest, 'manifest', this.faults);
    for (const name of sections.keys()) {
      if (this.faults.length > 0) return;
      if (!this.#byPath.has(name) || name.endsWith('/')) {
        this.faults.push(
          `The manifest lists ${name}, which is not in the package: it was removed after signing.`,
        );
      }
    }
    const files = await this.#signatureFiles();
    if (this.faults.length > 0) return;
    for (const { path, bytes, block } of files) {
      const { signer, fault, since } = checkBlock(block, bytes);
      if (fault !== undefined) this.faults.push(fault);
      if (signer !== undefined) this.signers.push(signer);
      this.since = Math.max(this.since, since);
      if (this.faults.length === 0) this.#checkSignatureFile(path, bytes, manifest, main, sections);
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
 */
export async function verifyJarSignature(
  source: ByteSource,
  layout: ZipLayout,
  options: JarOptions,
): Promise<JarResult> {
  const verifier = new JarVerifier(source, layout, options);
  try {
    if (options.others.length === 0) {
      const stray = await strayBytes(source, layout.entries, layout.centralDirectory.offset);
      for (const fault of stray) verifier.faults.push(fault);
    }
    await verifier.verify();
  } catch (error) {
    const why = error instanceof HullError ? error.message : 'its signature block cannot be read.';
    verifier.faults.push(`It is damaged: ${why}`);
  }
  return { signers: verifier.signers, faults: verifier.faults, since: verifier.since };
}
