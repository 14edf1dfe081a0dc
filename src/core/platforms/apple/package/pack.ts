import { createHash } from 'node:crypto';
import { join } from 'node:path';
import type { App } from '../../../app/app.js';
import { HullError } from '../../../errors.js';
import { FileSource } from '../../../formats/bytes/source.js';
import { joinSlices } from '../../../formats/macho/fat.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { readZip } from '../../../formats/zip/reader.js';
import type { ZipEntry } from '../../../formats/zip/types.js';
import { writeDirectory, writeEntries } from '../../../formats/zip/writer.js';
import { withCompressor } from '../../../packaging/compress-threads.js';
import { PARTS, type PackageEntry, type Part, sizesByPart } from '../../../packaging/entries.js';
import { checkOutDir } from '../../../packaging/out-dir.js';
import { FileSink, underTemporaryName, withFile } from '../../../packaging/write-file.js';
import { debug } from '../../../util/debug.js';
import { makeFolder } from '../../../util/files.js';
import type { ApplePlatform } from '../app/info-plist.js';
import type { AppleOptions } from '../app/options.js';
import { codeResources, RESOURCES_PATH } from '../signing/resources.js';
import { type ProgramSigner, signProgram } from '../signing/sign-program.js';
import { verifyBundle } from '../signing/verify-bundle.js';
import { bundleEntries, bundleFolder, entry, INFO_PATH, programEntry } from './entries.js';

/** Of each file, for the seal over the resources. */
const DIGEST = 'sha1+sha256';

export interface IpaRequest {
  readonly app: App;
  readonly options: AppleOptions;
  readonly platform: ApplePlatform;
  /** The shell: one slice for devices, one or more for simulators; unsigned. */
  readonly slices: readonly Uint8Array[];
  readonly pictures: ReadonlyMap<string, Uint8Array>;
  /** Who signs what; it may be opened and judged while the contents are compressed. Where it fails, nothing is left. */
  readonly signing: Promise<IpaSigning>;
  readonly profile: Uint8Array | undefined;
  /** SHA-256 of the root that devices have to trust, in hexadecimal. */
  readonly root: string;
  readonly outDir: string;
  readonly signal?: AbortSignal | undefined;
  /** Called with files of the web folder. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

export interface IpaSigning {
  /** Nobody for simulators. */
  readonly signer: ProgramSigner | undefined;
  readonly entitlements: PlistDict | undefined;
}

export interface IpaReport {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  /** Of the package, in hexadecimal. */
  readonly sha256: string;
  /** Bytes of each part with its share of names and headers; they add up to `size`. */
  readonly parts: Readonly<Record<Part | 'signature', number>>;
  readonly files: { readonly packed: number; readonly leftOut: number };
  /** By which systems name the program: hexadecimal, one a slice. */
  readonly cdhashes: readonly string[];
}

/** The file name of an app's package. */
export function ipaName(app: App, { bundleId }: AppleOptions, platform: ApplePlatform): string {
  const ending = platform === 'device' ? '.ipa' : '-simulator.zip';
  return `${bundleId}-${app.version}-${app.build}${ending}`;
}

/** Folder of the archive that the bundle is in: simulators are given the bundle itself. */
const folderOf = (app: App, platform: ApplePlatform) =>
  `${platform === 'device' ? 'Payload/' : ''}${bundleFolder(app)}/`;

async function checkWritten(file: string, request: IpaRequest, expected: number): Promise<void> {
  const source = await FileSource.open(file);
  try {
    const { entries } = await readZip(source);
    if (entries.length !== expected) throw new Error(`${entries.length} entries, not ${expected}`);
    const report = await verifyBundle(source, entries, folderOf(request.app, request.platform), request.root);
    if (report.faults.length > 0) throw new Error(report.faults.join(' '));
    if (report.identifier !== request.options.bundleId) throw new Error('the signature names another app');
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    throw new HullError(
      'ipa.readback',
      `The package was written, and does not hold when read back: ${message}`,
      {
        location: { file },
        fix: 'This is an internal error or a disk failure. The package was discarded; please report it.',
        cause: error,
      },
    );
  } finally {
    await source.close();
  }
}

