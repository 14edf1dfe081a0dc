import { createHash } from 'node:crypto';
import { HullError } from '../../../errors.js';
import { type Finding, reaches } from '../../../finding.js';
import { FileSource } from '../../../formats/bytes/source.js';
import { joinSlices } from '../../../formats/macho/fat.js';
import { isMachO, readSlices } from '../../../formats/macho/reader.js';
import { newDict, type PlistDict, type PlistValue, stringIn } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { checkPath } from '../../../formats/zip/path.js';
import { readEntry, readEntryInPieces, readZip } from '../../../formats/zip/reader.js';
import { type Entry, MODE, type ZipEntry, type ZipLayout } from '../../../formats/zip/types.js';
import { writeDirectory, writeEntries } from '../../../formats/zip/writer.js';
import { withPackage } from '../../../packaging/read-package.js';
import { signedFile } from '../../../packaging/signed-file.js';
import { FileSink, underTemporaryName, withFile } from '../../../packaging/write-file.js';
import { APP_ID_ENTITLEMENT, DEBUG_ENTITLEMENT, TEAM_ENTITLEMENT } from '../app/entitlements.js';
import { allows } from '../signing/judge-profile.js';
import type { Profile } from '../signing/profile.js';
import { codeResources, RESOURCES_PATH } from '../signing/resources.js';
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

async function digestOf(pieces: Iterable<Uint8Array> | AsyncIterable<Uint8Array>): Promise<Uint8Array> {
  const [short, long] = [createHash('sha1'), createHash('sha256')];
  for await (const piece of pieces) {
    short.update(piece);
    long.update(piece);
  }
  return new Uint8Array(Buffer.concat([short.digest(), long.digest()]));
}

/** Files of a package that are made again, by their paths in the archive, over those that stay. */
class Resigned {
  readonly #source: FileSource;
  readonly #kept: ReadonlyMap<string, ZipEntry>;
  readonly #request: IpaResignRequest;
  readonly made = new Map<string, Uint8Array>();
  readonly programs: string[] = [];
  readonly #digests = new Map<string, Promise<Uint8Array>>();

  constructor(source: FileSource, layout: ZipLayout, request: IpaResignRequest) {
    this.#source = source;
    this.#request = request;
    // Older signatures go; those of today are made again.
    this.#kept = new Map(
      layout.entries
        .filter(({ path }) => !path.endsWith('/') && !/(?:^|\/)_CodeSignature\//.test(path))
        .map((entry) => [entry.path, entry]),
    );
  }

  get entries(): Entry[] {
    const others = [...this.#kept.values()].filter(({ path }) => !this.made.has(path));
    return [
      ...others.map((entry) => ({
        path: entry.path,
        content: { archive: this.#source, entry, size: entry.size },
        method: entry.method,
        alignment: 1,
        mode: entry.mode,
      })),
      ...[...this.made].map(([path, content]) => ({
        path,
        content,
        method: 'deflate' as const,
        alignment: 1,
        mode: this.#kept.get(path)?.mode ?? MODE.file,
      })),
    ];
  }

  async #read(path: string): Promise<Uint8Array> {
    return this.made.get(path) ?? readEntry(this.#source, this.#kept.get(path) as ZipEntry, MOST_PROGRAM);
  }

  /** SHA-1, then SHA-256. What is not made again has one digest, in whichever bundle it counts. */
  #digest(path: string): Promise<Uint8Array> {
    const made = this.made.get(path);
    if (made) return digestOf([made]);
    const known =
      this.#digests.get(path) ?? digestOf(readEntryInPieces(this.#source, this.#kept.get(path) as ZipEntry));
    this.#digests.set(path, known);
    return known;
  }

  async #digestsOf(folder: string, program: string): Promise<Map<string, Uint8Array>> {
    const found = new Map<string, Uint8Array>();
    for (const path of new Set([...this.#kept.keys(), ...this.made.keys()])) {
      if (!path.startsWith(folder) || path === folder + program) continue;
      this.#request.signal?.throwIfAborted();
      found.set(path.slice(folder.length), await this.#digest(path));
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
    this.made.set(path, joinSlices(signed));
    this.programs.push(path);
  }

  /** Libraries that lie in the package by themselves. */
  async libraries(): Promise<void> {
    for (const [path, entry] of this.#kept) {
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
  async bundle({ folder, info, nested }: BundleReport, entitlements: PlistDict | undefined): Promise<void> {
    for (const one of nested) await this.bundle(one, undefined);
    const program = stringIn(info, 'CFBundleExecutable') ?? '';
    const resources = writeXmlPlist(codeResources(await this.#digestsOf(folder, program)));
    this.made.set(folder + RESOURCES_PATH, resources);
    await this.#sign(folder + program, {
      identifier: stringIn(info, 'CFBundleIdentifier') ?? program,
      infoPlist: await this.#read(folder + INFO_PATH),
      codeResources: resources,
      entitlements,
    });
  }
}

async function checkWritten(file: string, folder: string, root: string): Promise<void> {
  const source = await FileSource.open(file);
  try {
    const { faults } = await verifyBundle(source, (await readZip(source)).entries, folder, root);
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
    const report = await verifyBundle(source, layout.entries, folder, request.root, 'programs');
    checkSignable(report);
    const bundleId = stringIn(report.info, 'CFBundleIdentifier') ?? '';
    const old = report.slices.find((slice) => slice.entitlements)?.entitlements ?? newDict();
    const { entitlements, dropped } = entitlementsFor(old, bundleId, request);
    const findings = request.judge(bundleId, entitlements);
    if (reaches(findings, 'error')) return { is: 'refused', findings };
    const resigned = new Resigned(source, layout, request);
    resigned.made.set(folder + PROFILE_PATH, request.profileBytes);
    await resigned.libraries();
    await resigned.bundle(report, entitlements);
    const size = await underTemporaryName(out, request.signal, async (temporary) => {
      const written = await withFile(temporary, 'wx', async (handle) => {
        const sink = new FileSink(handle);
        const { entries, size: end } = await writeEntries(resigned.entries, sink, { signal: request.signal });
        const whole = await writeDirectory(entries, sink, end);
        await sink.flush();
        return whole;
      });
      await checkWritten(temporary, folder, request.root);
      return written;
    });
    const { team } = request.signer;
    return { is: 'signed', file: out, size, bundleId, team, programs: resigned.programs, dropped, findings };
  });
}
