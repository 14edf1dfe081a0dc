import { HullError } from '../../../errors.js';
import { type Finding, reaches } from '../../../finding.js';
import { areSameBytes, FileSource } from '../../../formats/bytes/source.js';
import { joinSlices } from '../../../formats/macho/fat.js';
import { isMachO, readSlices } from '../../../formats/macho/reader.js';
import { newDict, type PlistDict, type PlistValue, stringIn } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { digestBytes } from '../../../formats/zip/digest.js';
import { checkPath } from '../../../formats/zip/path.js';
import { readEntry, readZip } from '../../../formats/zip/reader.js';
import {
  type Entry,
  MODE,
  type SingleDigest,
  type ZipEntry,
  type ZipLayout,
} from '../../../formats/zip/types.js';
import { type Sink, writeDirectory, writeEntries } from '../../../formats/zip/writer.js';
import { digestEntries } from '../../../packaging/digest-entries.js';
import { withPackage } from '../../../packaging/read-package.js';
import { signedFile } from '../../../packaging/signed-file.js';
import { FileSink, underTemporaryName, withFile } from '../../../packaging/write-file.js';
import { APP_ID_ENTITLEMENT, DEBUG_ENTITLEMENT, TEAM_ENTITLEMENT } from '../app/entitlements.js';
import { allows } from '../signing/judge-profile.js';
import type { Profile } from '../signing/profile.js';
import { codeResources, RESOURCES_PATH, SHA1_SIZE } from '../signing/resources.js';
import { type ProgramSigner, signProgram } from '../signing/sign-program.js';
import { type BundleReport, verifyBundle } from '../signing/verify-bundle.js';
import { bundleFolderOf, checkLinks } from './bundle-folder.js';
import { INFO_PATH, PROFILE_PATH } from './entries.js';

export interface IpaResignRequest {
  readonly file: string;
  /** Default: beside the file, with -signed behind its name. */
  readonly out?: string | undefined;
  readonly signer: ProgramSigner;
  readonly profile: Profile;
  readonly profileBytes: Uint8Array;
  /** SHA-256 of the root that devices have to trust, in hexadecimal. */
  readonly root: string;
  /** Holds identity and profile against the app: its bundle identifier, and what it may do. */
  readonly judge: (bundleId: string, entitlements: PlistDict) => readonly Finding[];
  readonly signal?: AbortSignal | undefined;
}

export type IpaResignResult = ResignedIpa | RefusedResigning;

export interface ResignedIpa {
  readonly is: 'signed';
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly bundleId: string;
  readonly team: string;
  /** Programs that were signed, by their paths in the archive. */
  readonly programs: readonly string[];
  /** Entitlements that the app had, and the profile does not allow. */
  readonly dropped: readonly string[];
  readonly findings: readonly Finding[];
}

/** Identity, profile and app do not fit: nothing is made. */
export interface RefusedResigning {
  readonly is: 'refused';
  readonly findings: readonly Finding[];
}

const MOST_PROGRAM = 768 * 1024 * 1024;
const KEYCHAIN_ENTITLEMENT = 'keychain-access-groups';
const unsupported = (message: string, entry: string, fix: string) =>
  new HullError('signing.unsupported', message, { location: { entry }, fix });

/** What an app may do once another team has signed it: what it might before, as far as the new profile lets it. */
function entitlementsFor(
  old: PlistDict,
  bundleId: string,
  { profile, signer: { team } }: IpaResignRequest,
): { readonly entitlements: PlistDict; readonly dropped: string[] } {
  const prefix = profile.prefixes[0] ?? team;
  const id = `${prefix}.${bundleId}`;
  const own: PlistDict = {
    [APP_ID_ENTITLEMENT]: id,
    [TEAM_ENTITLEMENT]: team,
    [DEBUG_ENTITLEMENT]: profile.kind === 'development',
    [KEYCHAIN_ENTITLEMENT]: [id],
  };
  const others = Object.keys(old).filter((key) => !Object.hasOwn(own, key));
  const isAllowed = (key: string) => allows(profile.entitlements[key], old[key] as PlistValue);
  const kept = others.filter(isAllowed).map((key) => [key, old[key] as PlistValue] as const);
  return {
    entitlements: { ...own, ...Object.fromEntries(kept) },
    dropped: others.filter((key) => !isAllowed(key)),
  };
}

/** What can be signed again: programs that no store encrypted, and bundles inside that need no profile of their own. */
function checkSignable(report: BundleReport): void {
  for (const { program } of report.slices) {
    if ((program.encryption?.id ?? 0) === 0) continue;
    throw unsupported(
      'The store encrypted this app.',
      report.folder,
      'Only its maker can sign it: sign the package that was given to the store.',
    );
  }
  for (const nested of report.nested) {
    if (/\.framework\/$/.test(nested.folder)) checkSignable(nested);
    else {
      throw unsupported(
        'The app holds an extension, an app for watches or an app clip, which needs a profile of its own.',
        nested.folder,
        'Sign it with the tools that made it; or take the package without it.',
      );
    }
  }
}

