import { readFileSync } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { App } from '../../../app/app.js';
import type { ArtInputs } from '../../../art/icon-set.js';
import { type LauncherIcon, launcherIcon } from '../../../art/launcher-icon.js';
import { HullError } from '../../../errors.js';
import { readBinaryXml } from '../../../formats/axml/reader.js';
import { FileSource } from '../../../formats/bytes/source.js';
import { gzippedContent } from '../../../formats/zip/gzipped.js';
import { readEntry, readZip } from '../../../formats/zip/reader.js';
import type { PackedContent, ZipLayout } from '../../../formats/zip/types.js';
import { writeEntries } from '../../../formats/zip/writer.js';
import { fingerprint } from '../../../keys/fingerprint.js';
import { withCompressor } from '../../../packaging/compress-threads.js';
import { PARTS, type PackageEntry, type Part, sizesByPart } from '../../../packaging/entries.js';
import { checkOutDir } from '../../../packaging/out-dir.js';
import { type PackedContents, WORTH_KNOWING } from '../../../packaging/packed-contents.js';
import { debug } from '../../../util/debug.js';
import { makeFolder } from '../../../util/files.js';
import { packagedPath } from '../../../util/packaged.js';
import { SDK, STORED_ALIGNMENT } from '../app/attributes.js';
import { type AndroidOptions, appInEngine, debugId, type ShellName, shellCode } from '../app/options.js';
import { attributeText } from '../inspect/manifest-facts.js';
import { MANIFEST_PATH, type PackageKind } from '../inspect/package-kind.js';
import type { ContentsDigest } from '../signing/content-digest.js';
import type { SchemeName, SignatureReport } from '../signing/report.js';
import type { SigningPlan } from '../signing/sign.js';
import { verifyBundle, verifySignatures } from '../signing/verify.js';
import { isAboutSignature } from '../signing/verify-v1.js';
import { type PackageStart, writeSignedPackage } from '../signing/write-signed.js';
import { apkEntries } from './entries.js';
import type { RecordedFile } from './record.js';

/** What is packed, before anything is said of keys and places. */
export interface ContentRequest {
  /** `apk` is installed; `aab` is the bundle that a store makes packages from. */
  readonly kind: PackageKind;
  readonly app: App;
  readonly android: AndroidOptions;
  /** What the icons are made from. */
  readonly art: ArtInputs;
  /** Folder for drawn icons, so that they are drawn once; none where undefined. */
  readonly artCacheDir?: string | undefined;
  readonly debuggable?: boolean;
}

export interface PackRequest extends ContentRequest {
  /** The identity to sign with; it may be opened while the contents are compressed. */
  readonly identity: Promise<SigningPlan>;
  /** Contents of packages that were made before. */
  readonly contents?: PackedContents<PackageStart> | undefined;
  /** Name of the files of a JAR signature (see jarSignerName). */
  readonly signerName: string;
  /** Folder for the package, made where it is missing. */
  readonly outDir: string;
  /** Tell the digests of what was packed. */
  readonly record?: boolean;
  readonly signal?: AbortSignal;
  /** Told files of the web folder, which are written last. */
  readonly onProgress?: (done: number, total: number) => void;
}

export interface PackReport {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  /** SHA-256 of the package, in hexadecimal. */
  readonly sha256: string;
  /** SHA-256 of the signing certificate, with colons. */
  readonly certificate: string;
  /** Bytes of each part with its share of names and headers; they add up to `size`. */
  readonly parts: Readonly<Record<Part | 'signature', number>>;
  readonly files: { readonly packed: number; readonly leftOut: number };
  /** What went in, where it was asked for. */
  readonly recorded?: readonly RecordedFile[];
}

/** The code of the Android shells, which ships with this package. */
const shellDex = (name: ShellName) => `shell/android/dist/${name}.dex.gz`;
/** The same as entries are written, each read once. */
const shells = new Map<ShellName, PackedContent>();

function shellContent(name: ShellName): PackedContent {
  const made = shells.get(name) ?? gzippedContent(readFileSync(packagedPath(shellDex(name))));
  shells.set(name, made);
  return made;
}

const shellMap = (name: ShellName) => `shell/android/dist/${name}.map`;

function readbackFault(message: string, file: string, cause?: unknown): HullError {
  return new HullError(
    'apk.readback',
    `The package was written, and does not hold when read back: ${message}`,
    {
      location: { file },
      fix: 'This is an internal error or a disk failure. The package was discarded; please report it.',
      cause,
    },
  );
}

