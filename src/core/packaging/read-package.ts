import { fromSystemError, HullError } from '../errors.js';
import { FileSource } from '../formats/bytes/source.js';
import { readZip } from '../formats/zip/reader.js';
import type { ZipLayout } from '../formats/zip/types.js';

/** Opens a file, lets it be read, and closes it. Errors name the file. Throws `file.missing`, `disk.*`. */
export async function withFileSource<T>(file: string, use: (source: FileSource) => Promise<T>): Promise<T> {
  let source: FileSource | undefined;
  try {
    source = await FileSource.open(file);
    return await use(source);
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : fromSystemError(error, file);
  } finally {
    await source?.close();
  }
}

/** As {@link withFileSource}, of a package of any platform. Throws `file.missing`, `zip.*`. */
export const withPackage = <T>(
  file: string,
  use: (source: FileSource, layout: ZipLayout) => Promise<T>,
): Promise<T> => withFileSource(file, async (source) => use(source, await readZip(source)));
