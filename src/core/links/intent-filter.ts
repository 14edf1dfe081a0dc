import { GROUPS_SINCE, SUFFIX_SINCE } from './levels.js';
import { type LinkUrl, lenientDecode } from './link-url.js';
import { type PatternKind, patternMatcherMatches, patternPrefix } from './pattern-matcher.js';
import { RuleIndex } from './rule-index.js';

/** One comparison of an intent filter. */
export interface FilterPart {
  readonly part: 'path' | 'query' | 'fragment';
  readonly kind: PatternKind;
  readonly text: string;
  /** API levels that have it, where not all have: from the first on, up to the one before the second. */
  readonly since?: number;
  readonly before?: number;
}

/** An intent filter for links, as the platform takes it apart (android.content.IntentFilter). */
export interface LinkFilter {
  readonly autoVerify: boolean;
  /** Whether links are sent to it: a VIEW action with the categories DEFAULT and BROWSABLE. */
  readonly forLinks: boolean;
  readonly schemes: readonly string[];
  /** `*` at the left stands for any run of characters. */
  readonly hosts: readonly { readonly host: string; readonly port?: number }[];
  readonly paths: readonly FilterPart[];
  /** Tried in order from API 35 on: the first whose parts all match decides (android.content.UriRelativeFilterGroup). */
  readonly groups: readonly { readonly allow: boolean; readonly parts: readonly FilterPart[] }[];
}

/** A comparison as people write it: `*` for any run of characters. */
export function partText({ part, kind, text }: FilterPart): string {
  const shown = { prefix: `${text}*`, suffix: `*${text}`, literal: text, simple: text, advanced: text }[kind];
  return `${{ path: '', query: '?', fragment: '#' }[part]}${shown}`;
}

/** What a filter says to a link. */
export interface FilterVerdict {
  readonly matches: boolean;
  readonly why: 'scheme' | 'host' | 'port' | 'whole-host' | 'path' | 'group' | 'nothing';
  /** The path or the group that decided, by its place in the filter. */
  readonly by?: number;
}

const isThere = ({ kind, since = 0, before = Number.POSITIVE_INFINITY }: FilterPart, level: number) =>
  level >= since && level < before && (level >= SUFFIX_SINCE || (kind !== 'suffix' && kind !== 'advanced'));

function authorityMatches(filter: LinkFilter, link: LinkUrl): 'yes' | 'host' | 'port' {
  let observed: 'host' | 'port' = 'host';
  for (const { host, port } of filter.hosts) {
    const wanted = host.toLowerCase();
    const holds = wanted.startsWith('*') ? link.host.endsWith(wanted.slice(1)) : link.host === wanted;
    if (!holds) continue;
    if (port === undefined || port === link.port) return 'yes';
    observed = 'port';
  }
  return observed;
}

/** One part against a link, as android.content.UriRelativeFilter has it: all of them are compared decoded. */
function partMatches({ part, kind, text }: FilterPart, link: LinkUrl): boolean {
  if (part === 'path') return patternMatcherMatches(kind, text, link.decodedPath);
  if (part === 'fragment') {
    return link.fragment !== undefined && patternMatcherMatches(kind, text, lenientDecode(link.fragment));
  }
  if (link.query === undefined) return false;
  const query = lenientDecode(link.query);
  const items = query.split('&');
  return (items.length === 1 ? query.split(';') : items).some((item) =>
    patternMatcherMatches(kind, text, item),
  );
}

/** A filter as devices of one API level match it (android.content.IntentFilter, "matchData"). */
export function compileFilter(filter: LinkFilter, level: number): (link: LinkUrl) => FilterVerdict {
  const paths = filter.paths
    .map((part, index) => ({ part, index, prefix: patternPrefix(part.kind, part.text) }))
    .filter(({ part }) => isThere(part, level));
  const groups =
    level < GROUPS_SINCE
      ? []
      : filter.groups.map((group, index) => {
          const path = group.parts.find(({ part }) => part === 'path');
          return { group, index, prefix: path ? patternPrefix(path.kind, path.text) : '' };
        });
  const pathIndex = new RuleIndex(paths);
  const groupIndex = new RuleIndex(groups);
  return (link) => {
    if (!filter.schemes.includes(link.scheme)) return { matches: false, why: 'scheme' };
    const authority = authorityMatches(filter, link);
    if (authority !== 'yes') return { matches: false, why: authority };
    if (paths.length === 0 && groups.length === 0) return { matches: true, why: 'whole-host' };
    const path = pathIndex.first(link.decodedPath, ({ part }) => partMatches(part, link));
    if (path) return { matches: true, why: 'path', by: path.index };
    const found = groupIndex.first(
      link.decodedPath,
      ({ group }) => group.parts.length > 0 && group.parts.every((part) => partMatches(part, link)),
    );
    if (found) return { matches: found.group.allow, why: 'group', by: found.index };
    return { matches: false, why: 'nothing' };
  };
}
