import { createHash } from 'node:crypto';
import { basename, dirname, join } from 'node:path';
import { type App, resolveApp } from '../app/app.js';
import { ART_CACHE } from '../art/icon-set.js';
import { findIconSource } from '../art/icon-source.js';
import { artInputs } from '../art/project-art.js';
import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { Inputs } from '../fleet/inputs.js';
import { PackedContents } from '../packaging/packed-contents.js';
import type { Provenance } from '../packaging/provenance.js';
import { type AndroidOptions, readAndroidOptions } from '../platforms/android/app/options.js';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import {
  type ContentRequest,
  debugApp,
  type PackReport,
  packAndroid,
  packedFiles,
} from '../platforms/android/package/pack.js';
import {
  compareRecord,
  type RecordedFile,
  readRecord,
  recordOf,
} from '../platforms/android/package/record.js';
import type { SigningPlan } from '../platforms/android/signing/sign.js';
import type { PackageStart } from '../platforms/android/signing/write-signed.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import { type ExcludedFile, type ListFolder, listOnce } from '../site/folder.js';
import { readTextFile, replaceFile } from '../util/files.js';
import { type CheckedOut, checkedOut } from '../util/git.js';
import { VERSION } from '../util/version.js';
import type { HostAccess } from './host-access.js';
import { openDebugKey } from './key-files.js';
import { outFolder } from './out-folder.js';
import { packFindings } from './pack-findings.js';
import { OpenedKeys, type OpenedSigning, openSigning, type PasswordOf } from './passwords.js';
import { isStatement, provenanceFile, statementIn, writeProvenance } from './provenance.js';
import { noteVerified } from './verified-packages.js';

/** Where it is noted which package holds what compressed. */
const PACKED_CONTENTS = '.hull/cache/contents.json';

