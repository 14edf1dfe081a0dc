import { createPublicKey, type KeyObject, verify as verifyBytes } from 'node:crypto';
import { HullError } from '../../../errors.js';
import { ByteReader } from '../../../formats/bytes/reader.js';
import { publicKeyBytes, readStrictCertificate } from '../../../keys/read-certificate.js';
import { algorithmById, type DigestName, paddingOptions, type SignatureAlgorithm } from './algorithms.js';
import { capabilitiesOf, decodeLineage, lineageFaults } from './lineage.js';
import type { VerifiedSigner } from './report.js';
import {
  type AlgorithmBytes,
  ATTRIBUTE_LINEAGE,
  ATTRIBUTE_ROTATION_SINCE,
  ATTRIBUTE_STRIPPING_PROTECTION,
  decodeSignedData,
  decodeSigners,
  MAX_SIGNERS,
  SCHEME_LEVELS,
  type SignedData,
  type SignerBlock,
} from './scheme.js';
import { BLOCK_ID } from './signing-block.js';

export interface Parsed {
  readonly scheme: 'v2' | 'v3' | 'v3.1';
  readonly signers: readonly { readonly block: SignerBlock; readonly data: SignedData }[];
  readonly faults: string[];
}

export const SCHEME_IDS = [
  ['v2', BLOCK_ID.v2],
  ['v3', BLOCK_ID.v3],
  ['v3.1', BLOCK_ID.v31],
] as const;

export function parseScheme(scheme: Parsed['scheme'], value: Uint8Array): Parsed {
  const shape = scheme === 'v2' ? 'v2' : 'v3';
  try {
    const blocks = decodeSigners(new ByteReader(value, 'signing.malformed'), shape);
    const signers = blocks.map((block) => ({
      block,
      data: decodeSignedData(new ByteReader(block.signedData, 'signing.malformed'), shape),
    }));
    const faults = signers.length === 0 ? ['It names no signer.'] : [];
    if (signers.length > MAX_SIGNERS) faults.push(`It has more than ${MAX_SIGNERS} signers.`);
    return { scheme, signers: signers.slice(0, MAX_SIGNERS), faults };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return { scheme, signers: [], faults: [`It is damaged: ${error.message}`] };
  }
}

export function known(list: readonly AlgorithmBytes[]): SignatureAlgorithm[] {
  return list.flatMap(({ algorithm }) => algorithmById(algorithm) ?? []);
}

