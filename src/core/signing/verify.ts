import { createPublicKey, verify as verifyBytes, X509Certificate } from 'node:crypto';
import { HullError } from '../errors.js';
import { ByteReader } from '../formats/bytes/reader.js';
import type { ByteSource } from '../formats/bytes/source.js';
import type { ZipLayout } from '../formats/zip/types.js';
import { algorithmById, type DigestName, paddingOptions, type SignatureAlgorithm } from './algorithms.js';
import { type ContentsDigest, digestPackage } from './content-digest.js';
import { capabilitiesOf, decodeLineage, lineageFaults } from './lineage.js';
import type { SchemeName, SchemeResult, SignatureReport, VerifiedSigner } from './report.js';
import {
  type AlgorithmBytes,
  ATTRIBUTE_LINEAGE,
  ATTRIBUTE_ROTATION_SINCE,
  ATTRIBUTE_STRIPPING_PROTECTION,
  decodeSignedData,
  decodeSigners,
  SCHEME_LEVELS,
  type SignedData,
  type SignerBlock,
} from './scheme.js';
import { BLOCK_ID, readSigningBlock, type SigningBlock } from './signing-block.js';
import { hasJarSignature, verifyJarSignature } from './verify-v1.js';

interface Parsed {
  readonly scheme: 'v2' | 'v3' | 'v3.1';
  readonly signers: readonly { readonly block: SignerBlock; readonly data: SignedData }[];
  readonly faults: string[];
}

const SCHEME_IDS = [
  ['v2', BLOCK_ID.v2],
  ['v3', BLOCK_ID.v3],
  ['v3.1', BLOCK_ID.v31],
] as const;

function parseScheme(scheme: Parsed['scheme'], value: Uint8Array): Parsed {
  const shape = scheme === 'v2' ? 'v2' : 'v3';
  try {
    const blocks = decodeSigners(new ByteReader(value, 'signing.malformed'), shape);
    const signers = blocks.map((block) => ({
      block,
      data: decodeSignedData(new ByteReader(block.signedData, 'signing.malformed'), shape),
    }));
    return { scheme, signers, faults: signers.length === 0 ? ['It names no signer.'] : [] };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return { scheme, signers: [], faults: [`It is damaged: ${error.message}`] };
  }
}

function known(list: readonly AlgorithmBytes[]): SignatureAlgorithm[] {
  return list.flatMap(({ algorithm }) => algorithmById(algorithm) ?? []);
}

/** Checks one signer's signatures, certificate and consistency; contents come later. */
function checkSigner({ block, data }: Parsed['signers'][number], faults: string[]): void {
  const [certificate] = data.certificates;
  if (certificate === undefined) {
    faults.push('A signer has no certificate.');
    return;
  }
  let key: ReturnType<typeof createPublicKey>;
  try {
    key = createPublicKey({ key: Buffer.from(block.publicKey), format: 'der', type: 'spki' });
    const ofCertificate = new X509Certificate(certificate).publicKey.export({ type: 'spki', format: 'der' });
    if (!ofCertificate.equals(block.publicKey)) faults.push("The certificate is not the signing key's own.");
  } catch {
    faults.push('A certificate or public key cannot be read.');
    return;
  }
  const algorithms = known(block.signatures);
  if (algorithms.length === 0) faults.push('No signature uses an algorithm known here.');
  for (const { algorithm: id, bytes } of block.signatures) {
    const algorithm = algorithmById(id);
    if (algorithm === undefined) continue;
    if (algorithm.keyType !== key.asymmetricKeyType) {
      faults.push(`The signature is ${algorithm.name}, and the key is of type ${key.asymmetricKeyType}.`);
      continue;
    }
    let holds = false;
    try {
      holds = verifyBytes(algorithm.digest, block.signedData, { key, ...paddingOptions(algorithm) }, bytes);
    } catch {
      holds = false;
    }
    if (!holds) faults.push(`The signature (${algorithm.name}) does not match what it signs.`);
  }
  const signed = block.signatures.map((item) => item.algorithm).join();
  if (signed !== data.digests.map((item) => item.algorithm).join()) {
    faults.push('Digests and signatures are of different algorithms.');
  }
  if (block.levels?.min !== data.levels?.min || block.levels?.max !== data.levels?.max) {
    faults.push('The API levels outside the signed data are not those inside.');
  }
}

function compareContents(parsed: Parsed, contents: ReadonlyMap<DigestName, Uint8Array>): void {
  for (const { data } of parsed.signers) {
    let compared = 0;
    for (const { algorithm: id, bytes } of data.digests) {
      const algorithm = algorithmById(id);
      if (algorithm === undefined || algorithm.contents !== 'chunked') continue;
      compared += 1;
      const digest = contents.get(algorithm.digest);
      if (digest === undefined || !Buffer.from(digest).equals(bytes)) {
        parsed.faults.push('The contents were changed after signing: their digest is another.');
      }
    }
    if (compared === 0 && parsed.faults.length === 0) {
      parsed.faults.push('Its only content digest is of a kind (verity tree) that is not checked here.');
    }
  }
}

