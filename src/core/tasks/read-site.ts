import { ownAnswers } from '../project/own-answers.js';
import type { Project } from '../project/project.js';
import { crawlSite } from '../site/crawl.js';
import { scanFolder } from '../site/folder.js';
import { type ReadFolderOptions, readFolderSite } from '../site/read-folder.js';
import type { Site } from '../site/site.js';
import { shownPath } from '../util/files.js';
import { baseOf, decodePath, parseUrl } from '../util/url-path.js';

/** How hosts are reached that are not public yet. */
export interface HostAccess {
  /** `host:port` → `address:port`. */
  readonly resolve?: ReadonlyMap<string, string> | undefined;
  /** PEM of a certificate authority to trust as well. */
  readonly ca?: string | undefined;
}

/** How much of a web app is read. */
export interface SiteReading extends HostAccess {
  /** Pages to read at most; by default 200 of a host and 50,000 of a folder. */
  readonly pages?: number | undefined;
  /** Links to follow from the start page at most; by default 8. */
  readonly depth?: number | undefined;
  /** Header fields for the host that is named, and for no other: for a sign-in before a test server. */
  readonly headers?: ReadonlyMap<string, string> | undefined;
  /** `ignore` follows links although the host’s robots.txt asks not to. */
  readonly robots?: 'respect' | 'ignore' | undefined;
  /** Called as pages or files are read; `total` is infinite where nobody knows it. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

/** An address without the name and password in it, and the header field that carries them (RFC 7617). */
function signedIn(address: URL): { readonly url: URL; readonly fields: readonly [string, string][] } {
  if (address.username === '' && address.password === '') return { url: address, fields: [] };
  const url = new URL(address);
  url.username = '';
  url.password = '';
  const decoded = (part: string) => decodePath(part) ?? part;
  const text = `${decoded(address.username)}:${decoded(address.password)}`;
  return { url, fields: [['authorization', `Basic ${Buffer.from(text).toString('base64')}`]] };
}

/** Reads a hosted app. Throws HullError `net.*`. */
export function readHost(
  address: URL,
  { pages, depth, ca, resolve, headers, robots, onProgress }: SiteReading,
): Promise<Site> {
  const { url, fields } = signedIn(address);
  return crawlSite(url, {
    headers: { for: url, fields: new Map([...fields, ...(headers ?? [])]) },
    ...(robots === undefined ? {} : { robots }),
    ...(pages === undefined ? {} : { maxPages: pages }),
    ...(depth === undefined ? {} : { maxDepth: depth }),
    ...(ca === undefined ? {} : { ca }),
    resolve: resolve ?? new Map(),
    ...(onProgress ? { onProgress: (done: number) => onProgress(done, Number.POSITIVE_INFINITY) } : {}),
  });
}

type FolderReading = SiteReading & Pick<ReadFolderOptions, 'prepare'>;

/**
 * Reads a folder as its project serves it; without a project as the root of a host.
 *
 * @param dir as it is written: locations in the site begin with it
 * @throws HullError `web.*`
 */
export async function readWebFolder(
  dir: string,
  project: Project | undefined,
  { pages, onProgress, prepare }: FolderReading,
): Promise<Site> {
  const folder = await scanFolder(dir);
  const { url, start } = project?.settings.web ?? {};
  const address = url === undefined ? undefined : parseUrl(url);
  const base = address && baseOf(address);
  const first = base && start !== undefined ? parseUrl(start, base) : undefined;
  return readFolderSite(folder, {
    ...(base ? { base, network: true } : {}),
    ...(project ? { answers: ownAnswers(project) } : {}),
    ...(first ? { start: first } : {}),
    ...(pages === undefined ? {} : { maxPages: pages }),
    ...(prepare ? { prepare } : {}),
    ...(onProgress ? { onProgress } : {}),
  });
}

/** Reads a project's own `web.folder`; locations begin as someone in the working folder would write them. */
export const readOwnFolder = (folder: string, project: Project, reading: FolderReading): Promise<Site> =>
  readWebFolder(shownPath(project.resolve(folder)), project, reading);
