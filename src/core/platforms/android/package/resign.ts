import { fromSystemError, HullError } from '../../../errors.js';
import { readBinaryXml } from '../../../formats/axml/reader.js';
import { FileSource } from '../../../formats/bytes/source.js';
import { checkPath } from '../../../formats/zip/path.js';
import { readEntry, readZip } from '../../../formats/zip/reader.js';
import type { Entry, SingleDigest, ZipEntry, ZipLayout } from '../../../formats/zip/types.js';
import { fingerprint } from '../../../keys/fingerprint.js';
import { signedFile } from '../../../packaging/signed-file.js';
import { SDK, STORED_ALIGNMENT } from '../app/attributes.js';
import { wantedAlignment } from '../inspect/alignment.js';
import { apiLevels } from '../inspect/levels.js';
import { MANIFEST_PATH, type PackageKind, packageKind, TABLE_PATH } from '../inspect/package-kind.js';
import type { ContentsDigest } from '../signing/content-digest.js';
import type { SignatureReport } from '../signing/report.js';
import { SCHEME_LEVELS } from '../signing/scheme.js';
import type { SigningPlan } from '../signing/sign.js';
import { readSigningBlock } from '../signing/signing-block.js';
import { type ApiLevels, verifyBundle, verifySignatures } from '../signing/verify.js';
import { isAboutSignature } from '../signing/verify-v1.js';
import { signInPlace, writeSignedPackage } from '../signing/write-signed.js';

/** Signing packages that anyone made: their files stay as they are, their places and signatures are made again. */

const MANIFEST_LIMIT = 16 * 1024 * 1024;
/** Below this level devices know no SHA-256 in JAR signatures (Android 4.3). */
const SHA256_SINCE = 18;
/** The same for signatures of EC keys with SHA-1 (Android 4.3) and SHA-256 (Android 5.0). */
const EC_SINCE = 18;
const EC_SHA256_SINCE = 21;

/** API levels that an APK's manifest names. */
export async function packageLevels(source: FileSource, layout: ZipLayout): Promise<ApiLevels> {
  const entry = layout.entries.find(({ path }) => path === MANIFEST_PATH.apk) as ZipEntry;
  const manifest = readBinaryXml(await readEntry(source, entry, MANIFEST_LIMIT));
  const levels = apiLevels(manifest);
  if (!entry.hasOtherHeader) return levels;
  const fault = `${entry.path} has another checksum, size or flag in its own header than in the directory.`;
  return { ...levels, faults: [...(levels.faults ?? []), fault] };
}

export interface ResignRequest {
  readonly file: string;
  /** Default: beside the file, with -signed behind its name. */
  readonly out?: string | undefined;
  readonly plan: Promise<SigningPlan>;
  /** `auto`: a v1 signature where devices of the package's lowest API level need one. */
  readonly v1: 'auto' | 'always';
  /** Name of the JAR signature's files. */
  readonly signerName: string;
  readonly signal?: AbortSignal;
}

export interface ResignReport {
  readonly file: string;
  readonly kind: PackageKind;
  /** Bytes. */
  readonly size: number;
  /** Files of older signatures that were left out. */
  readonly removed: readonly string[];
  /** Files that begin elsewhere now, because they were not aligned. */
  readonly realigned: readonly string[];
  readonly schemes: readonly string[];
  /** SHA-256 with colons. */
  readonly certificate: string;
}

/** Opens a package that somebody made. Throws `disk.*`, `file.missing`, `zip.*`, `package.unknown`. */
export async function openPackage(
  file: string,
): Promise<{ readonly source: FileSource; readonly layout: ZipLayout; readonly kind: PackageKind }> {
  let source: FileSource;
  try {
    source = await FileSource.open(file);
  } catch (error) {
    throw fromSystemError(error, file);
  }
  try {
    const layout = await readZip(source);
    return { source, layout, kind: packageKind(layout) };
  } catch (error) {
    await source.close();
    throw error instanceof HullError ? error.at({ file }) : error;
  }
}

/** The signatures of a package of either kind. @param digested what was digested of the same file already */
export async function packageSignatures(
  source: FileSource,
  layout: ZipLayout,
  kind: PackageKind,
  digested?: ContentsDigest,
): Promise<SignatureReport> {
  if (kind === 'aab') return verifyBundle(source, layout);
  return verifySignatures(source, layout, await packageLevels(source, layout), digested);
}