/** The newest scheme that v2's stripping protection says must be there, if it says so. */
function promisedScheme(parsed: Parsed): number | undefined {
  for (const { data } of parsed.signers) {
    const attribute = data.attributes.find((item) => item.id === ATTRIBUTE_STRIPPING_PROTECTION);
    if (attribute && attribute.value.length >= 4) {
      return new DataView(attribute.value.buffer, attribute.value.byteOffset).getUint32(0, true);
    }
  }
  return undefined;
}

function signersOf(parsed: Parsed): VerifiedSigner[] {
  return parsed.signers.map(({ block, data }) => ({
    certificates: data.certificates,
    algorithms: block.signatures.map(
      (item) => algorithmById(item.algorithm)?.name ?? `unknown (0x${item.algorithm.toString(16)})`,
    ),
    ...(data.levels ? { levels: data.levels } : {}),
    ...lineageOf(data),
  }));
}

function lineageOf(data: SignedData): Pick<VerifiedSigner, 'lineage'> {
  const attribute = data.attributes.find(({ id }) => id === ATTRIBUTE_LINEAGE);
  if (attribute === undefined) return {};
  try {
    return {
      lineage: decodeLineage(attribute.value).map((level) => ({
        certificate: level.certificate,
        keeps: capabilitiesOf(level),
      })),
    };
  } catch {
    return {};
  }
}

const isSame = (one: Uint8Array | undefined, other: Uint8Array | undefined) =>
  one !== undefined && other !== undefined && Buffer.from(one).equals(other);

/** A signer's lineage must hold and end with the signer itself. */
function checkLineage({ data }: Parsed['signers'][number], faults: string[]): void {
  const found = data.attributes.filter(({ id }) => id === ATTRIBUTE_LINEAGE);
  const [attribute] = found;
  if (attribute === undefined) return;
  if (found.length > 1) faults.push('It has two lineages.');
  try {
    const lineage = decodeLineage(attribute.value);
    faults.push(...lineageFaults(lineage));
    if (!isSame(lineage.at(-1)?.certificate, data.certificates[0])) {
      faults.push('The lineage does not end with the signer.');
    }
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    faults.push(`Its lineage is damaged: ${error.message}`);
  }
}

/** What schemes say of each other: who signed the older ones, and which newer one must stand beside them. */
function checkTogether(parsed: readonly Parsed[], jar: readonly VerifiedSigner[] | undefined): void {
  const of = (name: Parsed['scheme']) => parsed.find((item) => item.scheme === name);
  const [v2, v3, v31] = [of('v2'), of('v3'), of('v3.1')];
  const signerOf = (item: Parsed | undefined) => item?.signers[0]?.data;
  for (const scheme of [v3, v31]) {
    if (scheme && scheme.signers.length > 1) {
      const ranges = scheme.signers.map(({ data }) => data.levels);
      const overlap = ranges.some((one, index) =>
        ranges.slice(index + 1).some((other) => one && other && one.min <= other.max && other.min <= one.max),
      );
      if (overlap) scheme.faults.push('Two signers claim the same devices.');
    }
  }
  const since = signerOf(v3)?.attributes.find(({ id }) => id === ATTRIBUTE_ROTATION_SINCE);
  if (v3 && since && !v31) {
    v3.faults.push('It says that a v3.1 signature stands beside it, and there is none: it was stripped.');
  }
  if (v31 && !v3)
    v31.faults.push('There is no v3 signature beside it, which devices before Android 13 need.');
  if (v31 && v3) {
    const stated =
      since && since.value.length === 4
        ? new DataView(since.value.buffer, since.value.byteOffset).getUint32(0, true)
        : undefined;
    if (stated === undefined) v3.faults.push('It does not say that a v3.1 signature stands beside it.');
    else if (stated !== signerOf(v31)?.levels?.min) {
      v3.faults.push('It and v3.1 name different API levels for the newest signer.');
    }
  }
  // Whoever signed first signs the older schemes too.
  const newest = v31 ?? v3;
  const lineage = newest?.signers[0] ? lineageOf(newest.signers[0].data).lineage : undefined;
  const first = lineage?.[0]?.certificate ?? signerOf(v3)?.certificates[0];
  if (first === undefined) return;
  if (
    v31 &&
    v3 &&
    lineage &&
    !lineage.some(({ certificate }) => isSame(certificate, signerOf(v3)?.certificates[0]))
  ) {
    v31.faults.push('The signer of v3 is not in the lineage.');
  }
  if (v2 && v2.signers.length > 0 && !v2.signers.some(({ data }) => isSame(data.certificates[0], first))) {
    v2.faults.push('It is by another signer than v3, and no lineage joins the two.');
  }
  const inJar = jar?.[0]?.certificates[0];
  if (inJar && v3 && !isSame(inJar, first)) v3.faults.push('The v1 signature is by another signer.');
}

