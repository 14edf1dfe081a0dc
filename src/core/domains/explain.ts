import type { Location } from '../errors.js';
import { type Component, compileComponents } from '../links/components.js';
import { APPLE_PATH, ASSET_LINKS_PATH, LINK_RELATION, ORIGIN_PATH } from '../links/document-names.js';
import { documentHost, hostMatches } from '../links/host.js';
import { compileHostRules } from '../links/host-rules.js';
import { compileFilter, type FilterVerdict, type LinkFilter, partText } from '../links/intent-filter.js';
import { GROUPS_SINCE } from '../links/levels.js';
import { LinkUrl } from '../links/link-url.js';
import type { PathRule } from '../links/links.js';
import { extensionMatches, withinScope } from '../links/scope.js';
import type { LocatedJson } from '../util/json-locations.js';
import type { AppleAssociation } from './documents/apple-association.js';
import type { AppStatement, AssetLinks } from './documents/asset-links.js';
import type {
  AskFacts,
  LoadedDocument,
  Opener,
  PlatformAnswer,
  Step,
  Telling,
  UrlAnswer,
} from './explain-types.js';
import { compileApple } from './match-apple.js';

/** A component as people write it. */
export function componentText({ path, query, fragment, exclude }: Component): string {
  const shown = [
    path ?? '*',
    ...(query === undefined
      ? []
      : typeof query === 'string'
        ? [`?${query}`]
        : [`?${[...query].map(([name, value]) => `${name}=${value}`).join('&')}`]),
    ...(fragment === undefined ? [] : [`#${fragment}`]),
  ].join('');
  return exclude ? `not ${shown}` : shown;
}

function filterText(filter: LinkFilter, verdict: FilterVerdict): string {
  const { by } = verdict;
  if (by === undefined) return 'every path';
  if (verdict.why === 'path') {
    const part = filter.paths[by];
    return part ? partText(part) : '';
  }
  const group = filter.groups[by];
  return `${group?.allow === false ? 'not ' : ''}${group?.parts.map(partText).join('') ?? ''}`;
}

/** Collects steps only where someone reads them. */
class Steps {
  readonly list: Step[] = [];
  readonly #telling: Telling;

  constructor(telling: Telling) {
    this.#telling = telling;
  }

  add(holds: boolean, text: () => string, location?: Location): void {
    if (this.#telling === 'steps') this.list.push({ holds, text: text(), ...(location ? { location } : {}) });
  }
}

interface CompiledFilter {
  readonly filter: LinkFilter;
  readonly now: (link: LinkUrl) => FilterVerdict;
  readonly before: (link: LinkUrl) => FilterVerdict;
}

interface AndroidHost {
  readonly loaded: LoadedDocument<AssetLinks> | undefined;
  readonly statement: AppStatement | undefined;
  readonly verified: boolean;
  readonly why: string;
  readonly dynamic: ((link: LinkUrl) => Component | undefined) | undefined;
}

/** The newest level that counts as before relative filter groups, and the level that counts as today. */
const LEVELS = { before: GROUPS_SINCE - 1, now: 36 } as const;

/** Answers which app opens a link, and why. What is the same for many links is computed once. */
export class LinkResolver {
  readonly #facts: AskFacts;
  readonly #filters: readonly CompiledFilter[];
  readonly #ownRules: readonly { host: string; rules: (link: LinkUrl) => PathRule | undefined }[];
  readonly #places = new Map<string, Location>();
  readonly #androidHosts = new Map<string, AndroidHost>();
  readonly #apple = new Map<string, (link: LinkUrl) => Component | undefined>();
  readonly #olderApple = new Map<string, (link: LinkUrl) => Component | undefined>();

