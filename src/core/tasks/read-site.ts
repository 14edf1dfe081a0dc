import { ownAnswers } from '../project/own-answers.js';
import type { Project } from '../project/project.js';
import { crawlSite } from '../site/crawl.js';
import { scanFolder } from '../site/folder.js';
import type { ParseTexts } from '../site/parsed-texts.js';
import { type ReadFolderOptions, readFolderSite } from '../site/read-folder.js';
import type { Site } from '../site/site.js';
import { shownPath } from '../util/files.js';
import { baseOf, parseUrl } from '../util/url-path.js';
import { type HostAccess, signedIn } from './host-access.js';

/** How much of a web app is read. */
export interface SiteReading extends HostAccess {
  /** Pages to read at most; by default 200 of a host and 50,000 of a folder. */
  readonly pages?: number | undefined;
  /** Links to follow from the start page at most; by default 8. */
  readonly depth?: number | undefined;
  /** `ignore` follows links although the host’s robots.txt asks not to. */
  readonly robots?: 'respect' | 'ignore' | undefined;
  /** Called as pages or files are read; `total` is infinite where nobody knows it. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
  /** What other readings of the same folder have parsed already. */
  readonly parsed?: ParseTexts | undefined;
}

/** Reads a hosted app. Throws HullError `net.*`. */
export function readHost(
  address: URL,
  { pages, depth, ca, resolve, headers, rate, timeout, robots, onProgress }: SiteReading,
): Promise<Site> {
  const { url, fields } = signedIn(address);
  return crawlSite(url, {
    headers: { for: url, fields: new Map([...fields, ...(headers ?? [])]) },
    ...(rate === undefined ? {} : { rate }),
    ...(timeout === undefined ? {} : { timeout: timeout * 1000 }),
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
  { pages, onProgress, prepare, parsed }: FolderReading,
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
    ...(parsed ? { parsed } : {}),
    ...(onProgress ? { onProgress } : {}),
  });
}

/** Reads a project's own `web.folder`; locations begin as someone in the working folder would write them. */
export const readOwnFolder = (folder: string, project: Project, reading: FolderReading): Promise<Site> =>
  readWebFolder(shownPath(project.resolve(folder)), project, reading);
