import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { bytesSource } from '../formats/bytes/source.js';
import { readEntry, readZip } from '../formats/zip/reader.js';
import { writeZip } from '../formats/zip/writer.js';
import { parseColor, type Rgba, toHex } from '../project/color.js';
import { keepInCache } from '../util/files.js';
import { type ArtInputs, cachedRow, inputsKey, prepareIconSet } from './icon-set.js';
import { type ArtRow, appleBundleRows, appleCatalogRows, BUNDLE_FOLDER, packedRows } from './plan.js';

/** The launcher icon and splash icon of an Android package. */
export interface LauncherIcon {
  /** Pictures by their path in the package, as the plan has them. */
  readonly pictures: ReadonlyMap<string, Uint8Array>;
  /** Colour of the adaptive icon's background layer. */
  readonly background: Rgba;
}

/** The splash icon among the pictures. */
export const SPLASH_PATH = 'res/drawable-xxhdpi/splash_icon.webp';

/** From this API level on launchers draw the adaptive icon, and never the pictures of a whole one. */
const ADAPTIVE_SINCE = 26;
const WHOLE_PICTURE = /\/icon(_round)?\.webp$/;

/** What of an icon a package needs whose lowest API level is `minSdk`. */
export function iconSince(icon: LauncherIcon, minSdk: number): LauncherIcon {
  if (minSdk < ADAPTIVE_SINCE) return icon;
  return { ...icon, pictures: new Map([...icon.pictures].filter(([path]) => !WHOLE_PICTURE.test(path))) };
}

const BACKGROUND_ENTRY = 'background';

async function fromCache(file: string, count: number): Promise<LauncherIcon | undefined> {
  try {
    const archive = bytesSource(readFileSync(file));
    const { entries } = await readZip(archive);
    const pictures = new Map<string, Uint8Array>();
    let background: Rgba | undefined;
    for (const entry of entries) {
      const bytes = await readEntry(archive, entry);
      if (entry.path === BACKGROUND_ENTRY) background = parseColor(Buffer.from(bytes).toString());
      else pictures.set(entry.path, bytes);
    }
    return pictures.size === count && background !== undefined ? { pictures, background } : undefined;
  } catch {
    // No cached pictures, or damaged ones: they are drawn again.
    return undefined;
  }
}

function archive({ pictures, background }: LauncherIcon): Promise<Uint8Array> {
  const entries = [...pictures].map(([path, content]) => ({ path, content }));
  const colour = { path: BACKGROUND_ENTRY, content: new TextEncoder().encode(toHex(background)) };
  return writeZip([...entries, colour].map((entry) => ({ ...entry, method: 'store', alignment: 1 })));
}

/**
 * The pictures of a package, all of them in one cached archive, since every `pack` needs them.
 *
 * @param cacheDir folder for drawn pictures; none where undefined
 * @throws HullError `art.icon-unreadable`, `art.icon-too-small`, `art.icon-too-large`
 */
async function packedIcon(
  rows: readonly ArtRow[],
  inputs: ArtInputs,
  cacheDir: string | undefined,
): Promise<LauncherIcon> {
  const file = cacheDir === undefined ? undefined : join(cacheDir, `${inputsKey(inputs, rows)}.zip`);
  const cached = file === undefined ? undefined : await fromCache(file, rows.length);
  if (cached !== undefined) return cached;
  const { icons, background } = await prepareIconSet(inputs);
  // The largest is begun first, so that it is not what all others have to be waited for.
  const bySize = [...rows].sort((one, other) => other.width * other.height - one.width * one.height);
  const drawn = new Map(bySize.map((row) => [row, cachedRow(row, icons, cacheDir)]));
  const pictures = rows.map(async (row) => [row.path, await drawn.get(row)] as [string, Uint8Array]);
  const icon = { pictures: new Map(await Promise.all(pictures)), background };
  if (file !== undefined) keepInCache(file, await archive(icon));
  return icon;
}

/** The launcher icon and splash icon of an Android package, as {@link packedIcon} makes them. */
export function launcherIcon(inputs: ArtInputs, cacheDir: string | undefined): Promise<LauncherIcon> {
  return packedIcon(packedRows(), inputs, cacheDir);
}

/** Icons and start pictures of an Apple bundle by their file names, as {@link packedIcon} makes them. */
export function bundlePictures(
  inputs: ArtInputs,
  cacheDir: string | undefined,
): Promise<ReadonlyMap<string, Uint8Array>> {
  return applePictures(appleBundleRows(), inputs, cacheDir);
}

/** Icons and start pictures of a source project's catalog by their file names, as {@link packedIcon} makes them. */
export function catalogPictures(
  inputs: ArtInputs,
  cacheDir: string | undefined,
): Promise<ReadonlyMap<string, Uint8Array>> {
  return applePictures(appleCatalogRows(), inputs, cacheDir);
}

async function applePictures(rows: readonly ArtRow[], inputs: ArtInputs, cacheDir: string | undefined) {
  const { pictures } = await packedIcon(rows, inputs, cacheDir);
  return new Map([...pictures].map(([path, bytes]) => [path.replace(BUNDLE_FOLDER, ''), bytes]));
}
