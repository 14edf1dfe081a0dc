import type { App } from '../app/app.js';
import { HullError } from '../errors.js';
import {
  APPLE_PATH,
  ASSET_LINKS_PATH,
  CREDENTIALS_RELATION,
  LINK_RELATION,
  ORIGIN_PATH,
} from '../links/document-names.js';
import { documentHost } from '../links/host.js';
import { type AppLink, excludedFirst, type PathRule, sayMoreThanPaths } from '../links/links.js';
import type { Project } from '../project/project.js';
import { type AppleClaim, mergeAppleAssociation } from './documents/apple-association.js';
import { type AppClaim, mergeAssetLinks } from './documents/asset-links.js';
import { mergeOriginAssociation } from './documents/origin-association.js';
import type { Signer } from './signers.js';

/** Apps by the IDs under which documents name them. */
export interface AppIds {
  readonly android: string;
  readonly apple: string | undefined;
  readonly clip: string | undefined;
  /** The installed web app's `id`, as an address, where the app is a web app with a manifest. */
  readonly web: string | undefined;
}

export type DocumentKind = 'android' | 'apple' | 'web';

/** A document of a host: where it is served, and how it is made out of what is there. */
export interface PlannedDocument {
  readonly kind: DocumentKind;
  readonly path: string;
  /** @param existing the document's JSON, `undefined` where there is none */
  merge(existing: unknown): unknown;
}

export interface HostPlan {
  /** Host that serves the documents. */
  readonly host: string;
  /** Hosts of links that they speak for: itself, and `*.` for those below it. */
  readonly links: readonly AppLink[];
  readonly documents: readonly PlannedDocument[];
}

/** Members of a component that rules become, in the words that both platforms have for them. */
function componentOf(rule: PathRule, comment: 'comment' | 'comments'): Record<string, unknown> {
  // A value that is only a star is one letter at least; so it is not taken for one that is missing.
  const value = (pattern: string) => (pattern === '*' ? '?*' : pattern);
  return {
    '/': rule.pattern,
    ...(rule.query
      ? { '?': Object.fromEntries(rule.query.map(([name, pattern]) => [name, value(pattern)])) }
      : {}),
    ...(rule.fragment === undefined ? {} : { '#': value(rule.fragment) }),
    ...(rule.allow ? {} : { exclude: true }),
    ...(rule.comment === undefined ? {} : { [comment]: rule.comment }),
  };
}

/** Whether an Apple app runs on devices that read only the older form: before version 13. */
export function wantsOlderForm(project: Project): boolean {
  return Number(project.settings.apple.min_version.split('.')[0]) < 13;
}

/** Rules as `paths`, which know neither queries nor fragments. */
function olderPaths(rules: readonly PathRule[]): string[] {
  return excludedFirst(rules)
    .filter(({ allow, query, fragment }) => !allow || (query === undefined && fragment === undefined))
    .map(({ allow, pattern }) => (allow ? pattern : `NOT ${pattern}`));
}

function androidClaims(app: App, links: readonly AppLink[], signers: readonly Signer[]): AppClaim[] {
  const rules = links[0]?.rules ?? [];
  const relations = [LINK_RELATION, ...(links.some((one) => one.credentials) ? [CREDENTIALS_RELATION] : [])];
  const dynamic = sayMoreThanPaths(rules)
    ? excludedFirst(rules).map((rule) => componentOf(rule, 'comments'))
    : [];
  const claim = (packageName: string, role: (one: Signer) => boolean): AppClaim => ({
    packageName,
    fingerprints: signers.filter(role).map(({ sha256 }) => sha256),
    relations,
    dynamic,
  });
  const released = claim(app.androidId, ({ role }) => role !== 'debug');
  const debug = claim(`${app.androidId}.debug`, ({ role }) => role === 'debug');
  return [released, ...(debug.fingerprints.length === 0 ? [] : [debug])];
}

