import { constants, createHash, sign, X509Certificate } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import * as asn1 from 'asn1js';
import type { XmlAttribute } from '../../../src/core/formats/axml/types.js';
import { writeBinaryXml } from '../../../src/core/formats/axml/writer.js';
import { bytesSource } from '../../../src/core/formats/bytes/source.js';
import type { ResourceValue } from '../../../src/core/formats/string-pool/value.js';
import { crc32 } from '../../../src/core/formats/zip/crc32.js';
import {
  explicit,
  integer,
  type Node,
  nothing,
  octets,
  oid,
  sequence,
  set,
  toDer,
} from '../../../src/core/keys/asn1.js';
import type { KeystoreEntry } from '../../../src/core/keys/pkcs12.js';
import { android, element, plain } from '../../../src/core/platforms/android/app/xml.js';
import { algorithmById, paddingOptions } from '../../../src/core/platforms/android/signing/algorithms.js';
import { digestPackage } from '../../../src/core/platforms/android/signing/content-digest.js';
import {
  BLOCK_ID,
  type BlockPair,
  writeSigningBlock,
} from '../../../src/core/platforms/android/signing/signing-block.js';
import { verityDigest } from '../../../src/core/platforms/android/signing/verity-digest.js';

/**
 * Packages made from recipes that a test may spoil at any point. Nothing here is shared with the code that signs for
 * users, but for codecs: what that code would never write must be possible.
 */

export interface BlockSigner {
  who: KeystoreEntry;
  algorithms: number[];
  certificates: Uint8Array[];
  levels?: { min: number; max: number };
  /** Levels outside the signed data, where they differ. */
  outerLevels?: { min: number; max: number };
  attributes: { id: number; value: Uint8Array }[];
  /** Changes digests before they are signed. */
  digest: (algorithm: number, digest: Uint8Array) => Uint8Array;
  /** Algorithms named beside the digests, where they differ from those of the signatures. */
  digestAlgorithms?: number[];
  signature: (bytes: Uint8Array) => Uint8Array;
  publicKey?: Uint8Array;
}

export interface JarSigner {
  who: KeystoreEntry;
  name: string;
  ending: string;
  sfEnding: string;
  /** Digest of the signature and of the signature file. */
  hash: 'md5' | 'sha1' | 'sha256' | 'sha384' | 'sha512';
  signatureOid: string;
  /** Digest that the signature is really made with, where it is not `hash`. */
  signs?: string;
  certificates: Uint8Array[];
  sid: (sid: Node) => Node;
  /** Signed attributes; none where undefined. */
  attributes?: (own: Node[], file: Uint8Array) => Node[];
  infos: (info: Node) => Node[];
  block: (bytes: Uint8Array) => Uint8Array;
  /** Changes the text of the signature file. */
  file: (text: string) => string;
  /** Changes the signature file after it was signed. */
  fileAfter: (text: string) => string;
}

export interface ZipQuirks {
  /** Fields of local headers, by path. */
  local: Record<string, { crc?: number; packed?: number; size?: number; flags?: number }>;
  /** Flags in the directory, by path. */
  central: Record<string, { flags?: number; crc?: number }>;
  before: number;
  align: boolean;
}

export interface Recipe {
  name: string;
  id: string;
  /** Class of the activity that the launcher opens; none where undefined. */
  launcher: string | undefined;
  min: ResourceValue | undefined;
  target: ResourceValue | undefined;
  sandbox: ResourceValue | undefined;
  moreSdk: ResourceValue[];
  files: Map<string, Uint8Array>;
  jar: JarSigner[];
  /** Digest attributes of the manifest. */
  manifestHashes: string[];
  manifest: (text: string) => string;
  /** Files that are put in or taken out after the JAR signature. */
  after: (files: Map<string, Uint8Array>) => void;
  v2: BlockSigner[];
  v3: BlockSigner[];
  pairs: (pairs: { id: number; value: Uint8Array }[]) => { id: number; value: Uint8Array }[];
  /** Whether the signing block fills whole pages, as other signers' do. */
  fillsPages: boolean;
  zip: ZipQuirks;
  whole: (bytes: Buffer) => Buffer;
}

const u32 = (value: number) => {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32LE(value >>> 0);
  return bytes;
};
const prefixed = (...parts: Uint8Array[]) => {
  const bytes = Buffer.concat(parts);
  return Buffer.concat([u32(bytes.length), bytes]);
};

// ---- the manifest

