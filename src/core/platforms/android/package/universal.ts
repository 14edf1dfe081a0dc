import { basename, extname, join } from 'node:path';
import { HullError, task, withTasks } from '../../../errors.js';
import { readProtoTable } from '../../../formats/aab/table.js';
import { readProtoXml } from '../../../formats/aab/xml.js';
import { writeResourceTable } from '../../../formats/arsc/writer.js';
import { writeBinaryXml } from '../../../formats/axml/writer.js';
import type { FileSource } from '../../../formats/bytes/source.js';
import { readEntry } from '../../../formats/zip/reader.js';
import type { Entry, ZipEntry, ZipLayout } from '../../../formats/zip/types.js';
import { fingerprint } from '../../../keys/fingerprint.js';
import { makeFolder } from '../../../util/files.js';
import { SDK, STORED_ALIGNMENT } from '../app/attributes.js';
import { wantedAlignment } from '../inspect/alignment.js';
import { attributeNumber, childrenNamed } from '../inspect/manifest-facts.js';
import {
  BASE_MODULE,
  bundleModules,
  MANIFEST_PATH,
  missingPart,
  TABLE_PATH,
} from '../inspect/package-kind.js';
import { SCHEME_LEVELS } from '../signing/scheme.js';
import type { SigningPlan } from '../signing/sign.js';
import { writeSignedPackage } from '../signing/write-signed.js';
import { checkSigned, openPackage } from './resign.js';

/** The one package with everything in it that a store could make of a bundle, for trying it on a device. */

export interface UniversalRequest {
  /** The bundle. */
  readonly file: string;
  readonly outDir: string;
  readonly plan: Promise<SigningPlan>;
  /** Name of a JAR signature's files. */
  readonly signerName: string;
  readonly signal?: AbortSignal;
}

export interface UniversalReport {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly certificate: string;
  /** Modules of the bundle that are not in the package: a store delivers them on demand. */
  readonly leftOut: readonly string[];
  /** Resource values for kinds of devices that the package's table has no qualifier for here. */
  readonly passedOver: number;
}

/** Where a module's file is in a package; `undefined` for what only the store reads. */
function pathInPackage(path: string): string | undefined {
  const [module, folder, ...rest] = path.split('/');
  if (module !== BASE_MODULE || folder === undefined || rest.length === 0) return undefined;
  const name = rest.join('/');
  if (folder === 'manifest') return undefined;
  if (folder === 'dex' || folder === 'root') return name;
  return `${folder}/${name}`;
}

/** Text that is compressed in a package: what was stored in the bundle stays so. */
function method(entry: ZipEntry, path: string): Entry['method'] {
  return /\.(png|webp|jpe?g|gif|mp3|mp4|ogg|webm|arsc)$/i.test(path) ? 'store' : entry.method;
}

async function read(source: FileSource, layout: ZipLayout, path: string): Promise<Uint8Array> {
  const entry = layout.entries.find((item) => item.path === path);
  if (entry === undefined) throw missingPart(path);
  return readEntry(source, entry);
}

/**
 * Makes the universal package out of a bundle, anyone's: its base module, with the manifest and the resource table turned
 * into their binary forms.
 *
 * @throws HullError `bundle.malformed`, `package.unknown`, `zip.*`, `disk.*`, `keys.*`, `apk.readback`
 */
export async function universalApk(request: UniversalRequest): Promise<UniversalReport> {
  const { source, layout, kind } = await openPackage(request.file);
  try {
    if (kind !== 'aab') {
      throw new HullError('package.unknown', 'This is a package already, and no bundle.', {
        location: { file: request.file },
        fix: withTasks`Give the .aab file that ${task('packProject', 'aab')} made.`,
      });
    }
    const manifest = readProtoXml(await read(source, layout, MANIFEST_PATH.aab));
    const hasTable = layout.entries.some(({ path }) => path === TABLE_PATH.aab);
    const { table, protoXml, passedOver } = hasTable
      ? readProtoTable(await read(source, layout, TABLE_PATH.aab))
      : { table: undefined, protoXml: new Set<string>(), passedOver: 0 };
    const entries: Entry[] = [
      {
        path: MANIFEST_PATH.apk,
        content: writeBinaryXml(manifest, 'utf-16'),
        method: 'deflate',
        alignment: STORED_ALIGNMENT,
      },
      ...(table
        ? [
            {
              path: TABLE_PATH.apk,
              content: writeResourceTable(table),
              method: 'store' as const,
              alignment: STORED_ALIGNMENT,
            },
          ]
        : []),
    ];
    for (const entry of layout.entries) {
      const path = pathInPackage(entry.path);
      if (path === undefined || entry.path.endsWith('/')) continue;
      if (protoXml.has(path)) {
        const tree = readProtoXml(await readEntry(source, entry));
        entries.push({ path, content: writeBinaryXml(tree), method: 'deflate', alignment: STORED_ALIGNMENT });
        continue;
      }
      const wanted = method(entry, path);
      // A picture that the bundle compresses is unpacked; all else is taken over as it stands.
      const content =
        wanted === entry.method
          ? { archive: source, entry, size: entry.size }
          : await readEntry(source, entry);
      entries.push({ path, content, method: wanted, alignment: wantedAlignment({ path, method: wanted }) });
    }
    const [sdk] = childrenNamed(manifest, 'uses-sdk');
    const min = (sdk && attributeNumber(sdk, 'minSdkVersion')) ?? SDK.min;
    await makeFolder(request.outDir);
    const file = join(request.outDir, `${basename(request.file, extname(request.file))}-universal.apk`);
    const written = await writeSignedPackage(file, entries, request.plan, {
      ...(min < SCHEME_LEVELS.v2 ? { jar: { digest: 'sha256', name: request.signerName } } : {}),
      ...(request.signal ? { signal: request.signal } : {}),
      check: async (temporary) => {
        await checkSigned(temporary, 'apk');
      },
    });
    const [own] = (await request.plan).certificates;
    return {
      file,
      size: written.size,
      certificate: own === undefined ? '' : fingerprint(own, 'sha256'),
      leftOut: bundleModules(layout).filter((module) => module !== BASE_MODULE),
      passedOver,
    };
  } catch (error) {
    throw error instanceof HullError ? error.at({ file: request.file }) : error;
  } finally {
    await source.close();
  }
}