async function readManifest(source: FileSource, layout: ZipLayout, kind: PackageKind) {
  const path = MANIFEST_PATH[kind];
  const entry = layout.entries.find((item) => item.path === path);
  if (entry === undefined) throw new Error('there is no manifest');
  const bytes = await readEntry(source, entry);
  return kind === 'apk'
    ? readBinaryXml(bytes)
    : (await import('../../../formats/aab/xml.js')).readProtoXml(bytes);
}

/** Whether the signatures are those that a package of its kind must have. */
function checkSchemes({ schemes, verifies }: SignatureReport, kind: PackageKind): void {
  const has = (name: SchemeName) =>
    schemes.some(({ scheme, state }) => scheme === name && state === 'verified');
  const complete = kind === 'aab' ? has('v1') : has('v2') && has('v3');
  if (verifies && complete) return;
  const faults = schemes.flatMap((scheme) => scheme.faults);
  throw new Error(faults.join(' ') || `only ${schemes.map(({ scheme }) => scheme).join()} verify`);
}

/**
 * Reads a package back as a device would: structure, alignment, digests, signatures, manifest.
 *
 * @param digested what was read back of its contents already
 */
async function checkPackage(
  file: string,
  app: App,
  kind: PackageKind,
  expectedEntries: number,
  digested: ContentsDigest | undefined,
): Promise<void> {
  const source = await FileSource.open(file);
  try {
    const layout = await readZip(source);
    const [report, manifest] = await Promise.all([
      kind === 'apk' ? verifySignatures(source, layout, SDK, digested) : verifyBundle(source, layout),
      readManifest(source, layout, kind),
    ]);
    const own = layout.entries.filter(({ path }) => !isAboutSignature(path));
    if (own.length !== expectedEntries) throw new Error(`${own.length} entries, not ${expectedEntries}`);
    checkSchemes(report, kind);
    if (attributeText(manifest, 'package') !== app.androidId)
      throw new Error('the manifest names another package');
    if (attributeText(manifest, 'versionCode') !== String(app.build))
      throw new Error('the manifest names another build');
    const misaligned = layout.entries.find(
      (entry) => kind === 'apk' && entry.method === 'store' && entry.dataOffset % STORED_ALIGNMENT !== 0,
    );
    if (misaligned !== undefined) throw new Error(`${misaligned.path} is not aligned`);
  } catch (error) {
    throw readbackFault(error instanceof Error ? error.message : String(error), file, error);
  } finally {
    await source.close();
  }
}

/** The same images with a mark over the launcher icons. */
function debugArt(art: ArtInputs): ArtInputs {
  return { ...art, mark: 'debug' };
}

/** The one host that a package for trying to sell may reach without TLS. */
const standIn = (address: string): App['insecure'][number] => ({
  host: new URL(address).hostname,
  reason: 'A stand-in for the store, on a developer’s computer.',
});

/** The same app under an ID and a label of its own, so that it is installed beside the released one. */
export function debugApp(app: App, { shop }: Pick<AndroidOptions, 'shop'>): App {
  const mark = (name: string) => `${name} (debug)`;
  return {
    ...app,
    androidId: debugId(app.androidId),
    name: mark(app.name),
    shortName: mark(app.shortName),
    translations: app.translations.map((one) => ({
      ...one,
      name: mark(one.name),
      shortName: mark(one.shortName),
    })),
    // Other apps' links go to the released one; both would ask the user each time. A browser finds the shop by those of its pages.
    links: shop === undefined ? [] : app.links.filter(({ host }) => host === app.base.hostname),
    insecure: shop?.test === undefined ? app.insecure : [...app.insecure, standIn(shop.test)],
  };
}

/** The file name of an app's package. */
export function packageName(app: App, kind: PackageKind): string {
  return `${app.androidId}-${app.version}-${app.build}.${kind}`;
}

const pageBytes = ({ folder }: App): number => (folder?.files ?? []).reduce((sum, { size }) => sum + size, 0);

/** Whether others may take pages over: then these come first, so that the packages of brands begin with the same bytes. */
const isLarge = (app: App): boolean => pageBytes(app) >= WORTH_KNOWING;

interface Contents {
  readonly app: App;
  readonly entries: readonly PackageEntry[];
}

/** The app as it is packed, and its files. */
async function contentsOf(request: ContentRequest): Promise<Contents> {
  const wrapped = appInEngine(request.app, request.android);
  const app = request.debuggable ? debugApp(wrapped, request.android) : wrapped;
  const icon = await launcherIcon(
    request.debuggable ? debugArt(request.art) : request.art,
    request.artCacheDir,
  );
  const entries = await entriesOf(request, app, icon);
  if (!isLarge(app)) return { app, entries };
  const pages = entries.filter(({ part }) => part === 'web');
  return { app, entries: [...pages, ...entries.filter(({ part }) => part !== 'web')] };
}