/** The digest of a v1 signature that devices from `min` on can read. Throws `signing.unsupported`. */
async function jarDigest({ plan }: ResignRequest, min: number): Promise<SingleDigest> {
  if (min >= EC_SHA256_SINCE) return 'sha256';
  const { succession, privateKey } = await plan;
  const type = (succession?.original.privateKey ?? privateKey).asymmetricKeyType;
  if (type !== 'ec') return min < SHA256_SINCE ? 'sha1' : 'sha256';
  if (min >= EC_SINCE) return 'sha1';
  throw new HullError(
    'signing.unsupported',
    `Devices below API ${EC_SINCE} read no v1 signature of an EC key, and the package is for API ${min} on.`,
    { fix: `Sign with an RSA key, or raise the package's minSdkVersion to ${EC_SINCE}.` },
  );
}

/** Whether an entry is the table of resources, compressed. */
const isPackedTable = ({ path, method }: ZipEntry) => path === TABLE_PATH.apk && method === 'deflate';

/** Whether an entry of a package cannot stay as it stands. */
function isMisplaced(entry: ZipEntry): boolean {
  return isPackedTable(entry) || entry.dataOffset % wantedAlignment(entry) !== 0;
}

/** An entry as it goes into the package that is signed again. */
async function takenOver(source: FileSource, entry: ZipEntry, kind: PackageKind): Promise<Entry> {
  const { path, method, size } = entry;
  // Android 11 and later map the table into memory as it stands.
  if (kind === 'apk' && isPackedTable(entry)) {
    return { path, content: await readEntry(source, entry), method: 'store', alignment: STORED_ALIGNMENT };
  }
  const alignment = kind === 'aab' ? 1 : wantedAlignment(entry);
  return { path, content: { archive: source, entry, size }, method, alignment };
}

/**
 * Signs a package again: older signatures go, stored files are aligned, everything else is taken over as it stands.
 *
 * @throws HullError `package.unknown`, `zip.*`, `disk.*`, `keys.*`, `signing.*`, `apk.readback`
 */
export async function resign(request: ResignRequest): Promise<ResignReport> {
  const out = signedFile(request);
  const { source, layout, kind } = await openPackage(request.file);
  try {
    const old = layout.entries.filter(({ path }) => isAboutSignature(path));
    const kept = layout.entries.filter((entry) => !old.includes(entry));
    const levels = kind === 'apk' ? await packageLevels(source, layout) : SDK;
    for (const { path } of kept) checkPath(path);
    const realigned = kind === 'apk' ? kept.filter(isMisplaced).map(({ path }) => path) : [];
    let schemes: string[] = [];
    const check = async (temporary: string, digested?: ContentsDigest) => {
      schemes = await checkSigned(temporary, kind, digested);
    };
    const done = async (size: number): Promise<ResignReport> => {
      const [own] = (await request.plan).certificates;
      return {
        file: out,
        kind,
        size,
        removed: old.map(({ path }) => path),
        realigned,
        schemes,
        certificate: own === undefined ? '' : fingerprint(own, 'sha256'),
      };
    };
    const needsJar = kind === 'aab' || request.v1 === 'always' || levels.min < SCHEME_LEVELS.v2;
    const signal = request.signal ? { signal: request.signal } : {};
    const starts = layout.entries.reduce(
      (first, { headerOffset }) => Math.min(first, headerOffset),
      Number.POSITIVE_INFINITY,
    );
    if (!needsJar && old.length === 0 && realigned.length === 0 && starts === 0) {
      const block = await readSigningBlock(source, layout.centralDirectory.offset);
      const sections = { ...layout, contentsEnd: block?.offset ?? layout.centralDirectory.offset };
      return await done(await signInPlace(out, request.file, sections, request.plan, { ...signal, check }));
    }
    const entries = await Promise.all(kept.map((entry) => takenOver(source, entry, kind)));
    const digest = kind === 'apk' && needsJar ? await jarDigest(request, levels.min) : 'sha256';
    const written = await writeSignedPackage(out, entries, request.plan, {
      kind: kind === 'aab' ? 'bundle' : 'apk',
      ...(needsJar ? { jar: { digest, name: request.signerName } } : {}),
      ...signal,
      check,
    });
    return await done(written.size);
  } finally {
    await source.close();
  }
}

/**
 * Reads a signed package back. Throws `apk.readback`.
 *
 * @param digested what was read back of its contents already
 */
export async function checkSigned(
  file: string,
  kind: PackageKind,
  digested?: ContentsDigest,
): Promise<string[]> {
  const source = await FileSource.open(file);
  try {
    const report = await packageSignatures(source, await readZip(source), kind, digested);
    if (!report.verifies) {
      const why = [...report.schemes.flatMap(({ faults }) => faults), ...report.gaps].join(' ');
      throw new HullError(
        'apk.readback',
        `The package was written, and does not hold when read back: ${why}`,
        {
          location: { file },
          fix: 'The package was discarded. Please report this, with the package if you may.',
        },
      );
    }
    return report.schemes.map(({ scheme }) => scheme);
  } finally {
    await source.close();
  }
}
