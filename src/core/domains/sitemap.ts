import { parseFragment } from 'parse5';
import { parseUrl } from '../project/url-path.js';
import type { Site } from '../site/site.js';

/** Addresses that are read of a sitemap at most (sitemaps.org, "protocol": 50,000 each). */
const MOST = 50_000;

/** Addresses in the site's sitemap, where it has one at the usual place (sitemaps.org, "loc"). */
export function sitemapAddresses(site: Site): string[] {
  const bytes = site.bytes(new URL('sitemap.xml', site.base));
  if (bytes === undefined) return [];
  const text = Buffer.from(bytes).toString('utf8');
  const decode = (encoded: string): string => {
    const [node] = parseFragment(encoded.replace(/^<!\[CDATA\[|\]\]>$/g, '')).childNodes;
    return node && 'value' in node ? node.value.trim() : '';
  };
  return [...text.matchAll(/<loc>\s*([\s\S]{1,4096}?)\s*<\/loc>/g)]
    .slice(0, MOST)
    .map((match) => parseUrl(decode(match[1] as string))?.href)
    .filter((url) => url !== undefined);
}