/** Checks one signer's signatures, certificates and consistency; contents come later. */
export function checkSigner({ block, data }: Parsed['signers'][number], faults: string[]): void {
  if (data.certificates.length === 0) {
    faults.push('A signer has no certificate.');
    return;
  }
  let key: KeyObject;
  try {
    const [own] = data.certificates.map((der) => readStrictCertificate(der).certificate);
    const isOwn = own !== undefined && isSame(publicKeyBytes(own), block.publicKey);
    if (!isOwn) faults.push("The certificate is not the signing key's own.");
    key = isOwn
      ? own.publicKey
      : createPublicKey({ key: Buffer.from(block.publicKey), format: 'der', type: 'spki' });
  } catch (error) {
    faults.push(error instanceof HullError ? error.message : 'A public key cannot be read.');
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
  const ids = data.attributes.map(({ id }) => id);
  if (new Set(ids).size !== ids.length) faults.push('A signed attribute is repeated.');
  for (const { id, value } of data.attributes) {
    if ((id === ATTRIBUTE_STRIPPING_PROTECTION || id === ATTRIBUTE_ROTATION_SINCE) && value.length !== 4) {
      faults.push('The attribute that protects against stripping does not have four bytes.');
    }
  }
}

/** Content digests of a package by what they are made of: chunks with either hash, or a tree of pages. */
interface Contents {
  readonly chunked: ReadonlyMap<DigestName, Uint8Array>;
  /** `undefined` where no signer asks for it; a sentence where it cannot be one. */
  readonly verity: Uint8Array | string | undefined;
}

export function compareContents(parsed: Parsed, { chunked, verity }: Contents): void {
  for (const { data } of parsed.signers) {
    for (const { algorithm: id, bytes } of data.digests) {
      const algorithm = algorithmById(id);
      if (algorithm === undefined) continue;
      const digest = algorithm.contents === 'verity' ? verity : chunked.get(algorithm.digest);
      if (typeof digest === 'string') parsed.faults.push(digest);
      else if (digest === undefined || !Buffer.from(digest).equals(bytes)) {
        parsed.faults.push('The contents were changed after signing: their digest is another.');
      }
    }
  }
}

/** The newest scheme that v2's stripping protection says must be there, if it says so. */
export function promisedScheme(parsed: Parsed): number | undefined {
  for (const { data } of parsed.signers) {
    const attribute = data.attributes.find((item) => item.id === ATTRIBUTE_STRIPPING_PROTECTION);
    if (attribute?.value.length === 4) return wordOf(attribute.value);
  }
  return undefined;
}

const wordOf = (value: Uint8Array) => new DataView(value.buffer, value.byteOffset).getUint32(0, true);

export function signersOf(parsed: Parsed): VerifiedSigner[] {
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
export function checkLineage({ data }: Parsed['signers'][number], faults: string[]): void {
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

const ownCertificate = (signer: Pick<VerifiedSigner, 'certificates'> | undefined) => signer?.certificates[0];

/** Whether two schemes are by the same signers, in whatever order. */
function haveSameSigners(
  one: readonly Pick<VerifiedSigner, 'certificates'>[],
  other: readonly Pick<VerifiedSigner, 'certificates'>[],
): boolean {
  const names = (list: typeof one) =>
    list.map((signer) => Buffer.from(ownCertificate(signer) ?? []).toString('base64')).sort();
  return names(one).join() === names(other).join();
}

/**
 * The signers of v3 or v3.1 share the API levels among them: from the package's own on, without a gap, and with
 * lineages that only grow.
 *
 * @param until the highest level that the scheme has to serve
 */
function checkRanges({ scheme, signers, faults }: Parsed, min: number, until: number): void {
  const { v3, v31 } = SCHEME_LEVELS;
  const ordered = signers
    .flatMap(({ data }) => (data.levels ? [{ ...data.levels, lineage: lineageOf(data).lineage }] : []))
    .sort((one, other) => one.min - other.min);
  for (const { min: lowest, max } of ordered) {
    if (lowest > max || lowest < SCHEME_LEVELS.v2 || max > SCHEME_LEVELS.newest)
      faults.push(`Its API levels ${lowest} to ${max} are not a range that devices read.`);
  }
  const [first] = ordered;
  const last = ordered.at(-1);
  if (first === undefined || last === undefined || faults.length > 0) return;
  const from = scheme === 'v3' ? Math.max(min, v3) : v31;
  if (scheme === 'v3' && first.min > from) faults.push(`No signer serves API level ${from}.`);
  if (last.max < until) faults.push(`No signer serves the API levels above ${last.max}.`);
  for (const [index, one] of ordered.entries()) {
    const next = ordered[index + 1];
    if (next === undefined) break;
    if (next.min <= one.max) faults.push('Two signers claim the same devices.');
    else if (next.min > one.max + 1)
      faults.push(`No signer serves the API levels between ${one.max} and ${next.min}.`);
    const [shorter, longer] = [one.lineage, next.lineage];
    if (longer === undefined) faults.push('Signers for different devices are not joined by a lineage.');
    else if (!(shorter ?? []).every(({ certificate }, i) => isSame(certificate, longer[i]?.certificate))) {
      faults.push('Two signers name different lineages.');
    }
  }
}

/** What v3 and v3.1 say of each other. */
function checkRotation(v3: Parsed | undefined, v31: Parsed | undefined): void {
  const signerOf = (item: Parsed | undefined) => item?.signers[0]?.data;
  const since = signerOf(v3)?.attributes.find(({ id }) => id === ATTRIBUTE_ROTATION_SINCE);
  if (v3 && since && !v31) {
    v3.faults.push('It promises a v3.1 signature, and there is none: that signature was stripped.');
  }
  if (v31 && !v3)
    v31.faults.push('There is no v3 signature beside it, which devices before Android 13 need.');
  if (!v31 || !v3) return;
  const stated = since?.value.length === 4 ? wordOf(since.value) : undefined;
  if (stated === undefined) v3.faults.push('It does not say that there is a v3.1 signature too.');
  else if (stated !== signerOf(v31)?.levels?.min) {
    v3.faults.push('It and v3.1 name different API levels for the newest signer.');
  }
  const lineage = v31.signers[0] ? lineageOf(v31.signers[0].data).lineage : undefined;
  const own = signerOf(v3)?.certificates[0];
  if (lineage && !lineage.some(({ certificate }) => isSame(certificate, own))) {
    v31.faults.push('The signer of v3 is not in the lineage.');
  }
}

/** What schemes say of each other: who signed the older ones, and which newer one must be there too. */
export function checkTogether(
  parsed: readonly Parsed[],
  jar: readonly VerifiedSigner[] | undefined,
  min: number,
): void {
  const of = (name: Parsed['scheme']) => parsed.find((item) => item.scheme === name);
  const [v2, v3, v31] = [of('v2'), of('v3'), of('v3.1')];
  const { newest } = SCHEME_LEVELS;
  const v31Starts = Math.min(...(v31?.signers ?? []).map(({ data }) => data.levels?.min ?? newest));
  if (v3) checkRanges(v3, min, v31 ? v31Starts - 1 : newest);
  if (v31) checkRanges(v31, min, newest);
  checkRotation(v3, v31);
  const inV2 = v2?.signers.map(({ data }) => data);
  if (v2 && inV2 && jar && jar.length > 0 && !haveSameSigners(inV2, jar)) {
    v2.faults.push('It is by other signers than the v1 signature.');
  }
  // The one who signed first signs the older schemes too, and alone.
  const latest = v31 ?? v3;
  if (latest === undefined) return;
  const lineage = longestLineage(latest);
  const first = lineage?.[0]?.certificate ?? v3?.signers[0]?.data.certificates[0];
  if (first === undefined) return;
  if (v2 && inV2 && inV2.length > 1) v2.faults.push('It has several signers, and v3 can follow only one.');
  if (v2 && inV2?.length === 1 && !isSame(ownCertificate(inV2[0]), first)) {
    v2.faults.push('It is by another signer than v3, and no lineage joins the two.');
  }
  if (v3 && jar && jar.length > 1)
    v3.faults.push('The v1 signature has several signers, and v3 can follow only one.');
  if (v3 && jar?.length === 1 && !isSame(ownCertificate(jar[0]), first)) {
    v3.faults.push('The v1 signature is by another signer.');
  }
}

function longestLineage({ signers }: Parsed): VerifiedSigner['lineage'] {
  return signers
    .map(({ data }) => lineageOf(data).lineage)
    .reduce((longest, one) => ((one?.length ?? 0) > (longest?.length ?? 0) ? one : longest), undefined);
}
