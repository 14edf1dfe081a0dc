import robotsParser from 'robots-parser';
import { bareHost, Fetcher } from '../net/fetcher.js';
import { baseOf, parseUrl } from '../util/url-path.js';
import { Assembler, assembleManifest, manifestLink } from './assemble.js';
import { Crawler, type CrawlOptions, firstPage } from './crawler.js';
import { askQuietly, probe, scopeOf } from './probe-host.js';
import { namedPictures } from './read-folder.js';
import { type AddressStatus, fileUrl, type Site, type SitePage } from './site.js';
import { readSitemapUrls } from './sitemap.js';
import { decodeText } from './text.js';

/**
 * Reads a hosted web app as a {@link Site}: the start page, its manifest, and what they lead to inside the app's scope,
 * within limits that are reported in the site where they are reached.
 *
 * @throws HullError `net.*` where the start page itself cannot be obtained
 */
export async function crawlSite(address: URL, options: CrawlOptions = {}): Promise<Site> {
  const fetcher = new Fetcher({ patience: PATIENCE, ...options, named: [bareHost(address.hostname)] });
  try {
    const first = await firstPage(fetcher, address);
    const crawler = new Crawler(fetcher, baseOf(first.at), options);
    crawler.record(first);
    // The manifest says how far the app reaches, so it is read before any link is followed.
    const look = new Assembler().addPage(first.at.href, first.at.href, decodeText(first.bytes, first.type));
    const manifest = await readManifest(crawler, look);
    crawler.base = scopeOf(first.at, manifest);
    await followRobots(crawler, fetcher, options, first.at);
    const startPage = crawler.takePage(first, 0);
    crawler.queueListed(await listedPages(crawler, fetcher, options), startPage);
    await crawler.run();
    const { assembler, responses } = crawler;
    assembler.sort(startPage);
    const probes = await probe(crawler, fetcher, first.at, options);
    const kept = new Map<string, Uint8Array>();
    const site: Site = {
      kind: 'hosted',
      name: address.href,
      base: crawler.base,
      baseIsKnown: true,
      start: first.at,
      startPage,
      pages: assembler.pages,
      scripts: assembler.scripts,
      styles: assembler.styles,
      styleGroups: assembler.styleGroups(),
      workers: assembler.workers({ kind: 'hosted', start: first.at }),
      manifest,
      pictures: new Map(),
      responses,
      probes,
      folder: undefined,
      limits: crawler.limits,
      faults: crawler.faults,
      resolveStatus: (url) => resolveStatus(crawler, url),
      bytes: (url) => kept.get(fileUrl(url)),
    };
    const pictures = await namedPictures(site, async (url) => {
      const answer = await crawler.get(url);
      if (!answer || answer.status >= 400) return undefined;
      kept.set(fileUrl(url), answer.bytes);
      return answer.bytes;
    });
    await checkManifestPages(crawler, site);
    return { ...site, pictures };
  } finally {
    fetcher.close();
  }
}

/** The package's types speak of an ECMAScript module; it is a CommonJS one, and is the function itself. */
const parseRobots = robotsParser as unknown as typeof robotsParser.default;
/** ms that a crawl waits in all for a host that asks for it. */
const PATIENCE = 60_000;
const MAX_SITEMAPS = 5;

/** A text file of the host; `undefined` where it is none, or cannot be obtained. */
async function hostText(fetcher: Fetcher, url: URL, { signal }: CrawlOptions): Promise<string | undefined> {
  const answer = await askQuietly(fetcher, url, signal);
  const isText = answer?.status === 200 && !/html/i.test(answer.type);
  return isText ? decodeText(answer.bytes, answer.type) : undefined;
}

/** Reads what the host asks of crawlers (RFC 9309). */
async function followRobots(
  crawler: Crawler,
  fetcher: Fetcher,
  options: CrawlOptions,
  start: URL,
): Promise<void> {
  const url = new URL('/robots.txt', start);
  const text = await hostText(fetcher, url, options);
  if (text === undefined) return;
  const rules = parseRobots(url.href, text);
  if (options.robots !== 'ignore')
    crawler.allows = (page) => rules.isAllowed(page.href, 'JollyHull') !== false;
  crawler.sitemaps = rules.getSitemaps();
}

/** Pages in the sitemaps that robots.txt names, else in the one at the usual place. */
async function listedPages(crawler: Crawler, fetcher: Fetcher, options: CrawlOptions): Promise<string[]> {
  const named = crawler.sitemaps.length > 0 ? crawler.sitemaps : [new URL('/sitemap.xml', crawler.base).href];
  const pending = named.flatMap((text) => parseUrl(text) ?? []);
  const pages: string[] = [];
  for (let read = 0; read < MAX_SITEMAPS && pending.length > 0; read += 1) {
    const url = pending.shift();
    if (url === undefined || url.origin !== crawler.base.origin) continue;
    const text = await hostText(fetcher, url, options);
    if (text === undefined) continue;
    const found = readSitemapUrls(text);
    // An index of sitemaps names more of them (sitemaps.org, "sitemapindex").
    if (/<sitemapindex\b/i.test(text)) pending.push(...found.flatMap((one) => parseUrl(one) ?? []));
    else pages.push(...found);
  }
  return pages;
}

async function readManifest(crawler: Crawler, page: SitePage): Promise<Site['manifest']> {
  const link = manifestLink('hosted', page);
  if (!link) return undefined;
  const answer = await crawler.get(link.url);
  const text = answer && answer.status < 400 ? decodeText(answer.bytes, answer.type) : undefined;
  return assembleManifest(link.url.href, link.url.href, link.location, text, answer?.type);
}

/** Asks for the pages that the manifest names, so that rules can tell whether they are there. */
async function checkManifestPages(crawler: Crawler, site: Site): Promise<void> {
  const { manifest } = site;
  if (!manifest?.members) return;
  const shortcuts = Array.isArray(manifest.members.shortcuts) ? manifest.members.shortcuts.slice(0, 10) : [];
  const named = [manifest.members.start_url, ...shortcuts.map((item: { url?: unknown } | null) => item?.url)];
  for (const text of named) {
    const url = typeof text === 'string' ? parseUrl(text, new URL(manifest.url)) : undefined;
    if (!url || url.origin !== site.base.origin || crawler.responses.has(url.href)) continue;
    await crawler.get(url);
  }
}

function resolveStatus(crawler: Crawler, url: URL): AddressStatus {
  if (url.origin !== crawler.base.origin) return { is: 'foreign' };
  const answer = crawler.responses.get(url.href) ?? crawler.responses.get(fileUrl(url));
  if (answer === undefined) return { is: 'unknown' };
  return { is: answer.status === 404 || answer.status === 410 ? 'missing' : 'there' };
}