const SANDBOX: Omit<XmlAttribute, 'value'> = {
  namespace: 'http://schemas.android.com/apk/res/android',
  name: 'targetSandboxVersion',
  resourceId: 0x0101054c,
};
const withValue = (attribute: XmlAttribute, value: ResourceValue): XmlAttribute => ({ ...attribute, value });

const launcherActivity = (name: string) =>
  element(
    'activity',
    [android('name', name), android('exported', true)],
    [
      element(
        'intent-filter',
        [],
        [
          element('action', [android('name', 'android.intent.action.MAIN')]),
          element('category', [android('name', 'android.intent.category.LAUNCHER')]),
        ],
      ),
    ],
  );

function manifestBytes(recipe: Recipe): Uint8Array {
  const min = android('minSdkVersion', 1);
  const sdk = [
    ...(recipe.min ? [withValue(min, recipe.min)] : []),
    ...(recipe.target ? [withValue(android('targetSdkVersion', 1), recipe.target)] : []),
  ];
  return writeBinaryXml(
    element(
      'manifest',
      [
        plain('package', recipe.id),
        android('versionCode', 1),
        ...(recipe.sandbox ? [{ ...SANDBOX, value: recipe.sandbox }] : []),
      ],
      [
        ...(sdk.length > 0 ? [element('uses-sdk', sdk)] : []),
        ...recipe.moreSdk.map((value) => element('uses-sdk', [withValue(min, value)])),
        element(
          'application',
          [android('label', 'Ferry')],
          recipe.launcher === undefined ? [] : [launcherActivity(recipe.launcher)],
        ),
      ],
    ),
  );
}

// ---- the JAR signature

const HASH_OID = {
  md5: '1.2.840.113549.2.5',
  sha1: '1.3.14.3.2.26',
  sha256: '2.16.840.1.101.3.4.2.1',
  sha384: '2.16.840.1.101.3.4.2.2',
  sha512: '2.16.840.1.101.3.4.2.3',
} as const;
const ATTRIBUTE_NAME: Record<string, string> = {
  sha1: 'SHA1',
  sha256: 'SHA-256',
  sha384: 'SHA-384',
  sha512: 'SHA-512',
  md5: 'MD5',
};

const base64 = (hash: string, bytes: Uint8Array | string) => createHash(hash).update(bytes).digest('base64');

/** `Name: value` in lines of at most 72 bytes, wherever these cut. */
function line(name: string, value: string): string {
  const whole = Buffer.from(`${name}: ${value}`);
  const parts = [whole.subarray(0, 70)];
  for (let offset = 70; offset < whole.length; offset += 69) {
    parts.push(Buffer.concat([Buffer.from(' '), whole.subarray(offset, offset + 69)]));
  }
  return Buffer.concat(parts.flatMap((part) => [part, Buffer.from('\r\n')])).toString('latin1');
}

/** Texts of manifests are held as Latin-1, a character a byte. */
const bytesOf = (text: string) => Buffer.from(text, 'latin1');

function jarManifest(recipe: Recipe, files: ReadonlyMap<string, Uint8Array>): string {
  const main = `${line('Manifest-Version', '1.0')}${line('Created-By', 'crafted')}\r\n`;
  const sections = [...files].map(
    ([path, bytes]) =>
      line('Name', path) +
      recipe.manifestHashes
        .map((hash) => line(`${ATTRIBUTE_NAME[hash]}-Digest`, base64(hash, bytes)))
        .join('') +
      '\r\n',
  );
  return [main, ...sections].join('');
}

/** Cuts a manifest's text into its sections, each with its blank line. */
export const sectionsOf = (text: string): string[] => text.split(/(?<=\r\n\r\n)/);

function signatureFile(signer: JarSigner, manifest: string): string {
  const [main, ...sections] = sectionsOf(manifest);
  const name = `${ATTRIBUTE_NAME[signer.hash]}-Digest`;
  return [
    line('Signature-Version', '1.0') +
      line('Created-By', 'crafted') +
      line(`${name}-Manifest`, base64(signer.hash, bytesOf(manifest))) +
      line(`${name}-Manifest-Main-Attributes`, base64(signer.hash, bytesOf(main ?? ''))) +
      '\r\n',
    ...sections.map((section) => {
      const path = /^Name: ((?:.|\r\n )*?)\r\n(?! )/s.exec(section)?.[0] ?? '';
      return `${path}${line(name, base64(signer.hash, bytesOf(section)))}\r\n`;
    }),
  ].join('');
}

function certificateParts(der: Uint8Array): { issuer: Node; serial: Node } {
  const root = asn1.fromBER(new Uint8Array(der)).result as asn1.Sequence;
  const [tbs] = root.valueBlock.value as asn1.Sequence[];
  const fields = tbs?.valueBlock.value as Node[];
  return { serial: fields[1] as Node, issuer: fields[3] as Node };
}

