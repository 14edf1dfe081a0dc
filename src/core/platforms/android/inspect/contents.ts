import { DENSITIES } from '../../../art/devices.js';
import type { ZipEntry } from '../../../formats/zip/types.js';

/** What is in a package, by size: for whom it is downloaded, and what is in it twice. Sizes in bytes. */

/** A kind of device that stores make a package for. */
export interface DeviceClass {
  readonly name: string;
  /** Dots per inch. */
  readonly density: number;
  readonly abi: string;
}

/** Device kinds that are distinguished by what is left out for them: usual phones, small and older ones, tablets, desktops. */
export const DEVICE_CLASSES: readonly DeviceClass[] = [
  { name: 'phone, 480 dpi', density: 480, abi: 'arm64-v8a' },
  { name: 'large phone, 640 dpi', density: 640, abi: 'arm64-v8a' },
  { name: 'older phone, 240 dpi, 32 bits', density: 240, abi: 'armeabi-v7a' },
  { name: 'tablet, 320 dpi', density: 320, abi: 'arm64-v8a' },
  { name: 'desktop, 160 dpi, x86', density: 160, abi: 'x86_64' },
];

export interface Download {
  readonly device: string;
  /** Estimate: the compressed bytes of what the device gets. */
  readonly bytes: number;
}

/** A file of a package, under the path that it has on a device. */
export interface ContentFile {
  readonly path: string;
  readonly entry: ZipEntry;
}

const DENSITY_FOLDER =
  /^res\/([a-z]+)((?:-[^/]+)*?)-(ldpi|mdpi|hdpi|xhdpi|xxhdpi|xxxhdpi)((?:-[^/]+)*)\/(.+)$/;
const DPI: Readonly<Record<string, number>> = {
  ldpi: 120,
  ...Object.fromEntries(DENSITIES.map(({ name, dpi }) => [name, dpi])),
};
const LIBRARY = /^lib\/([^/]+)\//;

/** The density that a device takes of those that are there: the next larger one, else the largest. */
function chosenDensity(available: readonly number[], wanted: number): number | undefined {
  const sorted = [...available].sort((a, b) => a - b);
  return sorted.find((dpi) => dpi >= wanted) ?? sorted.at(-1);
}

/** What each kind of device downloads where a store divides a bundle by density and processor. */
export function downloads(files: readonly ContentFile[]): Download[] {
  const pictures = files.flatMap(({ path, entry }) => {
    const match = DENSITY_FOLDER.exec(path);
    const dpi = match && DPI[match[3] as string];
    return match && dpi ? [{ key: `${match[1]}${match[2]}${match[4]}/${match[5]}`, dpi, entry }] : [];
  });
  const byKey = new Map<string, number[]>();
  for (const { key, dpi } of pictures) byKey.set(key, [...(byKey.get(key) ?? []), dpi]);
  const pictureEntries = new Set(pictures.map(({ entry }) => entry));
  return DEVICE_CLASSES.map(({ name, density, abi }) => {
    const own = pictures.filter(({ key, dpi }) => chosenDensity(byKey.get(key) ?? [], density) === dpi);
    const rest = files.filter(({ path, entry }) => {
      if (pictureEntries.has(entry)) return false;
      const library = LIBRARY.exec(path);
      return library === null || library[1] === abi;
    });
    const bytes = [...own, ...rest].reduce((sum, { entry }) => sum + entry.compressedSize, 0);
    return { device: name, bytes };
  });
}

export interface Duplicate {
  /** Bytes of each. */
  readonly size: number;
  readonly paths: readonly string[];
}

/** Smaller files are not worth a word. */
const DUPLICATE_FROM = 1024;

/** Files with the same content (by size and checksum), the costliest first. */
export function duplicates(files: readonly ContentFile[]): Duplicate[] {
  const groups = new Map<string, ContentFile[]>();
  for (const file of files) {
    if (file.entry.size < DUPLICATE_FROM) continue;
    const key = `${file.entry.size}/${file.entry.crc32}`;
    groups.set(key, [...(groups.get(key) ?? []), file]);
  }
  return [...groups.values()]
    .filter((group) => group.length > 1)
    .map((group) => ({ size: group[0]?.entry.compressedSize ?? 0, paths: group.map(({ path }) => path) }))
    .sort((a, b) => b.size * (b.paths.length - 1) - a.size * (a.paths.length - 1));
}

const MB = 1024 * 1024;
/** What the store takes (the platform’s store, limits of size): an installable package, and what a device downloads of a bundle. */
const LIMITS = { apk: 100 * MB, aab: 200 * MB } as const;

/** What the store would say to the size, each a sentence; empty where nothing. */
export function limitFaults(kind: 'apk' | 'aab', size: number, list: readonly Download[]): string[] {
  const largest = kind === 'apk' ? size : Math.max(0, ...list.map(({ bytes }) => bytes));
  const limit = LIMITS[kind];
  if (largest <= limit) return [];
  return [
    `${kind === 'apk' ? 'The package has' : 'A device would download'} ${Math.round(largest / MB)} MB, and the store takes ${limit / MB} MB: keep large media on a server.`,
  ];
}
