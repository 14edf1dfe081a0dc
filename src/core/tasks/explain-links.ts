import { LinkResolver } from '../domains/explain.js';
import type { UrlAnswer } from '../domains/explain-types.js';
import { VerifierFetcher } from '../domains/fetch-documents.js';
import { askFactsOf, PlannedSource } from '../domains/gather.js';
import { HullError, type Location, task, withTasks } from '../errors.js';
import { sitemapAddresses } from '../site/sitemap.js';
import {
  type DomainsOptions,
  type GatheredDomains,
  gatherDomains,
  verifierAccess,
} from './gather-domains.js';
import { accessOf } from './host-access.js';

/** An address that is asked about, and where it was named. */
export interface AskedUrl {
  readonly text: string;
  readonly location?: Location | undefined;
}

export interface ExplainLinksOptions extends DomainsOptions {
  readonly urls?: readonly (string | AskedUrl)[] | undefined;
  /** Adds the pages of the web app and of its sitemap. */
  readonly fromSite?: boolean | undefined;
  /** Goes by what the hosts serve now, instead of the folders. */
  readonly live?: boolean | undefined;
  /** Whether every step on the way is shown. */
  readonly steps?: boolean | undefined;
  readonly onUnreadable?: ((address: string, why: string) => void) | undefined;
}

export interface ExplainedLinks {
  readonly answers: readonly UrlAnswer[];
  /** Whether Apple's devices and the installed web app could be asked about. */
  readonly asks: { readonly apple: boolean; readonly web: boolean };
}

function siteUrls({ site, app }: GatheredDomains): string[] {
  if (site === undefined) {
    throw new HullError('domains.bad-option', 'There is no web folder whose pages could be asked about.', {
      location: { option: 'fromSite' },
      fix: withTasks`Read the hosted app live, or set web.folder in hull.json; or give a list of addresses: ${task('explainLinks', '<URL…>')}`,
    });
  }
  const own = site.pages.map(({ url }) =>
    site.baseIsKnown ? url : url.replace(site.base.href, app.base.href),
  );
  return [...new Set([...own, ...sitemapAddresses(site)])];
}

function askedUrls(options: ExplainLinksOptions, gathered: GatheredDomains): AskedUrl[] {
  const all = [...(options.urls ?? []), ...(options.fromSite ? siteUrls(gathered) : [])];
  if (all.length > 0) return all.map((one) => (typeof one === 'string' ? { text: one } : one));
  throw new HullError('domains.bad-option', 'No address is asked about.', {
    fix: 'Name one or more, or ask about the pages of the site.',
  });
}

/**
 * Says which app opens each address on each platform, and by which rule.
 *
 * @throws HullError `domains.bad-url`, `domains.bad-option`, `config.*`, `keys.*`
 */
export async function explainLinks(options: ExplainLinksOptions): Promise<ExplainedLinks> {
  const gathered = await gatherDomains({
    ...options,
    certificates: 'if-known',
    pages: options.fromSite ? 'all' : 'first',
  });
  const asked = askedUrls(options, gathered);
  const hosts = gathered.plans.map(({ host }) => host);
  const fetcher = options.live
    ? new VerifierFetcher(verifierAccess(accessOf(gathered.project, options), hosts))
    : undefined;
  const source = fetcher ?? new PlannedSource(gathered.folderOf, gathered.plans);
  const facts = await askFactsOf(gathered, source).finally(() => fetcher?.close());
  const resolver = new LinkResolver(facts);
  const answers = asked.map(({ text, location }) => {
    const answer = resolver.ask(text, options.steps ? 'steps' : 'answer');
    if (answer !== undefined) return answer;
    throw new HullError('domains.bad-url', `"${text}" is not an address of the web.`, {
      ...(location ? { location } : {}),
      fix: 'Write it in full: https://ferry.saltmarsh.example/timetable/today',
    });
  });
  return { answers, asks: { apple: gathered.ids.apple !== undefined, web: facts.web !== undefined } };
}
