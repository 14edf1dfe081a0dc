import type { App } from '../app/app.js';
import {
  CENTRAL_RECORD_SIZE,
  type Content,
  type Entry,
  type FileContent,
  type Method,
  type ZipEntry,
} from '../formats/zip/types.js';
import type { WebFile } from '../site/folder.js';
import { isCompressed } from '../site/media-types.js';

/** The parts that a package's size is divided into. */
export const PARTS = ['shell', 'art', 'web'] as const;
export type Part = (typeof PARTS)[number];

export interface PackageEntry extends Entry {
  readonly part: Part;
}

/** Stored where a file is compressed by itself, else deflated. */
export const methodFor = (path: string): Method => (isCompressed(path) ? 'store' : 'deflate');

const contentOf = ({ file, size, stamp }: WebFile): FileContent => ({
  file,
  size,
  ...(stamp ? { stamp } : {}),
});

/**
 * The pages, below a folder of the package.
 *
 * @param make one entry: the kind of package says how its data is aligned
 */
export function webEntries(
  app: App,
  folder: string,
  make: (part: Part, path: string, content: Content, method: Method) => PackageEntry,
): PackageEntry[] {
  return (app.folder?.files ?? []).map((file) =>
    make('web', `${folder}${file.path}`, contentOf(file), methodFor(file.path)),
  );
}

/** Local header, central record and name of an entry, in bytes. */
function overhead(entry: ZipEntry): number {
  const name = Buffer.byteLength(entry.path);
  return entry.dataOffset - entry.headerOffset + CENTRAL_RECORD_SIZE + name;
}

/**
 * Bytes of each part with its share of names and headers.
 *
 * @param entries in the order of the archive's; what is `undefined`, or behind them, belongs to no part
 */
export function sizesByPart(
  entries: readonly (PackageEntry | undefined)[],
  written: readonly ZipEntry[],
): Record<Part, number> {
  const parts = Object.fromEntries(PARTS.map((part) => [part, 0])) as Record<Part, number>;
  for (const [index, row] of written.entries()) {
    const part = entries[index]?.part;
    if (part) parts[part] += row.compressedSize + overhead(row);
  }
  return parts;
}