/** Whether two entries of two archives are the same, byte by byte as they are packed. */
async function holdSame(
  one: FileSource,
  entry: ZipEntry,
  another: FileSource,
  other: ZipEntry,
): Promise<boolean> {
  const isAlike = (['method', 'crc32', 'size', 'compressedSize'] as const).every(
    (field) => entry[field] === other[field],
  );
  const ranges = [
    { source: one, offset: entry.dataOffset },
    { source: another, offset: other.dataOffset },
  ] as const;
  return isAlike && areSameBytes(...ranges, entry.compressedSize);
}

/** Every program that a bundle's signature is in, by its path in the archive. */
const programsOf = ({ folder, info, nested }: BundleReport): string[] => [
  folder + (stringIn(info, 'CFBundleExecutable') ?? ''),
  ...nested.flatMap(programsOf),
];

/** Files of a package that are made again, by their paths in the archive, over those that stay. */
class Resigned {
  readonly #source: FileSource;
  /** What is taken from the package: as it stands, or to be signed. */
  readonly #old: ReadonlyMap<string, ZipEntry>;
  readonly #request: IpaResignRequest;
  readonly #made = new Map<string, Uint8Array>();
  /** Of what stays as it is: SHA-1, then SHA-256. */
  #digests: ReadonlyMap<string, Uint8Array> = new Map();
  readonly programs: string[] = [];

  constructor(source: FileSource, layout: ZipLayout, request: IpaResignRequest) {
    this.#source = source;
    this.#request = request;
    // Older signatures go; those of today are made again.
    this.#old = new Map(
      layout.entries
        .filter(({ path }) => !path.endsWith('/') && !/(?:^|\/)_CodeSignature\//.test(path))
        .map((entry) => [entry.path, entry]),
    );
  }

  /** Writes the package: what stays is digested on its way, and what seals it comes last. */
  async write(sink: Sink, report: BundleReport, entitlements: PlistDict): Promise<number> {
    const { signal, profileBytes } = this.#request;
    this.#made.set(report.folder + PROFILE_PATH, profileBytes);
    await this.#signLibraries();
    const kept = this.#kept(new Set(programsOf(report)));
    const wanted = kept.map((entry) => ({ entry, digest: 'sha1+sha256' as const }));
    const entries = kept.map((entry) => ({
      path: entry.path,
      content: { archive: this.#source, entry, size: entry.size },
      method: entry.method,
      alignment: 1,
      mode: entry.mode,
    }));
    const [digests, first] = await Promise.all([
      digestEntries(this.#source, wanted, signal),
      writeEntries(entries, sink, { signal }),
    ]);
    this.#digests = new Map([...digests].map(([{ entry }, digest]) => [entry.path, digest]));
    await this.#signBundle(report, entitlements);
    const second = await writeEntries(this.#madeEntries(), sink, { signal, offset: first.size });
    return writeDirectory([...first.entries, ...second.entries], sink, second.size);
  }

  #kept(programs: ReadonlySet<string>): ZipEntry[] {
    return [...this.#old.values()].filter(({ path }) => !this.#made.has(path) && !programs.has(path));
  }

  #madeEntries(): Entry[] {
    return [...this.#made].map(([path, content]) => ({
      path,
      content,
      method: 'deflate',
      alignment: 1,
      mode: this.#old.get(path)?.mode ?? MODE.file,
    }));
  }

