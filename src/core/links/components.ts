import { type LinkUrl, lenientDecode, normalizeEncoding } from './link-url.js';
import { type IndexedRule, RuleIndex } from './rule-index.js';
import { compileWildcard, type Wildcard } from './wildcard.js';

/**
 * One entry of a list in which the first match decides: `components` of Apple App Site Association
 * ("applinks.Details.Components"), `paths` of its older form, and the dynamic rules of Digital Asset Links.
 */
export interface Component {
  readonly path?: string;
  /** One pattern for the whole query, or one for each name. */
  readonly query?: string | ReadonlyMap<string, string>;
  readonly fragment?: string;
  readonly exclude: boolean;
  readonly comment?: string;
  readonly caseSensitive: boolean;
  /** Whether the patterns are percent-encoded themselves; else what they are compared with is decoded. */
  readonly percentEncoded: boolean;
  /** Whether a query item that is not there counts as an empty one. */
  readonly missingIsEmpty: boolean;
  /** Where it is in its document (JSON pointer). */
  readonly pointer: string;
}

interface Compiled extends IndexedRule {
  readonly component: Component;
  readonly path: Wildcard | undefined;
  readonly query: Wildcard | readonly (readonly [string, Wildcard])[] | undefined;
  readonly fragment: Wildcard | undefined;
}

function compile(component: Component, variables: ReadonlyMap<string, readonly string[]>): Compiled {
  const { caseSensitive, percentEncoded } = component;
  const one = (pattern: string | undefined) =>
    pattern === undefined
      ? undefined
      : compileWildcard(percentEncoded ? normalizeEncoding(pattern) : pattern, { caseSensitive, variables });
  const path = one(component.path);
  const { query } = component;
  return {
    component,
    path,
    query:
      query === undefined || typeof query === 'string'
        ? one(query)
        : [...query].map(([name, pattern]) => [name, one(pattern) as Wildcard] as const),
    fragment: one(component.fragment),
    // A decoded path is found under what it looks like decoded, which the index does not know.
    prefix: percentEncoded ? (path?.prefix ?? '') : '',
  };
}

function queryHolds({ query, component }: Compiled, link: LinkUrl): boolean {
  if (query === undefined) return true;
  const text = (encoded: string) =>
    component.percentEncoded ? normalizeEncoding(encoded) : lenientDecode(encoded);
  if (!Array.isArray(query)) return (query as Wildcard).test(text(link.query ?? ''));
  return (query as readonly (readonly [string, Wildcard])[]).every(([name, wildcard]) => {
    const values = link.queryItems.flatMap(([key, value]) =>
      key === name || lenientDecode(key) === lenientDecode(name) ? [text(value)] : [],
    );
    if (values.length === 0) return component.missingIsEmpty && wildcard.test('');
    return values.every((value) => wildcard.test(value));
  });
}

function holds(compiled: Compiled, link: LinkUrl): boolean {
  const { component, path, fragment } = compiled;
  const { percentEncoded } = component;
  if (path && !path.test(percentEncoded ? link.path : lenientDecode(link.path))) return false;
  if (!queryHolds(compiled, link)) return false;
  if (fragment === undefined) return true;
  const own = link.fragment ?? '';
  return fragment.test(percentEncoded ? normalizeEncoding(own) : lenientDecode(own));
}

/** Components that are looked through for those that can never match; more would take long to compare. */
const MOST_COMPARED = 500;

/** Components that never decide, since one before them matches whatever they match; each with that one. */
export function unreachable(
  components: readonly Component[],
): { readonly component: Component; readonly by: Component }[] {
  const list = components.slice(0, MOST_COMPARED);
  const wide = list.map((one) =>
    one.query === undefined && one.fragment === undefined && one.path?.includes('$(') !== true
      ? compileWildcard(one.path ?? '*', one)
      : undefined,
  );
  return list.flatMap((component, index) => {
    const path = component.path ?? '*';
    if (path.includes('$(')) return [];
    // Whatever matches these matches all that the pattern does: wildcards meet nothing, and something that no pattern names.
    const samples = [path.replaceAll('*', '').replaceAll('?', '\u0001'), path.replaceAll(/[*?]/g, '\u0001')];
    const at = wide.findIndex(
      (pattern, other) => other < index && samples.every((text) => pattern?.test(text)),
    );
    const by = list[at];
    return by && by.caseSensitive === component.caseSensitive ? [{ component, by }] : [];
  });
}

const NO_VARIABLES: ReadonlyMap<string, readonly string[]> = new Map();

/** A list of components as one function that gives the first that matches. */
export function compileComponents(
  components: readonly Component[],
  variables: ReadonlyMap<string, readonly string[]> = NO_VARIABLES,
): (link: LinkUrl) => Component | undefined {
  const index = new RuleIndex(components.map((component) => compile(component, variables)));
  return (link) => index.first(link.path, (rule) => holds(rule, link))?.component;
}
