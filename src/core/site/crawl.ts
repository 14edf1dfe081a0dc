import { bareHost, Fetcher } from '../net/fetcher.js';
import { baseOf, parseUrl } from '../util/url-path.js';
import { Assembler, assembleManifest, manifestLink } from './assemble.js';
import { Crawler, type CrawlOptions, firstPage } from './crawler.js';
import { probe, scopeOf } from './probe-host.js';
import { namedPictures } from './read-folder.js';
import { type AddressStatus, fileUrl, type Site, type SitePage } from './site.js';
import { decodeText } from './text.js';

/**
 * Reads a hosted web app as a {@link Site}: the start page, its manifest, and what they lead to inside the app's scope,
 * within limits that are reported in the site where they are reached.
 *
 * @throws HullError `net.*` where the start page itself cannot be obtained
 */
export async function crawlSite(address: URL, options: CrawlOptions = {}): Promise<Site> {
  const fetcher = new Fetcher({ ...options, named: [bareHost(address.hostname)] });
  try {
    const first = await firstPage(fetcher, address);
    const crawler = new Crawler(fetcher, baseOf(first.at), options);
    crawler.record(first);
    // The manifest says how far the app reaches, so it is read before any link is followed.
    const look = new Assembler().addPage(first.at.href, first.at.href, decodeText(first.bytes, first.type));
    const manifest = await readManifest(crawler, look);
    crawler.base = scopeOf(first.at, manifest);
    const startPage = crawler.takePage(first, 0);
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
