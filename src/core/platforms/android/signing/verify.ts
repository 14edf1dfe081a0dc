import type { ByteSource } from '../../../formats/bytes/source.js';
import type { ZipLayout } from '../../../formats/zip/types.js';
import type { DigestName } from './algorithms.js';
import {
  checkLineage,
  checkSigner,
  checkTogether,
  compareContents,
  known,
  type Parsed,
  parseScheme,
  promisedScheme,
  SCHEME_IDS,
  signersOf,
} from './check-signers.js';
import { type ContentsDigest, digestPackage } from './content-digest.js';
import type { SchemeName, SchemeResult, SignatureReport } from './report.js';
import { SCHEME_LEVELS } from './scheme.js';
import { readSigningBlock, type SigningBlock } from './signing-block.js';
import { hasJarSignature, type JarResult, verifyJarSignature } from './verify-v1.js';
import { verityDigest } from './verity-digest.js';

/** What a package's manifest says of the devices that it is for. */
export interface ApiLevels {
  readonly min: number;
  readonly target: number;
  /** `android:targetSandboxVersion`; 1 where nothing is said. */
  readonly sandbox?: number;
  /** Why devices cannot read the levels, each a sentence. */
  readonly faults?: readonly string[];
}

/** From this target on, devices of API 30 and later demand v2 or newer (Android 11 behaviour changes). */
const TARGET_DEMANDS_V2 = 30;

/** From this sandbox version on, devices from Android 8 on demand v2 or newer. */
const SANDBOX_DEMANDS_V2 = 2;
/** API level from which devices know the verity algorithms. */
const VERITY_SINCE = 28;

/** Devices from `min` on that no scheme here serves (each takes the newest scheme that it knows). */
function uncovered(
  schemes: readonly SchemeResult[],
  jar: JarResult | undefined,
  v2: Parsed | undefined,
  levels: ApiLevels,
): string[] {
  if (schemes.length === 0) return [];
  const { min, target, sandbox = 1, faults = [] } = levels;
  const has = (name: SchemeName) => schemes.some((item) => item.scheme === name);
  const gaps: string[] = [...faults];
  if (min < SCHEME_LEVELS.v2 && !has('v1')) {
    gaps.push(`Devices below API ${SCHEME_LEVELS.v2} read only v1 signatures, and there is none.`);
  }
  if (jar && jar.faults.length === 0 && min < jar.since) {
    gaps.push(
      `Devices below API ${jar.since} cannot read this v1 signature: they do not know its algorithms.`,
    );
  }
  if (min < SCHEME_LEVELS.v3 && !has('v2') && !has('v1')) {
    gaps.push(`Devices below API ${SCHEME_LEVELS.v3} cannot read a v3 signature, and there is no older one.`);
  }
  const isVerityAlone = v2?.signers.some(({ block }) => {
    const algorithms = known(block.signatures);
    return algorithms.length > 0 && algorithms.every(({ contents }) => contents === 'verity');
  });
  if (isVerityAlone && min < VERITY_SINCE) {
    gaps.push(
      `Devices below API ${VERITY_SINCE} do not know the only algorithm of the v2 signature (verity).`,
    );
  }
  const isJarAlone = has('v1') && schemes.length === 1;
  if (target >= TARGET_DEMANDS_V2 && isJarAlone) {
    gaps.push('Android 11 and later refuse a package for API 30 or later that only v1 signs.');
  }
  if (sandbox >= SANDBOX_DEMANDS_V2 && isJarAlone) {
    gaps.push(
      `Android 8 and later refuse a package with targetSandboxVersion ${sandbox} that only v1 signs.`,
    );
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
  const others = parsed.map((item) => item.scheme);
  const jar = hasJarSignature(layout)
    ? await verifyJarSignature(source, layout, { others, min: levels.min })
    : undefined;
  checkTogether(parsed, jar?.signers, levels.min);
  const v2 = parsed.find((item) => item.scheme === 'v2');
  const promised = v2 && promisedScheme(v2);
  if (promised === 3 && !others.includes('v3')) {
    v2?.faults.push('It promises a v3 signature, and there is none: that signature was stripped.');
  }
  if (promised === 2) v2?.faults.push('It promises a newer signature, and names v2 itself.');
  if (block && parsed.length > 0) {
    const rows = parsed.flatMap(({ signers }) => signers.flatMap(({ data }) => known(data.digests)));
    const digests = new Set<DigestName>(
      rows.filter(({ contents }) => contents === 'chunked').map(({ digest }) => digest),
    );
    const sections = { contentsEnd: block.offset, ...layout };
    const chunked = await digestPackage(source, sections, [...digests], digested);
    const hasVerity = rows.some(({ contents }) => contents === 'verity');
    const verity = hasVerity ? await verityDigest(source, sections) : undefined;
    for (const scheme of parsed) compareContents(scheme, { chunked, verity });
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
  const gaps = uncovered(schemes, jar, v2, levels);
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
  const { signers, faults } = await verifyJarSignature(source, layout, {
    others: [],
    min: SCHEME_LEVELS.v2,
  });
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
    if (pairs.length > 1) parsed.faults.push('The signing block has it twice.');
    return [parsed];
  });
}
