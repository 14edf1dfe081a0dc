import { HullError } from '../../../errors.js';
import type { ByteSource } from '../../../formats/bytes/source.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import { dictIn, isDict, type PlistDict, type PlistValue, stringIn } from '../../../formats/plist/types.js';
import { readEntry } from '../../../formats/zip/reader.js';
import type { SingleDigest, ZipEntry } from '../../../formats/zip/types.js';
import { digestEntries } from '../../../packaging/digest-entries.js';
import { RESOURCES_PATH, treatmentOf } from './resources.js';
import { type SliceReport, verifyProgram } from './verify-program.js';

/** Programs and property lists that are read into memory: the largest programs of stores have 500 MB. */
const MOST_PROGRAM = 768 * 1024 * 1024;
const MOST_PLIST = 64 * 1024 * 1024;
/** Bundles inside of bundles: apps have extensions, and those have frameworks. */
const MAX_DEPTH = 6;

/** A bundle of a package, and those inside it. */
export interface BundleReport {
  /** Its folder in the archive: ends with a slash. */
  readonly folder: string;
  readonly info: PlistDict;
  readonly slices: readonly SliceReport[];
  /** Of the first slice that is signed. */
  readonly identifier: string | undefined;
  readonly team: string | undefined;
  /** Files whose hashes hold. */
  readonly sealedFiles: number;
  readonly nested: readonly BundleReport[];
  /** Why a device would refuse it: sentences, those of bundles inside with their folder. Empty where all holds. */
  readonly faults: readonly string[];
}

interface Archive {
  readonly source: ByteSource;
  readonly byPath: ReadonlyMap<string, ZipEntry>;
  readonly root: string;
  readonly extent: VerifiedExtent;
}

/** Which files are held against their seals. */
export interface VerifiedExtent {
  /** `programs`: the seals of other files are not looked at. */
  readonly files: 'all' | 'programs';
  /** The digest of an entry that need not be computed again. */
  readonly known?: (entry: ZipEntry, digest: SingleDigest) => Promise<Uint8Array | undefined>;
}

/** The folders right inside a bundle that are bundles with a program of their own. */
const NESTED =
  /^(?:Frameworks\/[^/]+\.framework|PlugIns\/[^/]+\.appex|Extensions\/[^/]+\.appex|Watch\/[^/]+\.app|AppClips\/[^/]+\.app)\//;

async function read(
  { source, byPath }: Archive,
  path: string,
  most: number,
): Promise<Uint8Array | undefined> {
  const entry = byPath.get(path);
  return entry && readEntry(source, entry, most);
}

/** The hash that a sealed file has to have: the best that is named. */
function sealOf(
  value: PlistValue | undefined,
): { readonly digest: SingleDigest; readonly bytes: Uint8Array } | undefined {
  if (value instanceof Uint8Array) return { digest: 'sha1', bytes: value };
  if (!isDict(value)) return undefined;
  if (value.hash2 instanceof Uint8Array) return { digest: 'sha256', bytes: value.hash2 };
  return value.hash instanceof Uint8Array ? { digest: 'sha1', bytes: value.hash } : undefined;
}

interface Sealed {
  readonly path: string;
  readonly entry: ZipEntry;
  readonly digest: SingleDigest;
  readonly bytes: Uint8Array;
}

/** The paths of files that are not as they were sealed. */
async function changedFiles({ source, extent }: Archive, sealed: readonly Sealed[]): Promise<string[]> {
  const changed: string[] = [];
  const unknown: Sealed[] = [];
  const judge = ({ path, bytes }: Sealed, found: Uint8Array) => {
    if (!Buffer.from(found).equals(bytes)) changed.push(path);
  };
  for (const one of sealed) {
    const found = await extent.known?.(one.entry, one.digest);
    if (found) judge(one, found);
    else unknown.push(one);
  }
  for (const [one, found] of await digestEntries(source, unknown)) judge(one, found);
  return changed;
}

