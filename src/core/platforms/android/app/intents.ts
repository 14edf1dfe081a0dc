import type { AppShareTarget } from '../../../app/entry.js';
import type { XmlElement } from '../../../formats/axml/types.js';
import type { ResourceValue } from '../../../formats/string-pool/value.js';
import type { FilterPart, LinkFilter } from '../../../links/intent-filter.js';
import { GROUPS_SINCE } from '../../../links/levels.js';
import { lenientDecode } from '../../../links/link-url.js';
import { type AppLink, excludedFirst, type PathRule, sayMoreThanPaths } from '../../../links/links.js';
import type { PatternKind } from '../../../links/pattern-matcher.js';
import { MEDIA_TYPES } from '../../../site/media-types.js';
import type { AttributeName } from './attributes.js';
import { android, element } from './xml.js';

const VIEW = 'android.intent.action.VIEW';
const categories = (...names: string[]) =>
  names.map((name) => element('category', [android('name', `android.intent.category.${name}`)]));
const action = (name: string) => element('action', [android('name', name)]);

/** Characters that mean something in the platform's simple patterns (`PatternMatcher.PATTERN_SIMPLE_GLOB`). */
const escapeGlob = (text: string) => text.replaceAll(/[\\.*]/g, '\\$&');

type Comparison = Pick<FilterPart, 'kind' | 'text'>;

/** A text with `*` as the comparison that matches the same, as narrow as the platform has it; texts are compared decoded. */
function comparison(pattern: string): Comparison {
  const parts = pattern.split('*').map(lenientDecode);
  if (parts.length === 1) return { kind: 'literal', text: parts[0] as string };
  if (parts.length === 2 && parts[1] === '') return { kind: 'prefix', text: parts[0] as string };
  return { kind: 'simple', text: parts.map(escapeGlob).join('.*') };
}

/** What is before a text, and the text's pattern; one that is only `*` is one letter at least. */
function textComparison(before: string, pattern: string): Comparison {
  return pattern === '*'
    ? { kind: 'simple', text: `${escapeGlob(lenientDecode(before))}..*` }
    : comparison(`${before}${pattern}`);
}

function partsOf({ pattern, query = [], fragment }: PathRule): FilterPart[] {
  return [
    { part: 'path', ...comparison(pattern) },
    ...query.map(([name, value]): FilterPart => ({ part: 'query', ...textComparison(`${name}=`, value) })),
    ...(fragment === undefined ? [] : [{ part: 'fragment' as const, ...textComparison('', fragment) }]),
  ];
}

/** No path of a link begins so: what stands for it matches nothing. */
export const NO_PATH = '-';

/**
 * The filter for links of one host. Queries, fragments and what is left out can only be said from API 35 on, in relative
 * filter groups. A path outside of a group matches there too, whatever the groups say; so such paths count before
 * API 35 alone, where the shell itself hands to the browser what is left out.
 */
export function buildLinkFilter({ host, rules }: AppLink): LinkFilter {
  const graded = sayMoreThanPaths(rules);
  const allowed = rules.filter(({ allow }) => allow);
  const paths = [...new Set(allowed.map(({ pattern }) => pattern))].map(
    (pattern): FilterPart => ({
      part: 'path',
      ...comparison(pattern),
      ...(graded ? { before: GROUPS_SINCE } : {}),
    }),
  );
  return {
    autoVerify: true,
    forLinks: true,
    schemes: ['https'],
    hosts: [{ host }],
    paths: [...paths, ...(graded ? paths.map(({ kind }) => noPath(kind)) : [])],
    groups: graded ? excludedFirst(rules).map((rule) => ({ allow: rule.allow, parts: partsOf(rule) })) : [],
  };
}

const noPath = (kind: FilterPart['kind']): FilterPart => ({
  part: 'path',
  kind,
  text: NO_PATH,
  since: GROUPS_SINCE,
});

/** Paths that count before API 35 alone, in the order in which the resources have them. */
export function legacyPaths(links: readonly AppLink[]): string[] {
  const texts = links.flatMap((link) =>
    buildLinkFilter(link).paths.flatMap(({ before, text }) => (before === undefined ? [] : [text])),
  );
  return [...new Set(texts)];
}

const ENDINGS: Readonly<Record<PatternKind, string>> = {
  literal: '',
  prefix: 'Prefix',
  simple: 'Pattern',
  suffix: 'Suffix',
  advanced: 'AdvancedPattern',
};

/** The manifest's attribute for a comparison. */
export function partAttribute({ part, kind }: Pick<FilterPart, 'part' | 'kind'>): AttributeName {
  return `${part}${ENDINGS[kind]}` as AttributeName;
}

function linkFilter(link: AppLink, graded: (text: string) => ResourceValue): XmlElement {
  const { hosts, paths, groups } = buildLinkFilter(link);
  const data = (part: FilterPart, value: ResourceValue | string) =>
    element('data', [android(partAttribute(part), value)]);
  return element(
    'intent-filter',
    [android('autoVerify', true)],
    [
      action(VIEW),
      ...categories('DEFAULT', 'BROWSABLE'),
      element('data', [android('scheme', 'https')]),
      ...hosts.map(({ host }) => element('data', [android('host', host)])),
      ...paths
        .filter(({ since }) => since === undefined)
        .map((part) => data(part, part.before === undefined ? part.text : graded(part.text))),
      ...groups.map(({ allow, parts }) =>
        element(
          'uri-relative-filter-group',
          [android('allow', allow)],
          parts.map((part) => data(part, part.text)),
        ),
      ),
    ],
  );
}

/** @param graded the resource of one of {@link gradedPaths} */
export function linkFilters(
  links: readonly AppLink[],
  graded: (text: string) => ResourceValue,
): XmlElement[] {
  return links.map((link) => linkFilter(link, graded));
}

/** A filter for addresses of the app's own scheme. */
export function schemeFilter(scheme: string): XmlElement {
  return element(
    'intent-filter',
    [],
    [action(VIEW), ...categories('DEFAULT', 'BROWSABLE'), element('data', [android('scheme', scheme)])],
  );
}

/** Types that other apps share and that no page is served with, by their endings. */
const SHARED_TYPES: Readonly<Record<string, string>> = {
  doc: 'application/msword',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  gpx: 'application/gpx+xml',
  vcf: 'text/x-vcard',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
};

/** The MIME type of what a share target accepts: a type, or a file name ending (Web Share Target, "accept"). */
function typeOf(accept: string): string {
  const text = accept.toLowerCase();
  if (!text.startsWith('.')) return text;
  return MEDIA_TYPES[text.slice(1)] ?? SHARED_TYPES[text.slice(1)] ?? '*/*';
}

/** Filters for what other apps share: texts and addresses, and files where the target takes them. */
export function shareFilters(share: AppShareTarget): XmlElement[] {
  const types = [...new Set(share.files.flatMap(({ accept }) => accept.map(typeOf)))].sort();
  const takesText = share.title !== undefined || share.text !== undefined || share.url !== undefined;
  const data = (list: readonly string[]) => list.map((type) => element('data', [android('mimeType', type)]));
  const one = [
    ...(takesText ? ['text/plain'] : []),
    ...types.filter((type) => type !== 'text/plain' || !takesText),
  ];
  const filter = (name: string, list: readonly string[]) =>
    element(
      'intent-filter',
      [],
      [action(`android.intent.action.${name}`), ...categories('DEFAULT'), ...data(list)],
    );
  return [
    ...(one.length > 0 ? [filter('SEND', one)] : []),
    ...(types.length > 0 ? [filter('SEND_MULTIPLE', types)] : []),
  ];
}
