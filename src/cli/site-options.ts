import { fromSystemError, HullError } from '../core/errors.js';
import type { Project } from '../core/project/project.js';
import { crawlSite } from '../core/site/crawl.js';
import { lookThroughFolder } from '../core/site/folder.js';
import { type ReadFolderOptions, readFolderSite } from '../core/site/read-folder.js';
import type { Site } from '../core/site/site.js';
import { readRegularFile } from '../core/util/files.js';
import { baseOf, parseUrl } from '../core/util/url-path.js';
import type { Io } from './io.js';
import { countProgress } from './progress.js';

/** Options of commands that look at a host. */
export interface SiteOptions {
  readonly pages?: string;
  readonly depth?: string;
  readonly resolve?: readonly string[];
  readonly ca?: string;
}

export function wholeNumber(text: string | undefined, option: string): number | undefined {
  if (text === undefined) return undefined;
  if (/^[1-9]\d{0,6}$/.test(text)) return Number(text);
  throw new HullError('survey.bad-option', `"${text}" is not a number of ${option.slice(2)}.`, {
    place: { option },
    remedy: 'Give a whole number from 1 on.',
  });
}

/** `host[:port]=address:port`, as often as given. */
export function resolutions(given: readonly string[] | undefined): Map<string, string> {
  const map = new Map<string, string>();
  for (const text of given ?? []) {
    const match = /^([^=:]+)(?::(\d+))?=(\[[^\]]+\]|[^:]+):(\d+)$/.exec(text);
    if (!match) {
      throw new HullError('survey.bad-option', `"${text}" does not say where a host is found.`, {
        place: { option: '--resolve' },
        remedy:
          'Write it as --resolve ferry.saltmarsh.example=127.0.0.1:8443 (port 443 unless the host has one: host:80=…)',
      });
    }
    const [, host = '', port = '443', address = '', to = ''] = match;
    map.set(`${host.toLowerCase()}:${port}`, `${address}:${to}`);
  }
  return map;
}

/** A certificate authority’s PEM. Throws `survey.bad-option`, `file.missing`. */
export function readCa(file: string | undefined): string | undefined {
  if (file === undefined) return undefined;
  try {
    const text = readRegularFile(file).toString('utf8');
    if (text.includes('-----BEGIN CERTIFICATE-----')) return text;
  } catch (error) {
    throw fromSystemError(error, file);
  }
  throw new HullError('survey.bad-option', 'There is no certificate in this file.', {
    place: { option: '--ca', file },
    remedy: 'Give the authority’s certificate as PEM (-----BEGIN CERTIFICATE-----).',
  });
}

/** Reads a hosted app, with progress. Throws `net.*`, `survey.bad-option`. */
export async function readHost(io: Io, address: URL, options: SiteOptions): Promise<Site> {
  const maxPages = wholeNumber(options.pages, '--pages');
  const maxDepth = wholeNumber(options.depth, '--depth');
  const ca = readCa(options.ca);
  const map = resolutions(options.resolve);
  const progress = await countProgress(io, Number.POSITIVE_INFINITY, 'asking', 'addresses');
  try {
    return await crawlSite(address, {
      ...(maxPages === undefined ? {} : { maxPages }),
      ...(maxDepth === undefined ? {} : { maxDepth }),
      ...(ca === undefined ? {} : { ca }),
      resolve: map,
      onProgress: progress.update,
    });
  } finally {
    progress.end();
  }
}

/** Reads a folder as the project serves it, with progress. Throws `web.*`. */
export async function readWebFolder(
  io: Io,
  dir: string,
  project: Project | undefined,
  options: SiteOptions & Pick<ReadFolderOptions, 'prepare'>,
): Promise<Site> {
  const maxPages = wholeNumber(options.pages, '--pages');
  const folder = await lookThroughFolder(dir);
  const progress = await countProgress(io, folder.files.length, 'reading', 'files');
  try {
    const { url, start } = project?.config.web ?? {};
    const address = url === undefined ? undefined : parseUrl(url);
    const base = address && baseOf(address);
    const first = base && start !== undefined ? parseUrl(start, base) : undefined;
    return await readFolderSite(folder, {
      ...(base ? { base } : {}),
      ...(first ? { start: first } : {}),
      ...(maxPages === undefined ? {} : { maxPages }),
      ...(options.prepare ? { prepare: options.prepare } : {}),
      onProgress: progress.update,
    });
  } finally {
    progress.end();
  }
}
