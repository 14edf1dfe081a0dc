import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError, HullError } from '../errors.js';
import { decodePath, parseUrl } from '../project/url-path.js';
import { listWebFolder, type WebFolder } from './folder.js';

/** A web app to look at: a folder, or a host. Files are told by their URL below `root`. */
export interface WebSource {
  readonly kind: 'folder' | 'hosted';
  /** Base of all addresses; for a folder a stand-in that never leaves this process. */
  readonly root: URL;
  /** The start page as it was given. */
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

const FOLDER_ROOT = new URL('https://folder.invalid/');
const PAGE_LIMIT = 8 * 1024 * 1024;
const TIMEOUT_MS = 15_000;
const MAX_REDIRECTS = 10;

/** A folder of built files. Throws as {@link listWebFolder}. */
export async function folderSource(dir: string): Promise<WebSource> {
  return sourceOfFolder(await listWebFolder(dir));
}

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
      return readFileSync(found.file);
    } catch (error) {
      throw fromSystemError(error, found.file);
    }
  };
  const name = (url: URL) => join(folder.dir, pathOf(url) ?? url.href);
  return {
    kind: 'folder',
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

/** How this program names itself to hosts. */
export const AGENT = 'JollyHull (+command-line tool; asks for one page, its manifest and its icon)';

interface Fetched {
  readonly bytes: Uint8Array;
  readonly type: string;
  readonly url: URL;
}

function unreachable(url: URL, error: unknown): HullError {
  const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  const why = cause instanceof Error ? cause.message : String(cause);
  return new HullError('net.unreachable', `The host did not answer: ${why}.`, {
    place: { url: url.href },
    remedy: 'Check the address and the connection; or give the folder of built files instead.',
    cause: error,
  });
}

/** One GET with limits on time, bytes and redirects. `undefined` for 404 and 410. */
async function get(url: URL, limit: number): Promise<Fetched | undefined> {
  let at = url;
  const signal = AbortSignal.timeout(TIMEOUT_MS);
  for (let hop = 0; ; hop += 1) {
    let response: Response;
    try {
      response = await fetch(at, { redirect: 'manual', signal, headers: { 'user-agent': AGENT } });
    } catch (error) {
      throw unreachable(at, error);
    }
    const location = response.headers.get('location');
    if (response.status >= 300 && response.status < 400 && location !== null) {
      await response.body?.cancel();
      if (hop === MAX_REDIRECTS) {
        throw new HullError('net.unreachable', `The host redirects more than ${MAX_REDIRECTS} times.`, {
          place: { url: url.href },
          remedy: 'Open the address in a browser, and give the one that it ends at.',
        });
      }
      const next = parseUrl(location, at);
      if (next?.protocol !== 'https:' && next?.protocol !== 'http:') {
        throw unreachable(at, `it redirects to ${location}, which is no web page`);
      }
      at = next;
      continue;
    }
    if (response.status === 404 || response.status === 410) {
      await response.body?.cancel();
      return undefined;
    }
    if (!response.ok) {
      await response.body?.cancel();
      throw new HullError('net.http-status', `The host answered with status ${response.status}.`, {
        place: { url: at.href },
        remedy: 'Open the address in a browser; the app would show the same answer.',
      });
    }
    const chunks: Uint8Array[] = [];
    let size = 0;
    try {
      for await (const chunk of response.body ?? []) {
        size += (chunk as Uint8Array).length;
        if (size > limit) {
          throw new HullError('net.too-large', `The answer is larger than ${limit / 1024 / 1024} MiB.`, {
            place: { url: at.href },
            remedy: 'Check that this is the address of the page itself.',
          });
        }
        chunks.push(chunk as Uint8Array);
      }
    } catch (error) {
      throw error instanceof HullError ? error : unreachable(at, error);
    }
    return { bytes: Buffer.concat(chunks), type: response.headers.get('content-type') ?? '', url: at };
  }
}

/** A hosted web app: its start page is asked for at once. Throws `net.*`. */
export async function hostedSource(address: URL): Promise<WebSource> {
  const page = await get(address, PAGE_LIMIT);
  if (page === undefined) {
    throw new HullError('net.http-status', 'The host says that there is no such page (404).', {
      place: { url: address.href },
      remedy: 'Check the address.',
    });
  }
  if (page.type !== '' && !/html|xml/.test(page.type)) {
    throw new HullError('net.not-html', `This is not a page but ${page.type}.`, {
      place: { url: page.url.href },
      remedy: 'Give the address of the app’s first page.',
    });
  }
  const bytes = async (url: URL) => (await get(url, PAGE_LIMIT))?.bytes;
  return {
    kind: 'hosted',
    root: new URL('/', page.url),
    start: page.url,
    bytes,
    text: async (url) => {
      const found = url.href === address.href ? page : await get(url, PAGE_LIMIT);
      return found && { text: new TextDecoder().decode(found.bytes), name: found.url.href, url: found.url };
    },
    name: (url) => url.href,
  };
}
