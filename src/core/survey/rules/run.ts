import { parseUrl } from '../../util/url-path.js';
import { type Rule, rule } from '../rule.js';
import { differencesOf, errorsOf, requestsOf, type SeenError } from '../seen.js';
import { pageLocation } from './pages.js';

export const RUN_RULES: readonly Rule[] = [
  rule({
    id: 'run.error',
    title: 'Pages report errors while they load',
    severity: 'warning',
    needs: ['console'],
    source: 'WHATWG Console; ECMAScript uncaught errors',
    why: 'An error while a page loads often means that part of it does not work, and in an app nobody sees the messages about it.',
    *check(context) {
      const { site } = context;
      const seen = new Map<string, SeenError & { more: number }>();
      for (const error of errorsOf(context)) {
        const known = seen.get(error.text);
        if (known) known.more += 1;
        else seen.set(error.text, { ...error, more: 0 });
      }
      for (const { page, text, at, isWebKitsAlone, more } of seen.values()) {
        yield {
          location: pageLocation(site, page),
          observed: at === undefined ? text : `${text} (${at})`,
          impact: isWebKitsAlone
            ? 'Part of the page may not work on Apple’s devices; Chromium reports nothing like it.'
            : 'Part of the page may not work.',
          fix: 'Open the page in a browser with its console, and fix the first error.',
          ...(more > 0 ? { more } : {}),
        };
      }
    },
  }),
  rule({
    id: 'run.differs',
    title: 'The engine of Apple’s devices shows a page differently',
    severity: 'warning',
    platforms: ['apple'],
    needs: ['engines'],
    source: 'Chromium and WebKit side by side, at phone size',
    why: 'Every browser and every app on Apple’s devices shows pages in WebKit, which lacks what only other engines have: a script that needs it stops, and what it would have drawn is missing. What is wider than the screen there, or reported, is found by the rules for these.',
    blind({ webkit }) {
      const late = new Set(webkit?.notLoaded.map(({ page }) => page));
      return late.size === 0 ? undefined : `WebKit did not load ${late.size} of the pages in time`;
    },
    *check(context) {
      for (const { page, observed, impact } of differencesOf(context)) {
        yield {
          location: pageLocation(context.site, page),
          observed,
          impact,
          fix: 'Open the page in WebKit with its console: the first error there is the cause, most often.',
        };
      }
    },
  }),
  rule({
    id: 'run.foreign',
    title: 'Pages need other hosts to load',
    severity: 'suggestion',
    needs: ['view'],
    source: 'W3C Privacy Principles; stores’ data safety declarations',
    why: 'Every other host that a page asks learns of each user, has to be declared to the stores, and is one more that has to answer before the page is whole; without a network it is missing.',
    *check(context) {
      const { site } = context;
      const hosts = new Map<string, { page: string; kinds: Set<string>; count: number }>();
      for (const { page, url, kind } of requestsOf(context)) {
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