const raw = (der: Uint8Array): Node => asn1.fromBER(new Uint8Array(der)).result;

function cms(signer: JarSigner, file: Uint8Array): Uint8Array {
  const { issuer, serial } = certificateParts(signer.who.certificates[0] as Uint8Array);
  const digestAlgorithm = sequence(oid(HASH_OID[signer.hash]), nothing());
  const own = [
    sequence(oid('1.2.840.113549.1.9.3'), set(oid('1.2.840.113549.1.7.1'))),
    sequence(oid('1.2.840.113549.1.9.4'), set(octets(createHash(signer.hash).update(file).digest()))),
  ];
  const attributes = signer.attributes?.(own, file);
  const covered = attributes ? toDer(set(...attributes)) : file;
  const signature = sign(signer.signs ?? signer.hash, covered, signer.who.privateKey);
  const info = sequence(
    integer(1),
    signer.sid(sequence(issuer, serial)),
    digestAlgorithm,
    ...(attributes ? [explicit(0, ...attributes)] : []),
    sequence(oid(signer.signatureOid), nothing()),
    octets(signature),
  );
  return toDer(
    sequence(
      oid('1.2.840.113549.1.7.2'),
      explicit(
        0,
        sequence(
          integer(1),
          set(digestAlgorithm),
          sequence(oid('1.2.840.113549.1.7.1')),
          explicit(0, ...signer.certificates.map(raw)),
          set(...signer.infos(info)),
        ),
      ),
    ),
  );
}

// ---- the archive

function archive(
  files: ReadonlyMap<string, Uint8Array>,
  quirks: ZipQuirks,
): { contents: Buffer; directory: Buffer; count: number } {
  const parts: Buffer[] = [Buffer.alloc(quirks.before)];
  const records: Buffer[] = [];
  let offset = quirks.before;
  for (const [path, bytes] of files) {
    const name = Buffer.from(path);
    const packed = path.endsWith('/') ? Buffer.alloc(0) : deflateRawSync(bytes);
    const isStored = packed.length >= bytes.length || path.endsWith('/');
    const data = isStored ? Buffer.from(bytes) : packed;
    const sum = crc32(bytes);
    const local = quirks.local[path] ?? {};
    const central = quirks.central[path] ?? {};
    const head = Buffer.alloc(30);
    head.writeUInt32LE(0x04034b50, 0);
    head.writeUInt16LE(20, 4);
    head.writeUInt16LE(local.flags ?? 0x0800, 6);
    head.writeUInt16LE(isStored ? 0 : 8, 8);
    head.writeUInt32LE(local.crc ?? sum, 14);
    head.writeUInt32LE(local.packed ?? data.length, 18);
    head.writeUInt32LE(local.size ?? bytes.length, 22);
    head.writeUInt16LE(name.length, 26);
    const record = Buffer.alloc(46);
    record.writeUInt32LE(0x02014b50, 0);
    record.writeUInt16LE(20, 6);
    record.writeUInt16LE(central.flags ?? 0x0800, 8);
    record.writeUInt16LE(isStored ? 0 : 8, 10);
    record.writeUInt32LE(central.crc ?? sum, 16);
    record.writeUInt32LE(data.length, 20);
    record.writeUInt32LE(bytes.length, 24);
    record.writeUInt16LE(name.length, 28);
    record.writeUInt32LE(offset, 42);
    parts.push(head, name, data);
    records.push(record, name);
    offset += 30 + name.length + data.length;
  }
  if (quirks.align && offset % 4096 !== 0) parts.push(Buffer.alloc(4096 - (offset % 4096)));
  return { contents: Buffer.concat(parts), directory: Buffer.concat(records), count: files.size };
}

function endRecord(count: number, size: number, offset: number): Buffer {
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(count, 8);
  end.writeUInt16LE(count, 10);
  end.writeUInt32LE(size, 12);
  end.writeUInt32LE(offset, 16);
  return end;
}

// ---- schemes v2 and v3

const spki = (der: Uint8Array) => new X509Certificate(der).publicKey.export({ type: 'spki', format: 'der' });

