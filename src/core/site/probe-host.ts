import { HullError } from '../errors.js';
import { type Answer, bareHost, Fetcher } from '../net/fetcher.js';
import { baseOf, parseUrl, wwwVariant } from '../util/url-path.js';
import { type Crawler, type CrawlOptions, FILE_LIMIT, withoutBytes } from './crawler.js';
import { readPage } from './page.js';
import { type HostProbes, NO_SUCH_PAGE, type Site } from './site.js';
import { decodeText } from './text.js';

const ASSOCIATION = ['/.well-known/assetlinks.json', '/.well-known/apple-app-site-association'];

/** The address below which a hosted app lies: its manifest's scope, where that holds, else the start page's folder. */
export function scopeOf(start: URL, manifest: Site['manifest']): URL {
  const own = baseOf(start);
  const { scope, start_url } = manifest?.members ?? {};
  const from = manifest && new URL(manifest.url);
  const named = typeof scope === 'string' ? parseUrl(scope, from) : undefined;
  if (named && named.origin === start.origin && start.pathname.startsWith(named.pathname))
    return baseOf(named);
  const first = typeof start_url === 'string' ? parseUrl(start_url, from) : undefined;
  const elsewhere = first?.origin === own.origin && !first.pathname.startsWith(own.pathname);
  return elsewhere ? new URL('/', own) : own;
}

/** An answer that can be done without; `undefined` where it cannot be obtained. */
export async function askQuietly(
  fetcher: Fetcher,
  url: URL,
  signal: AbortSignal | undefined,
): Promise<Answer | undefined> {
  try {
    return await fetcher.fetch(url, FILE_LIMIT);
  } catch (error) {
    if (error instanceof HullError && !signal?.aborted) return undefined;
    throw error;
  }
}

/** The same name with or without www, where it answers with pages of its own. */
async function twinOf(
  fetcher: Fetcher,
  start: URL,
  { signal, resolve }: CrawlOptions,
): Promise<string | undefined> {
  const name = wwwVariant(start.hostname);
  if (name === undefined) return undefined;
  const twin = new URL(start);
  twin.hostname = name;
  // With addresses of a test server the name system has nothing to say of other names.
  const port = start.port === '' ? (start.protocol === 'https:' ? 443 : 80) : start.port;
  if (resolve?.has(`${start.hostname}:${port}`) && !resolve.has(`${name}:${port}`)) return undefined;
  const answer = await askQuietly(fetcher, twin, signal);
  return answer && answer.status < 300 && answer.at.hostname === name ? twin.origin : undefined;
}

/** Asks for the start page in another language: a host that goes by it shows other pages to others. */
async function languageOf(
  crawler: Crawler,
  start: URL,
  options: CrawlOptions,
): Promise<HostProbes['otherLanguage']> {
  const shown = crawler.assembler.pages.find(({ url }) => url === start.href);
  const own = shown?.facts.lang?.toLowerCase();
  if (own === undefined) return undefined;
  const asked = own.startsWith('de') ? 'fr' : 'de';
  const { headers } = options;
  const fields = new Map([...(headers?.fields ?? []), ['accept-language', asked]]);
  const other = new Fetcher({
    ...options,
    named: [bareHost(start.hostname)],
    headers: { for: headers?.for ?? start, fields },
  });
  try {
    const answer = await askQuietly(other, start, options.signal);
    if (!answer || answer.status >= 400 || !/html/i.test(answer.type)) return undefined;
    const { lang } = readPage(decodeText(answer.bytes, answer.type));
    if (answer.at.href !== start.href) return { asked, got: answer.at.href };
    return lang !== undefined && lang.toLowerCase() !== own ? { asked, got: `lang="${lang}"` } : undefined;
  } finally {
    other.close();
  }
}

/** Asks how the host fails and redirects; what cannot be asked stays unknown. */
export async function probe(
  crawler: Crawler,
  fetcher: Fetcher,
  start: URL,
  options: CrawlOptions,
): Promise<HostProbes> {
  const quietly = (url: URL) => askQuietly(fetcher, url, options.signal);
  const missing = await quietly(new URL(NO_SUCH_PAGE, crawler.base));
  const association = new Map<string, number | 'html'>();
  for (const path of ASSOCIATION) {
    const answer = await quietly(new URL(path, start));
    if (!answer) continue;
    // Verifiers follow no redirect.
    const [moved] = answer.redirects;
    const isHtml = answer.status === 200 && /html/i.test(answer.type);
    association.set(path, moved ? moved.status : isHtml ? 'html' : answer.status);
  }
  let plainHttp: HostProbes['plainHttp'];
  if (start.protocol === 'https:' && start.port === '') {
    const plain = new URL(start);
    plain.protocol = 'http:';
    const answer = await quietly(plain);
    plainHttp = answer ? { answered: true, end: answer.at.href, status: answer.status } : { answered: false };
  }
  const twin = await twinOf(fetcher, start, options);
  const otherLanguage = await languageOf(crawler, start, options);
  return {
    ...(twin === undefined ? {} : { twin }),
    ...(otherLanguage ? { otherLanguage } : {}),
    ...(missing
      ? { notFound: { ...withoutBytes(missing), text: decodeText(missing.bytes, missing.type) } }
      : {}),
    ...(plainHttp ? { plainHttp } : {}),
    association,
  };
}
