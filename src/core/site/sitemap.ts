import { parseFragment } from 'parse5';
import { parseUrl } from '../util/url-path.js';
import type { Site } from './site.js';

/** Addresses that are read of a sitemap at most (sitemaps.org, "protocol": 50,000 each). */
const MOST = 50_000;
const OPEN = '<loc>';
const CLOSE = '</loc>';
/** Letters of an address at most; the protocol allows half of it, and entities make it longer. */
const LONGEST = 4096;

/** Addresses in the site's sitemap, where it has one at the usual place. */
export function sitemapAddresses(site: Site): string[] {
  const bytes = site.bytes(new URL('sitemap.xml', site.base));
  return bytes === undefined ? [] : readSitemapUrls(Buffer.from(bytes).toString('utf8'));
}

/** Addresses in a sitemap (sitemaps.org, "loc"). */
export function readSitemapUrls(text: string): string[] {
  const decode = (encoded: string): string => {
    const [node] = parseFragment(encoded.replace(/^<!\[CDATA\[|\]\]>$/g, '')).childNodes;
    return node && 'value' in node ? node.value.trim() : '';
  };
  const urls: string[] = [];
  let close = 0;
  for (let open = text.indexOf(OPEN); open >= 0 && urls.length < MOST; open = text.indexOf(OPEN, open + 1)) {
    const start = open + OPEN.length;
    if (close < start) close = text.indexOf(CLOSE, start);
    if (close < 0) break;
    const encoded = close - start > LONGEST ? '' : text.slice(start, close).trim();
    const url = encoded === '' ? undefined : parseUrl(decode(encoded));
    if (url !== undefined) urls.push(url.href);
  }
  return urls;
}