/** Checks the files of a bundle against their seal. */
async function resourceFaults(
  archive: Archive,
  folder: string,
  program: string,
  nested: readonly string[],
  seal: PlistDict,
): Promise<{ readonly faults: string[]; readonly sealed: number }> {
  const files = isDict(seal.files2) ? seal.files2 : dictIn(seal, 'files');
  const isNewer = isDict(seal.files2);
  const faults: string[] = [];
  const sealed: Sealed[] = [];
  const present = [...archive.byPath.values()].filter(
    ({ path }) => path.startsWith(folder) && !path.endsWith('/'),
  );
  const own = new Map(present.map((entry) => [entry.path.slice(folder.length), entry]));
  for (const [path, entry] of own) {
    if (path === program || path.startsWith('_CodeSignature/')) continue;
    if (nested.some((one) => path.startsWith(one))) continue;
    const wanted = sealOf(Object.hasOwn(files, path) ? files[path] : undefined);
    if (wanted === undefined) {
      if (treatmentOf(path, isNewer ? 'files2' : 'files') !== 'omitted')
        faults.push(`${path} was added after signing.`);
      continue;
    }
    sealed.push({ path, entry, ...wanted });
  }
  const changed = await changedFiles(archive, sealed);
  faults.push(...changed.map((path) => `${path} was changed after signing.`));
  for (const [path, value] of Object.entries(files)) {
    const isOptional = isDict(value) && value.optional === true;
    const isNested = nested.some((one) => path === one.slice(0, -1));
    if (!own.has(path) && !isOptional && !isNested) faults.push(`${path} was removed after signing.`);
  }
  return { faults, sealed: sealed.length - changed.length };
}

async function verifyFolder(archive: Archive, folder: string, depth: number): Promise<BundleReport> {
  const faults: string[] = [];
  const infoBytes = await read(archive, `${folder}Info.plist`, MOST_PLIST);
  if (infoBytes === undefined) {
    throw new HullError('ipa.malformed', 'The bundle has no Info.plist.', {
      location: { entry: `${folder}Info.plist` },
    });
  }
  const info = readPlistDict(infoBytes);
  const program = stringIn(info, 'CFBundleExecutable') ?? '';
  const programBytes =
    program === '' || program.includes('/') ? undefined : await read(archive, folder + program, MOST_PROGRAM);
  if (programBytes === undefined) {
    throw new HullError('ipa.malformed', `The program "${program}" that Info.plist names is not there.`, {
      location: { entry: `${folder}Info.plist` },
    });
  }
  const resources = await read(archive, folder + RESOURCES_PATH, MOST_PLIST);
  const slices = verifyProgram(
    programBytes,
    { infoPlist: infoBytes, codeResources: resources },
    archive.root,
  );
  for (const slice of slices) {
    if (slice.signed === 'not at all') faults.push(`The program for ${slice.cpu} is not signed.`);
    faults.push(...slice.faults);
  }
  const nestedFolders = [
    ...new Set(
      [...archive.byPath.keys()].flatMap((path) =>
        path.startsWith(folder) ? (NESTED.exec(path.slice(folder.length))?.[0] ?? []) : [],
      ),
    ),
  ].sort();
  if (nestedFolders.length > 0 && depth >= MAX_DEPTH) {
    throw new HullError('ipa.malformed', 'Bundles are nested too deep.', { location: { entry: folder } });
  }
  const nested: BundleReport[] = [];
  for (const one of nestedFolders) nested.push(await verifyFolder(archive, folder + one, depth + 1));
  let sealed = 0;
  if (resources === undefined) faults.push('Its resources are not sealed: there is no CodeResources.');
  else if (archive.extent.files === 'all') {
    const checked = await resourceFaults(archive, folder, program, nestedFolders, readPlistDict(resources));
    faults.push(...checked.faults);
    sealed = checked.sealed;
  }
  const first = slices.find(({ identifier }) => identifier !== undefined);
  const bundleId = stringIn(info, 'CFBundleIdentifier');
  if (first && first.identifier !== bundleId) {
    faults.push(`The signature is for "${first.identifier}", and the bundle is "${bundleId ?? ''}".`);
  }
  return {
    folder,
    info,
    slices,
    identifier: first?.identifier,
    team: first?.team,
    sealedFiles: sealed,
    nested,
    faults: [
      ...faults,
      ...nested.flatMap((one) => one.faults.map((fault) => `${one.folder.slice(folder.length)}: ${fault}`)),
    ],
  };
}

/**
 * Verifies a bundle of an archive as a device does (Apple, "TN3126: Inside Code Signing: Hashes"): program, sealed files, and
 * the bundles inside it.
 *
 * @param folder of the bundle: ends with a slash
 * @param root SHA-256 of the trusted root, in hexadecimal
 * @throws HullError `ipa.malformed`, `plist.malformed`, `macho.malformed`, `zip.malformed`
 */
export function verifyBundle(
  source: ByteSource,
  entries: readonly ZipEntry[],
  folder: string,
  root: string,
  extent: VerifiedExtent = { files: 'all' },
): Promise<BundleReport> {
  const byPath = new Map(entries.map((entry) => [entry.path, entry]));
  return verifyFolder({ source, byPath, root, extent }, folder, 0);
}
