import { decodePattern, type LinkUrl, lenientDecode } from './link-url.js';
import { excludedFirst, type PathRule } from './links.js';
import { RuleIndex } from './rule-index.js';
import { compileWildcard, type Wildcard } from './wildcard.js';

interface Compiled {
  readonly rule: PathRule;
  readonly prefix: string;
  readonly path: Wildcard;
  readonly query: readonly (readonly [string, Wildcard])[];
  readonly fragment: Wildcard | undefined;
}

/** A text that has to be there; alone, `*` stands for any that is not empty. */
const textPattern = (pattern: string) =>
  compileWildcard(pattern === '*' ? '?*' : decodePattern(pattern), { caseSensitive: true });

function compile(rule: PathRule): Compiled {
  const path = compileWildcard(decodePattern(rule.pattern), { caseSensitive: true });
  return {
    rule,
    prefix: path.prefix,
    path,
    query: (rule.query ?? []).map(([name, value]) => [lenientDecode(name), textPattern(value)] as const),
    fragment: rule.fragment === undefined ? undefined : textPattern(rule.fragment),
  };
}

function holds({ path, query, fragment }: Compiled, link: LinkUrl, text: string): boolean {
  if (!path.test(text)) return false;
  const hasItems = query.every(([name, value]) => {
    const item = link.queryItems.find(([key]) => lenientDecode(key) === name);
    return item !== undefined && value.test(lenientDecode(item[1].replaceAll('+', ' ')));
  });
  if (!hasItems || fragment === undefined) return hasItems;
  return link.fragment !== undefined && fragment.test(lenientDecode(link.fragment));
}

/**
 * The rule of `hull.json` that decides about a link of one host, as the app itself keeps it (LinkRule.java): what is left
 * out stays out, whatever else matches. `undefined` where none matches.
 */
export function compileHostRules(rules: readonly PathRule[]): (link: LinkUrl) => PathRule | undefined {
  const index = new RuleIndex(excludedFirst(rules).map(compile));
  return (link) => {
    const path = link.decodedPath === '' ? '/' : link.decodedPath;
    return index.first(path, (one) => holds(one, link, path))?.rule;
  };
}