/** API levels that a package is for, as its manifest says. */
export interface ApiLevels {
  readonly min: number;
  readonly target: number;
}

/** From this target on, devices of API 30 and later demand v2 or newer (Android 11 behaviour changes). */
const TARGET_DEMANDS_V2 = 30;

/** Devices from `min` on that no scheme here serves (each takes the newest scheme that it knows). */
function uncovered(schemes: readonly SchemeResult[], { min, target }: ApiLevels): string[] {
  if (schemes.length === 0) return [];
  const has = (name: SchemeName) => schemes.some((item) => item.scheme === name);
  const gaps: string[] = [];
  if (min < SCHEME_LEVELS.v2 && !has('v1')) {
    gaps.push(`Devices below API ${SCHEME_LEVELS.v2} read only v1 signatures, and there is none.`);
  }
  if (min < SCHEME_LEVELS.v3 && !has('v2') && !has('v1')) {
    gaps.push(`Devices below API ${SCHEME_LEVELS.v3} cannot read a v3 signature, and there is no older one.`);
  }
  if (target >= TARGET_DEMANDS_V2 && has('v1') && schemes.length === 1) {
    gaps.push('Android 11 and later refuse a package for API 30 or later that only v1 signs.');
  }
  return gaps;
}

/**
 * Judges the signatures of a package: v1 (JAR) and APK Signature Schemes v2, v3 and v3.1. Damage inside a signature
 * is a fault in the report.
 *
 * @param levels API levels of the package: below the lowest, no device needs a signature
 * @param digested what was digested of the same file already, so that it is not read twice
 * @throws HullError `signing.malformed` where the signing block as a whole cannot be read
 */
export async function verifySignatures(
  source: ByteSource,
  layout: ZipLayout,
  levels: ApiLevels,
  digested?: ContentsDigest,
): Promise<SignatureReport> {
  const block = await readSigningBlock(source, layout.centralDirectory.offset);
  const parsed = block ? parseBlock(block) : [];
  for (const scheme of parsed) {
    for (const signer of scheme.signers) {
      checkSigner(signer, scheme.faults);
      checkLineage(signer, scheme.faults);
    }
  }
  const jar = hasJarSignature(layout)
    ? await verifyJarSignature(
        source,
        layout,
        parsed.map((item) => item.scheme),
      )
    : undefined;
  checkTogether(parsed, jar?.signers);
  const v2 = parsed.find((item) => item.scheme === 'v2');
  if (v2 && promisedScheme(v2) === 3 && !parsed.some((item) => item.scheme === 'v3')) {
    v2.faults.push('It says that a v3 signature stands beside it, and there is none: it was stripped.');
  }
  if (block && parsed.length > 0) {
    const digests = new Set<DigestName>(
      parsed.flatMap((item) =>
        item.signers.flatMap(({ data }) => known(data.digests).map((row) => row.digest)),
      ),
    );
    const sections = { contentsEnd: block.offset, ...layout };
    const contents = await digestPackage(source, sections, [...digests], digested);
    for (const scheme of parsed) compareContents(scheme, contents);
  }
  const schemes: SchemeResult[] = parsed.map((item) => ({
    scheme: item.scheme,
    state: item.faults.length === 0 ? 'verified' : 'failed',
    signers: signersOf(item),
    faults: [...new Set(item.faults)],
  }));
  if (jar) {
    const { signers, faults } = jar;
    schemes.unshift({ scheme: 'v1', state: faults.length === 0 ? 'verified' : 'failed', signers, faults });
  }
  const gaps = uncovered(schemes, levels);
  const verifies =
    schemes.length > 0 && gaps.length === 0 && schemes.every((item) => item.state === 'verified');
  return {
    schemes,
    verifies,
    verdict: verifies ? 'verified' : schemes.length === 0 ? 'unsigned' : 'failed',
    gaps,
    blockSize: block?.size ?? 0,
  };
}

/** Judges the one signature that a store bundle has: that of a JAR, over every file. */
export async function verifyBundle(source: ByteSource, layout: ZipLayout): Promise<SignatureReport> {
  if (!hasJarSignature(layout)) {
    return { schemes: [], verifies: false, verdict: 'unsigned', gaps: [], blockSize: 0 };
  }
  const { signers, faults } = await verifyJarSignature(source, layout, []);
  const verifies = faults.length === 0;
  return {
    schemes: [{ scheme: 'v1', state: verifies ? 'verified' : 'failed', signers, faults }],
    verifies,
    verdict: verifies ? 'verified' : 'failed',
    gaps: [],
    blockSize: 0,
  };
}

function parseBlock(block: SigningBlock): Parsed[] {
  return SCHEME_IDS.flatMap(([scheme, id]) => {
    const pairs = block.pairs.filter((pair) => pair.id === id);
    const [first] = pairs;
    if (first === undefined) return [];
    const parsed = parseScheme(scheme, first.value);
    if (pairs.length > 1) parsed.faults.push('It stands twice in the signing block.');
    return [parsed];
  });
}