/** The signed program and the seal over everything else, made of what was written before. */
async function signature(
  request: IpaRequest,
  infoPlist: Uint8Array,
  digests: ReadonlyMap<string, Uint8Array>,
): Promise<{ readonly program: Uint8Array; readonly resources: Uint8Array; readonly cdhashes: string[] }> {
  const folder = folderOf(request.app, request.platform);
  const own = new Map([...digests].map(([path, digest]) => [path.slice(folder.length), digest]));
  const resources = writeXmlPlist(codeResources(own));
  const signing = await request.signing;
  const signed = await Promise.all(
    request.slices.map((slice) =>
      signProgram(slice, {
        identifier: request.options.bundleId,
        infoPlist,
        codeResources: resources,
        ...signing,
      }),
    ),
  );
  return {
    program: joinSlices(signed.map(({ bytes }) => bytes)),
    resources,
    cdhashes: signed.map(({ cdhash }) => cdhash),
  };
}

/**
 * Makes an app package (`Payload/Name.app` in a ZIP archive) and reads it back before it gets its final name. Files of the
 * web folder are read once: they are digested while they are written, and the program that seals them comes last.
 *
 * @throws HullError `zip.*`, `disk.*`, `macho.malformed`, `signing.unsupported`, `web.changed-while-packing`, `ipa.readback`
 */
export async function packIpa(request: IpaRequest): Promise<IpaReport> {
  checkOutDir(request.outDir, request.app.folder);
  const { app, options, platform, pictures, profile } = request;
  await makeFolder(request.outDir);
  const folder = folderOf(app, platform);
  const inFolder = (one: PackageEntry) => ({ ...one, path: folder + one.path });
  const sealed = bundleEntries(app, options, { platform, pictures, profile }).map(inFolder);
  const infoPlist = sealed.find(({ path }) => path === folder + INFO_PATH)?.content as Uint8Array;
  const webFiles = app.folder?.files.length ?? 0;
  const file = join(request.outDir, ipaName(app, options, platform));
  debug('packing %d files into %s', sealed.length + 2, file);
  let spare = 0;
  // Identity and profile that do not fit end the packing at once, however much is still to be compressed.
  const failed = new AbortController();
  request.signing.catch((error: unknown) => failed.abort(error));
  const signal = AbortSignal.any([failed.signal, ...(request.signal ? [request.signal] : [])]);
  return underTemporaryName(file, signal, async (temporary) => {
    const made = await withFile(temporary, 'wx', async (handle) => {
      const hash = createHash('sha256');
      const sink = new FileSink(handle, hash);
      const first = await withCompressor(sealed, { digest: DIGEST, signal }, (compressor) =>
        writeEntries(sealed, sink, {
          signal,
          compressor,
          digest: DIGEST,
          temporary: () => `${temporary}.${spare++}`,
          onEntry: (_entry, done, total) =>
            request.onProgress?.(Math.max(0, done - (total - webFiles)), webFiles),
        }),
      );
      const { program, resources, cdhashes } = await signature(request, infoPlist, first.digests);
      const last = [entry('shell', RESOURCES_PATH, resources, 'deflate'), programEntry(program)].map(
        inFolder,
      );
      const second = await writeEntries(last, sink, { offset: first.size, signal });
      const entries: ZipEntry[] = [...first.entries, ...second.entries];
      const size = await writeDirectory(entries, sink, second.size);
      await sink.end();
      // The seal over the resources counts as signature; that inside the program counts as shell.
      const parts = sizesByPart([...sealed, undefined, last[1]], entries);
      const divided = PARTS.reduce((sum, part) => sum + parts[part], 0);
      return {
        file,
        size,
        sha256: hash.digest('hex'),
        parts: { ...parts, signature: size - divided },
        files: { packed: webFiles, leftOut: app.folder?.leftOut.length ?? 0 },
        cdhashes,
        count: entries.length,
      };
    });
    const { count, ...report } = made;
    await checkWritten(temporary, request, count);
    return report;
  });
}