async function blockSigners(
  signers: readonly BlockSigner[],
  digestOf: (algorithm: number) => Promise<Uint8Array>,
): Promise<Buffer> {
  const encoded: Buffer[] = [];
  for (const signer of signers) {
    const digests: Buffer[] = [];
    for (const algorithm of signer.digestAlgorithms ?? signer.algorithms) {
      digests.push(prefixed(u32(algorithm), prefixed(signer.digest(algorithm, await digestOf(algorithm)))));
    }
    const levels = (range: { min: number; max: number } | undefined) =>
      range ? [u32(range.min), u32(range.max)] : [];
    const signedData = Buffer.concat([
      prefixed(...digests),
      prefixed(...signer.certificates.map((der) => prefixed(der))),
      ...levels(signer.levels),
      prefixed(...signer.attributes.map(({ id, value }) => prefixed(u32(id), value))),
    ]);
    const signatures = signer.algorithms.map((id) => {
      const algorithm = algorithmById(id);
      let signature: Uint8Array = Buffer.alloc(64, 7);
      if (algorithm && algorithm.keyType === signer.who.privateKey.asymmetricKeyType) {
        const padding = algorithm.pss ? { padding: constants.RSA_PKCS1_PSS_PADDING } : {};
        signature = sign(algorithm.digest, signedData, {
          key: signer.who.privateKey,
          ...paddingOptions(algorithm),
          ...padding,
        });
      }
      return prefixed(u32(id), prefixed(signer.signature(signature)));
    });
    encoded.push(
      prefixed(
        prefixed(signedData),
        ...levels(signer.outerLevels ?? signer.levels),
        prefixed(...signatures),
        prefixed(signer.publicKey ?? spki(signer.who.certificates[0] as Uint8Array)),
      ),
    );
  }
  return prefixed(...encoded);
}

/** Pages of a signing block that others write, in bytes. */
const PAGE = 4096;

/** The pairs of a block with one that fills its last page. */
function inPages(pairs: readonly BlockPair[]): readonly BlockPair[] {
  const rest = writeSigningBlock(pairs).length % PAGE;
  if (rest === 0) return pairs;
  // A pair takes 12 bytes besides its value.
  const padding = rest > PAGE - 12 ? 2 * PAGE - rest : PAGE - rest;
  return [...pairs, { id: BLOCK_ID.padding, value: new Uint8Array(padding - 12) }];
}

/** Makes the package of a recipe. */
export async function craft(recipe: Recipe): Promise<Buffer> {
  const files = new Map<string, Uint8Array>([
    ['AndroidManifest.xml', manifestBytes(recipe)],
    ...recipe.files,
  ]);
  if (recipe.jar.length > 0) {
    const listed = new Map([...files].filter(([path]) => !path.endsWith('/')));
    const manifest = recipe.manifest(jarManifest(recipe, listed));
    for (const signer of recipe.jar) {
      const text = signer.file(signatureFile(signer, manifest));
      const block = signer.block(cms(signer, bytesOf(text)));
      files.set(`META-INF/${signer.name}.${signer.sfEnding}`, bytesOf(signer.fileAfter(text)));
      files.set(`META-INF/${signer.name}.${signer.ending}`, block);
    }
    files.set('META-INF/MANIFEST.MF', bytesOf(manifest));
  }
  recipe.after(files);
  const { contents, directory, count } = archive(files, recipe.zip);
  const end = endRecord(count, directory.length, contents.length);
  let block = Buffer.alloc(0);
  if (recipe.v2.length > 0 || recipe.v3.length > 0) {
    const source = bytesSource(Buffer.concat([contents, directory, end]));
    const sections = {
      contentsEnd: contents.length,
      centralDirectory: { offset: contents.length, size: directory.length },
      endRecord: { offset: contents.length + directory.length, size: end.length },
    };
    const chunked = await digestPackage(source, sections, ['sha256', 'sha512']);
    const digestOf = async (id: number): Promise<Uint8Array> => {
      const algorithm = algorithmById(id);
      if (algorithm?.contents !== 'verity')
        return chunked.get(algorithm?.digest ?? 'sha256') ?? Buffer.alloc(32);
      const digest = await verityDigest(source, sections);
      return typeof digest === 'string' ? Buffer.alloc(40) : digest;
    };
    const pairs = [
      ...(recipe.v2.length > 0
        ? [{ id: BLOCK_ID.v2 as number, value: await blockSigners(recipe.v2, digestOf) }]
        : []),
      ...(recipe.v3.length > 0
        ? [{ id: BLOCK_ID.v3 as number, value: await blockSigners(recipe.v3, digestOf) }]
        : []),
    ];
    const all = recipe.pairs(pairs);
    block = Buffer.from(writeSigningBlock(recipe.fillsPages ? inPages(all) : all));
  }
  return recipe.whole(
    Buffer.concat([
      contents,
      block,
      directory,
      endRecord(count, directory.length, contents.length + block.length),
    ]),
  );
}