const recordedFiles = (digests: ReadonlyMap<string, Uint8Array>): RecordedFile[] =>
  [...digests].map(([path, bytes]) => ({ path, sha256: Buffer.from(bytes).toString('hex') }));

/** What a package would hold, without making or signing it: for comparing with a record. */
export async function packedFiles(request: ContentRequest): Promise<RecordedFile[]> {
  const { entries } = await contentsOf(request);
  const spare = await mkdtemp(join(tmpdir(), 'hull-record-'));
  try {
    let count = 0;
    const options = { digest: 'sha256' as const, temporary: () => join(spare, String(count++)) };
    const { digests } = await withCompressor(entries, options, (compressor) =>
      writeEntries(entries, { write: () => undefined }, { ...options, compressor }),
    );
    return recordedFiles(digests);
  } finally {
    await rm(spare, { recursive: true, force: true });
  }
}

async function entriesOf(request: ContentRequest, app: App, icon: LauncherIcon): Promise<PackageEntry[]> {
  const shell = shellCode(app, request.android);
  const options = {
    debuggable: request.debuggable ?? false,
    android: request.android,
    dex: shellContent(shell),
  };
  if (request.kind === 'apk') return apkEntries(app, icon, options);
  const { bundleEntries } = await import('./bundle-entries.js');
  return bundleEntries(app, icon, { ...options, dexMap: readFileSync(packagedPath(shellMap(shell))) });
}

/**
 * Makes a signed APK or bundle and reads it back before it gets its final name.
 *
 * @throws HullError `art.*`, `zip.*`, `disk.*`, `keys.*`, `signing.*`, `web.changed-while-packing`, `apk.readback`
 */
export async function packAndroid(request: PackRequest): Promise<PackReport> {
  const { identity, kind } = request;
  const { folder } = appInEngine(request.app, request.android);
  checkOutDir(request.outDir, folder);
  // A keystore that does not open ends the packing at once, however much is still to be compressed.
  const keystoreFailed = new AbortController();
  identity.catch((error: unknown) => keystoreFailed.abort(error));
  const signal = AbortSignal.any([keystoreFailed.signal, ...(request.signal ? [request.signal] : [])]);
  const [{ app, entries }] = await Promise.all([contentsOf(request), makeFolder(request.outDir)]);
  const webFiles = app.folder?.files.length ?? 0;
  const file = join(request.outDir, packageName(app, kind));
  const shared = isLarge(app) ? webFiles : 0;
  const { contents } = request;
  if (shared > 0) await contents?.open();
  debug('packing %d entries into %s', entries.length, file);
  const isDigested = kind === 'aab' || request.record === true;
  const start = contents?.startOf(entries.slice(0, shared), isDigested);
  const written = await writeSignedPackage(file, entries, identity, {
    signal,
    ...(request.record ? { digest: 'sha256' } : {}),
    known: contents,
    shared,
    start,
    ...(kind === 'aab' ? { kind: 'bundle', jar: { digest: 'sha256', name: request.signerName } } : {}),
    onEntry: (_entry, done, total) =>
      request.onProgress?.(
        shared > 0 ? Math.min(done, webFiles) : Math.max(0, done - (total - webFiles)),
        webFiles,
      ),
    check: async (temporary, digested) => {
      await checkPackage(temporary, app, kind, entries.length, digested);
      if (contents?.areUntouched() === false)
        throw new HullError(
          'apk.readback',
          'A package that this one takes pages from was written to meanwhile.',
          {
            location: { file },
            fix: 'The package was discarded. Let nothing write to packages while others are made, and pack again.',
          },
        );
    },
  });
  const { sha256, start: begun } = written;
  if (shared > 0)
    await contents?.note(
      { file, sha256 },
      entries,
      written,
      begun && { entries: shared, kept: (archive) => ({ ...begun, archive }) },
    );
  else await contents?.hold(file, entries, written);
  const parts = sizesByPart(entries, written.entries);
  const divided = PARTS.reduce((sum, part) => sum + parts[part], 0);
  const [own] = (await identity).certificates;
  return {
    file,
    size: written.size,
    sha256,
    certificate: own === undefined ? '' : fingerprint(own, 'sha256'),
    parts: { ...parts, signature: written.size - divided },
    files: { packed: webFiles, leftOut: app.folder?.leftOut.length ?? 0 },
    ...(request.record ? { recorded: recordedFiles(written.digests) } : {}),
  };
}