  constructor(facts: AskFacts) {
    this.#facts = facts;
    this.#ownRules = (facts.android?.links ?? []).map(({ host, rules }) => ({
      host,
      rules: compileHostRules(rules),
    }));
    this.#filters = (facts.android?.filters ?? [])
      .filter(({ forLinks }) => forLinks)
      .map((filter) => ({
        filter,
        now: compileFilter(filter, LEVELS.now),
        before: compileFilter(filter, LEVELS.before),
      }));
  }

  /** `undefined` where the text is no address of the web. */
  ask(text: string, telling: Telling = 'answer'): UrlAnswer | undefined {
    const link = LinkUrl.read(text);
    if (link === undefined) return undefined;
    const { android, apple, web } = this.#facts;
    return {
      url: link.url.href,
      ...(android ? { android: this.#android(link, android, telling) } : {}),
      ...(apple ? { apple: this.#askApple(link, apple, telling) } : {}),
      ...(web ? { web: this.#web(link, web, telling) } : {}),
    };
  }

  /** What the intent filters alone say, by API level: for tests against the platform's own parser. */
  filterVerdicts(text: string): { readonly before: boolean; readonly now: boolean } | undefined {
    const link = LinkUrl.read(text);
    if (link === undefined) return undefined;
    const any = (level: 'before' | 'now') => this.#filters.some((one) => one[level](link).matches);
    return { before: any('before'), now: any('now') };
  }

  /** Whether the app's own rules let a link in, whatever sends it there. */
  staysWithRules(text: string): boolean {
    const link = LinkUrl.read(text);
    return link !== undefined && this.#ownRule(link).opens;
  }

  #androidHost(host: string, android: NonNullable<AskFacts['android']>): AndroidHost {
    let found = this.#androidHosts.get(host);
    if (found === undefined) {
      found = judgeAndroidHost(host, android);
      this.#androidHosts.set(host, found);
    }
    return found;
  }

  #android(link: LinkUrl, android: NonNullable<AskFacts['android']>, telling: Telling): PlatformAnswer {
    const steps = new Steps(telling);
    const at = (level: 'before' | 'now') => {
      for (const one of this.#filters) {
        const verdict = one[level](link);
        if (verdict.matches) return { filter: one.filter, verdict };
      }
      return undefined;
    };
    const now = at('now');
    const before = android.minSdk >= GROUPS_SINCE ? now : at('before');
    const here = now ?? before;
    const done = (opens: Opener, rule: string, location?: Location, older?: Opener): PlatformAnswer => ({
      opens,
      ...(older !== undefined && older !== opens && android.minSdk < GROUPS_SINCE
        ? { before: { version: `API ${GROUPS_SINCE}`, opens: older } }
        : {}),
      rule,
      ...(location ? { location } : {}),
      steps: steps.list,
    });
    if (here === undefined) {
      const why = this.#missed(link);
      steps.add(false, () => `${why.text} (${android.from})`);
      return done('browser', why.short);
    }
    steps.add(now !== undefined, () =>
      now
        ? `an intent filter takes it: ${filterText(now.filter, now.verdict)} (${android.from})`
        : `from API ${GROUPS_SINCE} on the intent filters leave it out (${android.from})`,
    );
    if (before && !now)
      steps.add(
        true,
        () => `before, an intent filter takes it: ${filterText(before.filter, before.verdict)}`,
      );
    if (!here.filter.autoVerify) {
      steps.add(false, () => 'the filter does not ask for verification: such links open in the browser');
      return done('browser', 'filter without verification');
    }
    const pattern = here.filter.hosts.find(({ host }) => hostMatches(host, link.host))?.host ?? link.host;
    const host = this.#androidHost(documentHost(pattern), android);
    const named =
      host.loaded && host.statement
        ? this.#placeOf(host.loaded, host.statement.pointer)
        : host.loaded?.location;
    steps.add(host.verified, () => host.why, named);
    if (!host.verified) return done('browser', host.why, named);
    const own = this.#ownRule(link);
    const opener = (matched: boolean): Opener => (!matched ? 'browser' : own.opens ? 'app' : 'app-hands-on');
    if (!own.opens)
      steps.add(false, () => `the app itself hands it to the browser: hull.json leaves ${own.rule} out`);
    const older = opener(before !== undefined);
    if (host.dynamic && now) {
      const rule = host.dynamic(link);
      const opens = rule !== undefined && !rule.exclude;
      const location = rule && host.loaded ? this.#placeOf(host.loaded, rule.pointer) : host.loaded?.location;
      const shown = rule ? componentText(rule) : 'no rule of the document matches';
      steps.add(opens, () => `on devices that read the document’s rules: ${shown}`, location);
      if (!opens) return done('browser', shown, location, older);
    }
    if (now && own.opens && !this.#facts.staysInside(link.url))
      steps.add(
        false,
        () => 'it lies outside of web.inside: the app opens at its start, and not at this page',
      );
    const shown = now ? filterText(now.filter, now.verdict) : this.#missed(link).short;
    return done(opener(now !== undefined), shown, named, older);
  }

  /** The line of a rule; looked for once, since many links meet the same. */
  #placeOf(
    { location, document }: LoadedDocument<{ readonly json: LocatedJson | undefined }>,
    pointer: string,
  ): Location {
    const key = `${location.url ?? location.file} ${pointer}`;
    let found = this.#places.get(key);
    if (found === undefined) {
      const line = document.json?.location(pointer).line;
      found = line === undefined ? location : { ...location, line };
      this.#places.set(key, found);
    }
    return found;
  }

  /** Why no filter takes a link: the nearest that any of them came. */
  #missed(link: LinkUrl): { readonly text: string; readonly short: string } {
    const whys = this.#filters.map(({ filter, now }) => ({ filter, why: now(link) }));
    const ofHost = whys.filter(({ why }) => why.why === 'nothing' || why.why === 'group');
    const [group] = ofHost.filter(({ why }) => why.why === 'group');
    if (group) {
      const text = filterText(group.filter, group.why);
      return { text: `the intent filters leave it out: ${text}`, short: text };
    }
    if (ofHost.length > 0) return { text: 'no path of the intent filters matches', short: 'no path matches' };
    if (whys.some(({ why }) => why.why === 'port'))
      return { text: 'the intent filters are for another port', short: 'another port' };
    if (link.scheme !== 'https') return { text: 'it is no https address', short: 'no https address' };
    return { text: `no intent filter is for ${link.host}`, short: 'another host' };
  }

  /** What the shell itself lets in (LinkRule.java): what is left out stays out. */
  #ownRule(link: LinkUrl): { readonly opens: boolean; readonly rule: string } {
    const own = this.#ownRules.find(({ host }) => hostMatches(host, link.host));
    if (own === undefined) return { opens: true, rule: '' };
    const rule = own.rules(link);
    return { opens: rule?.allow === true, rule: rule?.pattern ?? 'it' };
  }

  #askApple(link: LinkUrl, apple: NonNullable<AskFacts['apple']>, telling: Telling): PlatformAnswer {
    const steps = new Steps(telling);
    const done = (opens: Opener, rule: string, location?: Location, older?: Opener): PlatformAnswer => ({
      opens,
      ...(older === undefined || older === opens ? {} : { before: { version: 'version 13', opens: older } }),
      rule,
      ...(location ? { location } : {}),
      steps: steps.list,
    });
    // An exact name comes before a wildcard.
    const pattern =
      apple.hosts.find((host) => host === link.host) ??
      apple.hosts.find((host) => hostMatches(host, link.host));
    if (pattern === undefined || link.port !== undefined) {
      const what = pattern === undefined ? link.host : `port ${link.port}`;
      steps.add(false, () => `the entitlement names no applinks:${link.host} with ${what}`);
      return done('browser', pattern === undefined ? 'another host' : 'another port');
    }
    steps.add(true, () => `the entitlement names applinks:${pattern}`);
    const loaded = apple.documents.get(documentHost(pattern));
    if (loaded === undefined || loaded.broken !== undefined) {
      const why = loaded?.broken ?? `https://${documentHost(pattern)}${APPLE_PATH} is not there`;
      steps.add(false, () => why, loaded?.location);
      return done('browser', why, loaded?.location);
    }
    const { document } = loaded;
    const named = document.details.some(({ appIds }) => appIds.includes(apple.appId));
    steps.add(
      named,
      () => `the document ${named ? 'names' : 'does not name'} ${apple.appId}`,
      loaded.location,
    );
    if (!named) return done('browser', 'the document names other apps', loaded.location);
    const rule = this.#appleRules(this.#apple, pattern, loaded, apple.appId, 'components')(link);
    const opens = rule !== undefined && !rule.exclude;
    const location = rule ? this.#placeOf(loaded, rule.pointer) : loaded.location;
    const shown = rule ? componentText(rule) : 'no component matches';
    steps.add(opens, () => `first match: ${shown}${rule?.comment ? ` (${rule.comment})` : ''}`, location);
    if (!apple.older) return done(opens ? 'app' : 'browser', shown, location);
    const olderRule = this.#appleRules(this.#olderApple, pattern, loaded, apple.appId, 'paths')(link);
    const older: Opener = olderRule !== undefined && !olderRule.exclude ? 'app' : 'browser';
    const olderText = olderRule ? componentText(olderRule) : 'no path matches';
    steps.add(older === 'app', () => `before version 13: ${olderText}`);
    return done(opens ? 'app' : 'browser', shown, location, older);
  }

  #appleRules(
    cache: Map<string, (link: LinkUrl) => Component | undefined>,
    pattern: string,
    loaded: LoadedDocument<AppleAssociation>,
    appId: string,
    form: 'components' | 'paths',
  ): (link: LinkUrl) => Component | undefined {
    let rules = cache.get(pattern);
    if (rules === undefined) {
      rules = compileApple(loaded.document, appId, form);
      cache.set(pattern, rules);
    }
    return rules;
  }

  #web(link: LinkUrl, web: NonNullable<AskFacts['web']>, telling: Telling): PlatformAnswer {
    const steps = new Steps(telling);
    const done = (opens: Opener, rule: string, location?: Location): PlatformAnswer => ({
      opens,
      rule,
      ...(location ? { location } : {}),
      steps: steps.list,
    });
    if (withinScope(link, web.scope)) {
      steps.add(true, () => `it lies in the manifest’s scope ${web.scope.href}`, { file: web.manifest });
      return done('app', `scope ${web.scope.pathname}`);
    }
    steps.add(false, () => `it lies outside of the manifest’s scope ${web.scope.href}`, {
      file: web.manifest,
    });
    const extension = web.extensions.find((one) => extensionMatches(one, link));
    if (extension === undefined) {
      steps.add(false, () => `no scope_extensions name ${link.url.origin}`, { file: web.manifest });
      return done('browser', 'outside of the scope');
    }
    const { hostname } = extension.origin;
    steps.add(true, () => `scope_extensions name ${extension.origin.origin}`, { file: web.manifest });
    const loaded = web.documents.get(hostname);
    if (loaded === undefined || loaded.broken !== undefined) {
      const why = loaded?.broken ?? `https://${hostname}${ORIGIN_PATH} is not there`;
      steps.add(false, () => why, loaded?.location);
      return done('browser', why, loaded?.location);
    }
    const claim = loaded.document.apps.find(({ id }) => id === web.id);
    if (claim === undefined) {
      steps.add(false, () => `the document does not name ${web.id}`, loaded.location);
      return done('browser', 'the document names other web apps', loaded.location);
    }
    const location = this.#placeOf(loaded, claim.pointer);
    const inside = link.url.pathname.startsWith(claim.scope);
    steps.add(inside, () => `the document lends ${web.id} the paths below ${claim.scope}`, location);
    return done(inside ? 'app' : 'browser', `scope ${claim.scope} of ${hostname}`, location);
  }
}

/** What a host's document says of an app, whatever the link. */
function judgeAndroidHost(host: string, android: NonNullable<AskFacts['android']>): AndroidHost {
  const loaded = android.documents.get(host);
  const no = (why: string): AndroidHost => ({
    loaded,
    statement: undefined,
    verified: false,
    why,
    dynamic: undefined,
  });
  if (loaded === undefined) return no(`https://${host}${ASSET_LINKS_PATH} is not there`);
  if (loaded.broken !== undefined) return no(loaded.broken);
  const { certificates, packageName } = android;
  const ofApp = loaded.document.statements.filter(
    (one) => one.packageName === packageName && one.relations.includes(LINK_RELATION),
  );
  if (ofApp.length === 0) return no(`the document does not name ${packageName} for links`);
  const statement = ofApp.find(
    ({ fingerprints }) =>
      certificates === undefined || certificates.some((one) => fingerprints.includes(one)),
  );
  if (statement === undefined) return no('the document names no certificate of the app');
  return {
    loaded,
    statement,
    verified: true,
    why: `the document names ${packageName}${certificates === undefined ? '' : ' with its certificate'}`,
    dynamic: statement.dynamic && compileComponents(statement.dynamic),
  };
}
