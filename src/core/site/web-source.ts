import { join } from 'node:path';
import { fromSystemError } from '../errors.js';
import { readRegularFile } from '../util/files.js';
import { decodePath } from '../util/url-path.js';
import type { WebFolder } from './folder.js';

/** A web folder to look at. Files are named by their URL below `root`. */
export interface WebSource {
  /** Base of all addresses: a stand-in that never leaves this process. */
  readonly root: URL;
  readonly start: URL;
  /** A file's text and where it stands, or `undefined` where it is not there. */
  text(url: URL): Promise<SourceText | undefined>;
  bytes(url: URL): Promise<Uint8Array | undefined>;
  /** The path or address of a file, as errors and origins name it. */
  name(url: URL): string;
}

export interface SourceText {
  readonly text: string;
  readonly name: string;
  /** Address after redirects. */
  readonly url: URL;
}

/** Stands for the address of a folder that is hosted nowhere (RFC 6761). */
export const FOLDER_ROOT = new URL('https://folder.invalid/');

/** A folder that has been listed. */
export function sourceOfFolder(folder: WebFolder): WebSource {
  const byPath = new Map(folder.files.map((file) => [file.path, file]));
  const pathOf = (url: URL) => {
    if (url.origin !== FOLDER_ROOT.origin) return undefined;
    const path = decodePath(url.pathname.slice(1));
    if (path === undefined) return undefined;
    return path === '' || path.endsWith('/') ? `${path}index.html` : path;
  };
  const bytes = async (url: URL) => {
    const found = byPath.get(pathOf(url) ?? '');
    if (found === undefined) return undefined;
    try {
      return readRegularFile(found.file);
    } catch (error) {
      throw fromSystemError(error, found.file);
    }
  };
  const name = (url: URL) => join(folder.dir, pathOf(url) ?? url.href);
  return {
    root: FOLDER_ROOT,
    start: FOLDER_ROOT,
    bytes,
    text: async (url) => {
      const found = await bytes(url);
      return found && { text: found.toString('utf8'), name: name(url), url };
    },
    name,
  };
}
