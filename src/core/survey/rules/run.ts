import { parseUrl } from '../../util/url-path.js';
import { type Rule, rule } from '../rule.js';
import { pageLocation } from './pages.js';

export const RUN_RULES: readonly Rule[] = [
  rule({
    id: 'run.error',
    title: 'Pages report errors while they load',
    severity: 'warning',
    needs: ['browser'],
    source: 'WHATWG Console; ECMAScript uncaught errors',
    why: 'An error while a page loads often means that part of it does not work, and in an app nobody sees the messages about it.',
    *check({ site, browser }) {
      const seen = new Map<string, { page: string; at: string | undefined; more: number }>();
      for (const { page, text, at } of browser?.errors ?? []) {
        const known = seen.get(text);
        if (known) known.more += 1;
        else seen.set(text, { page, at, more: 0 });
      }
      for (const [text, { page, at, more }] of seen) {
        yield {
          location: pageLocation(site, page),
          observed: at === undefined ? text : `${text} (${at})`,
          impact: 'Part of the page may not work.',
          fix: 'Open the page in a browser with its console, and fix the first error.',
          ...(more > 0 ? { more } : {}),
        };
      }
    },
  }),
  rule({
    id: 'run.foreign',
    title: 'Pages need other hosts to load',
    severity: 'suggestion',
    needs: ['browser'],
    source: 'W3C Privacy Principles; stores’ data safety declarations',
    why: 'Every other host that a page asks learns of each user, has to be declared to the stores, and is one more that has to answer before the page is whole; without a network it is missing.',
    *check({ site, browser }) {
      const hosts = new Map<string, { page: string; kinds: Set<string>; count: number }>();
      for (const { page, url, kind } of browser?.requests ?? []) {
        const host = parseUrl(url)?.host;
        if (host === undefined || host === site.base.host) continue;
        const known = hosts.get(host) ?? { page, kinds: new Set(), count: 0 };
        known.kinds.add(kind);
        known.count += 1;
        hosts.set(host, known);
      }
      for (const [host, { page, kinds, count }] of hosts) {
        yield {
          location: pageLocation(site, page),
          observed: `${count} request${count > 1 ? 's' : ''} to ${host} (${[...kinds].join(', ')})`,
          impact: 'The host learns of every user, and is missing without a network.',
          fix: 'Serve the files from the app’s own host; or declare the host where stores ask what is sent to whom.',
        };
      }
    },
  }),
];
