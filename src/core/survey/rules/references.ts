import { type AddressStatus, locationIn, pathBelow, type Site, unitLocation } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';
import { isDrawnByScripts } from './pages.js';

export const withCount = (more: number) => (more > 0 ? { more } : {});

/** What builds fill in: `%NAME%`, `{{ name }}`, `<%= name %>`, `${name}`. */
const PLACEHOLDER = /^%[A-Za-z][\w.]*%|\{\{.*\}\}|<%.*%>|^\$\{/;

const whatAnswers = ({ is }: AddressStatus) =>
  is === 'html' ? 'a page of HTML answers' : 'nothing is there';

/** Whether a reference is one that the start page cannot do without. */
function isStartPart(
  { startPage }: Site,
  { kind, location }: { readonly kind: string; readonly location: RuleFinding['location'] },
): boolean {
  const isPart = kind === 'script' || kind === 'module' || kind === 'style';
  return isPart && startPage !== undefined && (location.file ?? location.url) === startPage.name;
}

interface UnansweredRequest {
  readonly text: string;
  readonly location: RuleFinding['location'];
  readonly more: number;
}

/** Requests of scripts to the app's own origin that no file of the folder answers, once each. */
function unansweredRequests(site: Site): UnansweredRequest[] {
  const found = new Map<string, { text: string; location: RuleFinding['location']; more: number }>();
  const page = site.startPage ? new URL(site.startPage.url) : site.start;
  const files = site.folder?.files ?? [];
  for (const unit of site.scripts) {
    for (const request of unit.facts.requests) {
      const { text, complete, fromScript } = request;
      const url = parseUrl(text, fromScript ? new URL(unit.url) : page);
      if (text === '' || !url || url.origin !== site.base.origin || !/^https?:$/.test(url.protocol)) continue;
      const path = pathBelow(site.base, url) ?? url.pathname;
      const begins = !complete && files.some((file) => file.path.startsWith(path));
      if (path === '' || begins || site.resolveStatus(url).is === 'there') continue;
      const key = `${url.pathname}${complete ? '' : '…'}`;
      const known = found.get(key);
      if (known) known.more += 1;
      else found.set(key, { text: key, location: unitLocation(site, unit, request), more: 0 });
    }
  }
  return [...found.values()];
}

/** A page whose name is the missing one but for its ending or capital letters. */
function nearestPage(site: Site, url: URL): string | undefined {
  const path = pathBelow(site.base, url);
  if (path === undefined) return undefined;
  const plain = (text: string) => text.toLowerCase().replace(/(\/index)?\.html?$|\/$/, '');
  return site.folder?.files.find((file) => /\.html?$/.test(file.path) && plain(file.path) === plain(path))
    ?.path;
}

/** Addresses of files, pages and data that pages and scripts name. */
export const REFERENCE_RULES: readonly Rule[] = [
  rule({
    id: 'files.start-parts',
    title: 'The start page’s scripts or styles are missing',
    severity: 'error',
    needs: ['start-page'],
    source: 'HTML Standard, "fetching resources"',
    why: 'Without its script a page that scripts draw stays white, and without its style sheet it is bare text. Most often the pages were built for another path than the one that they lie at.',
    *check(context) {
      const { site } = context;
      const built = site.folder?.built.builtFor;
      for (const { status, location, text, kind, url } of context.derived.brokenReferences('files')) {
        if (!isStartPart(site, { kind, location })) continue;
        // What is there, but above the app's own path, is said of all pages.
        const isThere = status.is === 'case' || (status.is === 'outside' && status.meant);
        if (isThere) continue;
        const isMoved = built !== undefined && url.pathname.startsWith(built) && site.base.pathname !== built;
        yield {
          location,
          observed: isMoved
            ? `${kind} ${text}: the pages were built for ${built}, and lie at ${site.base.pathname}`
            : `${kind} ${text}: ${whatAnswers(status)}`,
          impact:
            kind === 'style'
              ? 'The app opens without its styles.'
              : isDrawnByScripts(site)
                ? 'The app opens with an empty page.'
                : 'Part of the app does not work.',
          fix: isMoved
            ? `Set web.url in hull.json to the address that ends in ${built}; or build the pages for ${site.base.pathname}.`
            : `Put the file at ${url.pathname}, or correct the address.`,
        };
      }
    },
  }),
  rule({
    id: 'files.template',
    title: 'The start page is a template, not a built page',
    severity: 'error',
    needs: ['folder', 'start-page'],
    source: 'HTML Standard, "fetching resources"',
    why: 'Builds fill in placeholders such as %BASE_URL% and add the scripts that draw the page. The folder of sources has a page of the same name, which shows nothing by itself.',
    *check({ site }) {
      const { startPage } = site;
      const found = startPage?.facts.references.filter(({ text }) => PLACEHOLDER.test(text)) ?? [];
      const [first] = found;
      if (!startPage || !first) return;
      yield {
        location: locationIn(site.kind, startPage.name, { line: first.line, column: first.column }),
        observed: first.text,
        impact: 'The app opens without its scripts and pictures.',
        fix: 'Build the app, and give the folder that the build writes.',
        ...withCount(found.length - 1),
      };
    },
  }),
  rule({
    id: 'files.unanswered',
    title: 'Nothing in the app answers these requests',
    severity: 'warning',
    needs: ['folder'],
    source: 'Fetch Standard; packed pages have no server behind them',
    why: 'A script that asks its own host for data finds no host inside an app: what is not packed is answered with 404, unless hull.json names the host that answers.',
    *check(context) {
      const { site } = context;
      // Where the host is known, a new hull.json names it.
      const { target } = context;
      if (site.folder?.answers.rules.network || (target.assumed && target.hosted)) return;
      for (const { text, location, more } of unansweredRequests(site)) {
        yield {
          location,
          observed: `${text}: no packed file`,
          impact: 'The request fails with 404, and what it is for does not work.',
          fix: 'Set web.url in hull.json to the host that answers it; or ask that host by its full address.',
          ...withCount(more),
        };
      }
    },
  }),
  rule({
    id: 'files.sub-path',
    title: 'Addresses leave the folder that the app is in',
    severity: 'error',
    source: 'RFC 3986, section 4.2: absolute-path references',
    why: 'An app that is served below a path (https://host/ferry/) does not own what is above it: an address that begins with a slash leaves the app.',
    *check(context) {
      for (const wanted of ['files', 'links'] as const) {
        for (const { status, location, text, more } of context.derived.brokenReferences(wanted)) {
          if (status.is !== 'outside' || !status.meant) continue;
          yield {
            location,
            observed: `${text}, while the app lies at ${context.site.base.pathname}`,
            impact:
              wanted === 'files'
                ? 'The file is not found: the page looks broken.'
                : 'The link leaves the app.',
            fix: `${context.site.base.pathname}${text.replace(/^\//, '')}   (or an address relative to the page)`,
            ...withCount(more),
          };
        }
      }
    },
  }),
  rule({
    id: 'files.case-mismatch',
    title: 'Addresses and files differ in case',
    severity: 'error',
    needs: ['folder'],
    source: 'RFC 3986, section 6.2.2.1',
    why: 'Many desktop disks do not tell capital letters apart; servers and packages do. What works on the developer’s machine is missing on the phone.',
    *check(context) {
      for (const wanted of ['files', 'links'] as const) {
        for (const { status, location, text, more } of context.derived.brokenReferences(wanted)) {
          if (status.is !== 'case') continue;
          yield {
            location,
            observed: `${text}, while the file is ${status.other}`,
            impact: 'On phones it is not found.',
            fix: `/${status.other}`,
            ...withCount(more),
          };
        }
      }
    },
  }),
  rule({
    id: 'files.missing',
    title: 'Pages refer to missing files',
    severity: 'warning',
    source: 'HTML Standard, "fetching resources"',
    why: 'A script, style or picture that is not there leaves a hole, and inside an app there is no reload button to try again.',
    *check(context) {
      for (const { status, location, text, kind, more, url } of context.derived.brokenReferences('files')) {
        const isSaid = PLACEHOLDER.test(text) || isStartPart(context.site, { kind, location });
        if ((status.is !== 'missing' && status.is !== 'html') || isSaid) continue;
        yield {
          location,
          observed: `${kind} ${text}: ${whatAnswers(status)}`,
          impact:
            kind === 'script' || kind === 'module' || kind === 'import'
              ? 'Part of the app does not work.'
              : 'Part of the page is missing.',
          fix: `Put the file at ${url.pathname}, or correct the address.`,
          ...withCount(more),
        };
      }
    },
  }),
  rule({
    id: 'files.dead-link',
    title: 'Links lead nowhere',
    severity: 'warning',
    source: 'HTML Standard, "following hyperlinks"',
    why: 'A link to a page that is not there ends in an error page without an address bar.',
    *check(context) {
      for (const { status, location, text, more, url } of context.derived.brokenReferences('links')) {
        if (status.is !== 'missing') continue;
        const near = nearestPage(context.site, url);
        yield {
          location,
          observed: `${text}: nothing is there`,
          impact: 'The tap ends in an error page.',
          fix: near === undefined ? 'Correct the link, or add the page.' : `/${near}`,
          ...withCount(more),
        };
      }
    },
  }),
];