function appleClaim(project: Project, ids: AppIds, appId: string, links: readonly AppLink[]): AppleClaim {
  const rules = links[0]?.rules ?? [];
  return {
    appId,
    components: excludedFirst(rules).map((rule) => componentOf(rule, 'comment')),
    paths: wantsOlderForm(project) ? olderPaths(rules) : [],
    credentials: links.some((one) => one.credentials),
    clip: ids.clip,
  };
}

/** Refuses two hosts that share a document and want different rules: no document can tell them apart. */
export function checkSameRules(project: Project, links: readonly AppLink[], shared: string): void {
  const [first, ...others] = links;
  const text = (link: AppLink | undefined) => JSON.stringify([link?.rules, link?.credentials]);
  const other = others.find((link) => text(link) !== text(first));
  if (first === undefined || other === undefined) return;
  const index = project.settings.links.findIndex(({ host }) => host === other.host);
  throw new HullError(
    'domains.one-document',
    `${first.host} and ${other.host} have different rules, and one document: ${shared}.`,
    {
      location: project.location(`/links/${Math.max(index, 0)}`),
      fix: 'Give both the same paths; or serve the two hosts from folders of their own: links[].folder.',
    },
  );
}

/**
 * What every host of an app's links has to serve.
 *
 * @throws HullError `domains.none`, `domains.one-document`
 */
export function planDomains(project: Project, app: App, ids: AppIds, signers: readonly Signer[]): HostPlan[] {
  const byHost = new Map<string, AppLink[]>();
  for (const link of app.links) {
    const host = documentHost(link.host);
    byHost.set(host, [...(byHost.get(host) ?? []), link]);
  }
  const own = app.hosted ? app.base.hostname : undefined;
  const isBrowser = project.settings.android.engine === 'browser';
  if (isBrowser && own !== undefined && !byHost.has(own)) byHost.set(own, []);
  if (byHost.size === 0) {
    throw new HullError('domains.none', 'hull.json names no links: there is no host to associate.', {
      location: project.location('/links'),
      fix: `Add "links": [{ "host": "${own ?? 'ferry.saltmarsh.example'}" }]`,
    });
  }
  return [...byHost].map(([host, links]) => {
    checkSameRules(project, links, `the one at https://${host}`);
    const documents: PlannedDocument[] = [
      {
        kind: 'android',
        path: ASSET_LINKS_PATH,
        merge: (existing) => mergeAssetLinks(existing, androidClaims(app, links, signers)),
      },
    ];
    const { apple, web } = ids;
    if (apple !== undefined && links.length > 0) {
      const claim = appleClaim(project, ids, apple, links);
      documents.push({
        kind: 'apple',
        path: APPLE_PATH,
        merge: (existing) => mergeAppleAssociation(existing, claim),
      });
    }
    if (web !== undefined && host !== own && links.length > 0) {
      documents.push({
        kind: 'web',
        path: ORIGIN_PATH,
        merge: (existing) => mergeOriginAssociation(existing, web, '/'),
      });
    }
    return { host, links, documents };
  });
}

/** The app's IDs out of a project. @param web the manifest's `id`, as an address */
export function appIds(project: Project, app: App, web: string | undefined): AppIds {
  const { team, id, clip } = project.settings.apple;
  return {
    android: app.androidId,
    apple: team === undefined ? undefined : `${team}.${id ?? app.id}`,
    clip: team === undefined || clip === undefined ? undefined : `${team}.${clip}`,
    web,
  };
}

/** `scope_extensions` of a manifest: the other hosts whose pages are the web app's (Web App Scope Extensions). */
export function scopeExtensions(app: App): { readonly type: 'origin'; readonly origin: string }[] {
  const own = app.hosted ? app.base.hostname : undefined;
  return app.links
    .filter(({ host }) => host !== own)
    .map(({ host }) => ({ type: 'origin', origin: `https://${host}` }));
}