  async #read(path: string): Promise<Uint8Array> {
    return this.#made.get(path) ?? readEntry(this.#source, this.#old.get(path) as ZipEntry, MOST_PROGRAM);
  }

  async #digestsOf(folder: string, program: string): Promise<Map<string, Uint8Array>> {
    const found = new Map<string, Uint8Array>();
    for (const path of new Set([...this.#old.keys(), ...this.#made.keys()])) {
      if (!path.startsWith(folder) || path === folder + program) continue;
      const made = this.#made.get(path);
      const digest = made ? await digestBytes(made, 'sha1+sha256') : this.#digests.get(path);
      found.set(path.slice(folder.length), digest as Uint8Array);
    }
    return found;
  }

  async #sign(
    path: string,
    seal: Pick<
      Parameters<typeof signProgram>[1],
      'identifier' | 'infoPlist' | 'codeResources' | 'entitlements'
    >,
  ): Promise<void> {
    const bytes = await this.#read(path);
    const slices = readSlices(bytes).map(({ offset, size }) => bytes.slice(offset, offset + size));
    const signed: Uint8Array[] = [];
    for (const slice of slices)
      signed.push((await signProgram(slice, { ...seal, signer: this.#request.signer })).bytes);
    this.#made.set(path, joinSlices(signed));
    this.programs.push(path);
  }

  /** Libraries that lie in the package by themselves. */
  async #signLibraries(): Promise<void> {
    for (const [path, entry] of this.#old) {
      if (!path.endsWith('.dylib')) continue;
      const bytes = await readEntry(this.#source, entry, MOST_PROGRAM);
      if (!isMachO(bytes)) continue;
      const identifier = path.slice(path.lastIndexOf('/') + 1, -'.dylib'.length);
      await this.#sign(path, {
        identifier,
        infoPlist: undefined,
        codeResources: undefined,
        entitlements: undefined,
      });
    }
  }

  /** A bundle, once all inside it is signed. */
  async #signBundle(
    { folder, info, nested }: BundleReport,
    entitlements: PlistDict | undefined,
  ): Promise<void> {
    for (const one of nested) await this.#signBundle(one, undefined);
    const program = stringIn(info, 'CFBundleExecutable') ?? '';
    const resources = writeXmlPlist(codeResources(await this.#digestsOf(folder, program)));
    this.#made.set(folder + RESOURCES_PATH, resources);
    await this.#sign(folder + program, {
      identifier: stringIn(info, 'CFBundleIdentifier') ?? program,
      infoPlist: await this.#read(folder + INFO_PATH),
      codeResources: resources,
      entitlements,
    });
  }

  /**
   * The digest of an entry that was taken over, where its bytes in the written package are those of the old one;
   * `undefined` where they are not, and for what was made.
   */
  async knownDigest(
    written: FileSource,
    entry: ZipEntry,
    digest: SingleDigest,
  ): Promise<Uint8Array | undefined> {
    const known = this.#digests.get(entry.path);
    const old = this.#old.get(entry.path);
    if (known === undefined || old === undefined) return undefined;
    if (!(await holdSame(written, entry, this.#source, old))) return undefined;
    return digest === 'sha1' ? known.subarray(0, SHA1_SIZE) : known.subarray(SHA1_SIZE);
  }
}

async function checkWritten(file: string, resigned: Resigned, folder: string, root: string): Promise<void> {
  const source = await FileSource.open(file);
  try {
    const { entries } = await readZip(source);
    const { faults } = await verifyBundle(source, entries, folder, root, {
      files: 'all',
      known: (entry, digest) => resigned.knownDigest(source, entry, digest),
    });
    if (faults.length === 0) return;
    throw new HullError(
      'ipa.readback',
      `The package was written, and does not hold when read back: ${faults.join(' ')}`,
      {
        location: { file },
        fix: 'The package was discarded. Please report this, with the package if you may.',
      },
    );
  } finally {
    await source.close();
  }
}

/**
 * Signs anyone's app package again: frameworks and libraries inside first, the profile replaced, everything else taken
 * over as it stands, read back and verified.
 *
 * @throws HullError `package.unknown`, `ipa.malformed`, `ipa.readback`, `signing.unsupported`, `zip.*`, `disk.*`
 */
export async function resignIpa(request: IpaResignRequest): Promise<IpaResignResult> {
  const out = signedFile(request);
  return withPackage(request.file, async (source, layout) => {
    const folder = bundleFolderOf(layout);
    if (!folder.startsWith('Payload/')) {
      throw new HullError('package.unknown', 'This package is for simulators, which ask for no signature.', {
        fix: 'Give a package for devices.',
      });
    }
    checkLinks(layout.entries);
    for (const { path } of layout.entries) checkPath(path.replace(/\/$/, ''));
    const report = await verifyBundle(source, layout.entries, folder, request.root, { files: 'programs' });
    checkSignable(report);
    const bundleId = stringIn(report.info, 'CFBundleIdentifier') ?? '';
    const old = report.slices.find((slice) => slice.entitlements)?.entitlements ?? newDict();
    const { entitlements, dropped } = entitlementsFor(old, bundleId, request);
    const findings = request.judge(bundleId, entitlements);
    if (reaches(findings, 'error')) return { is: 'refused', findings };
    const resigned = new Resigned(source, layout, request);
    const size = await underTemporaryName(out, request.signal, async (temporary) => {
      const written = await withFile(temporary, 'wx', async (handle) => {
        const sink = new FileSink(handle);
        const whole = await resigned.write(sink, report, entitlements);
        await sink.end();
        return whole;
      });
      await checkWritten(temporary, resigned, folder, request.root);
      return written;
    });
    const { team } = request.signer;
    return { is: 'signed', file: out, size, bundleId, team, programs: resigned.programs, dropped, findings };
  });
}