export interface PackOptions extends HostAccess {
  /** Folder of `hull.json`; by default the working folder. */
  readonly project?: ProjectSource | undefined;
  /** `apk` is installed; `aab` is the bundle that a store makes packages from. */
  readonly kind?: PackageKind | undefined;
  /** Folder for the package; by default `out` of the project. */
  readonly out?: string | undefined;
  /** Key of `hull.json` to sign with; by default `android.key`. */
  readonly key?: string | undefined;
  readonly password: PasswordOf;
  /** File of the debug key: packs for web inspectors, signed with that key unless another is named. Stores refuse it. */
  readonly debugKey?: string | undefined;
  /** Address of a stand-in for the store on loopback: pages in a browser can buy there. Only for packages with a debug key. */
  readonly store?: string | undefined;
  /** Writes a bill of materials (CycloneDX 1.6) beside the package, and a signed statement of its origin (in-toto, SLSA provenance v1). */
  readonly record?: boolean | undefined;
  /** `skip` packs for the browser engine although the host does not name the key yet. */
  readonly originCheck?: 'skip' | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called with files of the web folder. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

export interface PackedProject extends Omit<PackReport, 'recorded'> {
  readonly kind: PackageKind;
  /** The bill of materials, where one was asked for. */
  readonly record?: string;
  /** The statement of origin, where a record was asked for. */
  readonly provenance?: string;
  /** A statement of origin beside the package that is about an earlier one. */
  readonly outdated?: string;
  /** Files of the web folder that were left out, and why. */
  readonly excluded: readonly ExcludedFile[];
  /** What users will not get as `hull.json` says. */
  readonly findings: readonly Finding[];
  /** What was packed. */
  readonly app: App;
  readonly android: AndroidOptions;
}

async function contentOf(
  project: Project,
  kind: PackageKind,
  debuggable: boolean,
  { store, list }: { readonly store?: string | undefined; readonly list?: ListFolder | undefined } = {},
): Promise<ContentRequest> {
  const app = await resolveApp(project, list);
  return {
    kind,
    app,
    android: {
      ...readAndroidOptions(project),
      ...(store === undefined ? {} : { shop: { app: project.settings.android.id, test: store } }),
    },
    art: artInputs(project, await findIconSource(project, app.folder)),
    artCacheDir: join(project.dir, ART_CACHE),
    debuggable,
  };
}

/** Refuses a stand-in in what users may get, and where pages would not find it. */
function checkStore(project: Project, { store, debugKey }: Pick<PackOptions, 'store' | 'debugKey'>): void {
  if (store === undefined) return;
  const fault =
    debugKey === undefined
      ? {
          what: 'Only a debuggable package sells through a stand-in.',
          fix: 'Pack one for web inspectors, with the debug key.',
        }
      : project.settings.android.engine === 'browser'
        ? undefined
        : {
            what: 'Pages in the web view find no shop.',
            fix: 'Set android.engine to "browser" in hull.json: browsers hand purchases to the app.',
          };
  if (fault === undefined) return;
  throw new HullError('pack.no-shop', fault.what, { location: { option: 'store' }, fix: fault.fix });
}

/** Who signs: the key that is named, or for packages that are never released one of their own. */
async function signerOf(
  project: Project,
  { debugKey, key: wanted, password }: Pick<PackOptions, 'debugKey' | 'key' | 'password'>,
  keys: OpenedKeys,
): Promise<OpenedSigning> {
  if (debugKey !== undefined && wanted === undefined) {
    const plan = openDebugKey(debugKey);
    plan.catch(() => undefined);
    return { signerName: 'DEBUG', plan };
  }
  return keys.of(project, wanted, password);
}

const recordText = (app: App, kind: PackageKind, files: readonly RecordedFile[]): string =>
  `${JSON.stringify(recordOf(app, kind, files, VERSION), undefined, 2)}\n`;

/** Writes what went into a package, and where it comes from, beside it. */
async function writeRecords(
  project: Project,
  { file, sha256, recorded = [] }: PackReport,
  content: ContentRequest,
  {
    identity: plan,
    source,
    inputs,
  }: {
    readonly identity: SigningPlan;
    readonly source: CheckedOut | undefined;
    readonly inputs: Inputs;
  },
): Promise<{ readonly record: string; readonly provenance: string }> {
  const { app, kind, debuggable = false } = content;
  const record = `${file}.cdx.json`;
  const text = recordText(app, kind, recorded);
  // The signature of a bundle is the original signer's.
  const identity = kind === 'aab' ? (plan.succession?.original ?? plan) : plan;
  const described = { file: record, sha256: sha256Of(text) };
  const origin = { project, file, sha256, record: described, kind, debuggable, identity, source, inputs };
  const [provenance] = await Promise.all([
    writeProvenance(origin),
    replaceFile(record, new TextEncoder().encode(text)),
  ]);
  return { record, provenance };
}

/**
 * Makes a signed Android package of a project, and reads it back before it counts.
 *
 * @throws HullError `config.*`, `app.*`, `web.*`, `art.*`, `keys.*`, `domains.not-named`, `disk.*`
 */
export async function packProject(options: PackOptions): Promise<PackedProject> {
  const project = openProject(options.project);
  const shared = packShared(project.dir);
  try {
    return await packSharing(project, options, shared);
  } finally {
    await endShared(shared);
  }
}

/** What packages of one run share. */
export interface PackShared {
  readonly dir: string;
  readonly contents: PackedContents<PackageStart>;
  readonly keys: OpenedKeys;
  readonly list: ListFolder;
  /** Files that packages are made from, each digested once. */
  readonly inputs: Inputs;
  /** SHA-256 of the packages that were made and verified, hexadecimal; the last is the newest. */
  readonly verified: string[];
  /** Called with the milliseconds that a package waited for another of the same pages. */
  readonly onWaited?: (ms: number) => void;
  /** What is checked out, asked once. */
  readonly source: () => Promise<CheckedOut | undefined>;
}

/**
 * What the package of a project is made with, or those of its brands; to be ended by {@link endShared}.
 *
 * @param dir of the project
 */
export function packShared(dir: string, packages: 'one' | 'brands' = 'one'): PackShared {
  let source: Promise<CheckedOut | undefined> | undefined;
  const list = listOnce();
  return {
    dir,
    contents: new PackedContents(join(dir, PACKED_CONTENTS), packages),
    keys: new OpenedKeys(),
    list,
    inputs: new Inputs(list),
    verified: [],
    source: () => {
      source ??= checkedOut(dir);
      return source;
    },
  };
}

/** Closes what packages shared, and notes which were verified. */
export async function endShared({ dir, contents, verified }: PackShared): Promise<void> {
  await contents.close();
  if (verified.length > 0) await noteVerified(dir, verified.toReversed());
}

/** The statement that an earlier package had, where this one has no record of its own. */
function outdatedBeside({ file, sha256 }: PackReport): Pick<PackedProject, 'outdated'> {
  const outdated = provenanceFile(file);
  try {
    const { subject } = statementIn(readTextFile(outdated), outdated);
    return subject.digest?.sha256 === sha256 ? {} : { outdated };
  } catch {
    // There is none, or it is somebody else's file.
    return {};
  }
}

/** As {@link packProject}, of a project that has been read, with what it shares with others. */
export async function packSharing(
  project: Project,
  options: Omit<PackOptions, 'project'>,
  { contents, keys, list, inputs, verified, source, onWaited }: PackShared,
): Promise<PackedProject> {
  const { kind = 'apk' } = options;
  const debuggable = options.debugKey !== undefined;
  checkStore(project, options);
  // Opening a keystore takes long on purpose; it goes on while the folder is read and compressed.
  const { signerName, plan: identity } = await signerOf(project, options, keys);
  const content = await contentOf(project, kind, debuggable, { store: options.store, list });
  const { android } = content;
  if (android.engine === 'browser' && !debuggable && options.originCheck !== 'skip') {
    const { checkOrigin } = await import('./check-origin.js');
    await checkOrigin(project, content.app, await identity, options);
  }
  const pack = () =>
    packAndroid({
      ...content,
      signerName,
      identity,
      contents,
      outDir: outFolder(project, options.out),
      record: options.record ?? false,
      ...(options.signal ? { signal: options.signal } : {}),
      ...(options.onProgress ? { onProgress: options.onProgress } : {}),
    });
  const { folder } = content.app;
  const report = await (folder === undefined ? pack() : contents.inTurn(folder.dir, pack, onWaited));
  const { recorded, ...rest } = report;
  const app = debuggable ? debugApp(content.app, android) : content.app;
  verified.push(report.sha256);
  return {
    ...rest,
    kind,
    ...(recorded
      ? await writeRecords(project, report, content, {
          identity: await identity,
          source: await source(),
          inputs,
        })
      : outdatedBeside(report)),
    excluded: content.app.folder?.leftOut ?? [],
    findings: await packFindings(project, app, android, debuggable),
    app,
    android,
  };
}

export interface PackFromOptions {
  /** Folder of `hull.json`, for the key. */
  readonly project?: ProjectSource | undefined;
  /** An `.aab` file, anyone's. */
  readonly bundle: string;
  readonly out?: string | undefined;
  readonly key?: string | undefined;
  readonly password: PasswordOf;
  readonly signal?: AbortSignal | undefined;
}

export interface PackedBundle {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  /** SHA-256 of the signing certificate, with colons. */
  readonly certificate: string;
  /** Modules of the bundle that are not in the package: a store delivers them on demand. */
  readonly leftOut: readonly string[];
  /** Resource values for kinds of devices that are not distinguished here. */
  readonly skippedValues: number;
}

/**
 * Makes one package of everything in a bundle, for trying it.
 *
 * @throws HullError `bundle.malformed`, `package.unknown`, `keys.*`, `disk.*`
 */
export async function packFromBundle(options: PackFromOptions): Promise<PackedBundle> {
  const project = openProject(options.project);
  const { universalApk } = await import('../platforms/android/package/universal.js');
  const { passedOver, ...report } = await universalApk({
    ...(await openSigning(project, options.key, options.password)),
    file: options.bundle,
    outDir: outFolder(project, options.out),
    ...(options.signal ? { signal: options.signal } : {}),
  });
  return { ...report, skippedValues: passedOver };
}

export interface VerifyRecordOptions {
  readonly project?: ProjectSource | undefined;
  readonly kind?: PackageKind | undefined;
  readonly debuggable?: boolean | undefined;
  /** A bill of materials that packing wrote, or a statement of origin. */
  readonly record: string;
}

export interface VerifiedRecord {
  readonly record: string;
  /** Whether packing today gives the same files. */
  readonly same: boolean;
  /** Files that would be packed. */
  readonly files: number;
  readonly added: readonly string[];
  readonly removed: readonly string[];
  readonly changed: readonly string[];
}

/**
 * Rebuilds what would be packed and compares it with a record. Nothing is signed or written.
 *
 * @throws HullError `record.malformed`, `file.missing`, and as {@link packProject}
 */
export async function verifyRecord(options: VerifyRecordOptions): Promise<VerifiedRecord> {
  const { record } = options;
  const text = readTextFile(record);
  const stated = isStatement(text) ? statementIn(text, record) : undefined;
  const project = await brandOf(openProject(options.project), stated?.brand);
  const kind = stated === undefined ? (options.kind ?? 'apk') : kindOf(stated, record);
  const debuggable = stated?.debuggable ?? options.debuggable ?? false;
  const content = await contentOf(project, kind, debuggable);
  const files = await packedFiles(content);
  // A statement names the bill of materials by its digest; what differs is known where that is there.
  const bom = stated === undefined ? record : join(dirname(record), basename(stated.record.name ?? ''));
  const wanted = stated?.record.digest?.sha256;
  if (wanted !== undefined && sha256Of(recordText(content.app, kind, files)) === wanted)
    return { record, same: true, files: files.length, added: [], removed: [], changed: [] };
  const found = compareRecord(readRecord(readTextFile(bom), bom), files);
  const isSame = found.added.length + found.removed.length + found.changed.length === 0;
  return { record, same: isSame && wanted === undefined, files: files.length, ...found };
}

const sha256Of = (text: string): string => createHash('sha256').update(text).digest('hex');

/** The project of a brand that a statement names. */
async function brandOf(project: Project, brand: string | undefined): Promise<Project> {
  if (brand === undefined) return project;
  const { brandProject, chosenBrands, readFleet } = await import('../fleet/fleet.js');
  const fleet = readFleet(project.dir);
  const [chosen] = chosenBrands(fleet, [brand]);
  return chosen === undefined ? project : brandProject(fleet, chosen);
}

function kindOf({ kind }: Provenance, file: string): PackageKind {
  if (kind === 'apk' || kind === 'aab') return kind;
  throw new HullError('provenance.malformed', `The statement is about a package of the kind "${kind}".`, {
    location: { file },
    fix: 'Give the statement of an .apk or .aab file.',
  });
}
