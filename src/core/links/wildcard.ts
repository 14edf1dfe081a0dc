/**
 * Patterns with `*` for any run of characters and `?` for one (so `?*` is one or more), and `$(name)` for one of several
 * texts: the pattern language of Apple App Site Association ("components", "substitution variables") and of the dynamic
 * rules of Digital Asset Links. Matching takes time in proportion to pattern times text, whatever both hold.
 */
export interface Wildcard {
  /** What every match begins with; empty where that depends on the case of letters. */
  readonly prefix: string;
  test(text: string): boolean;
}

export interface WildcardOptions {
  readonly caseSensitive: boolean;
  /** Texts by the variable's name; these may hold wildcards, and no variables. */
  readonly variables?: ReadonlyMap<string, readonly string[]>;
}

type Token =
  | { readonly is: 'text'; readonly text: string }
  | { readonly is: 'one' }
  | { readonly is: 'any' }
  | { readonly is: 'choice'; readonly choices: readonly (readonly Token[])[] };

/** A variable's name: anything but the signs that end it. */
const VARIABLE = /\$\(([^$()]*)\)/g;

function plainTokens(pattern: string): Token[] {
  const tokens: Token[] = [];
  for (const part of pattern.match(/\*+|\?|[^*?]+/g) ?? []) {
    if (part.startsWith('*')) tokens.push({ is: 'any' });
    else if (part === '?') tokens.push({ is: 'one' });
    else tokens.push({ is: 'text', text: part });
  }
  return tokens;
}

function tokensOf(pattern: string, variables: WildcardOptions['variables']): Token[] {
  const tokens: Token[] = [];
  let end = 0;
  for (const match of pattern.matchAll(VARIABLE)) {
    const values = variables?.get(match[1] as string);
    if (values === undefined) continue; // an unknown variable is its own text
    tokens.push(...plainTokens(pattern.slice(end, match.index)));
    tokens.push({ is: 'choice', choices: values.map(plainTokens) });
    end = match.index + match[0].length;
  }
  tokens.push(...plainTokens(pattern.slice(end)));
  return tokens;
}

/** Names of variables that a pattern uses. */
export function variablesIn(pattern: string): string[] {
  return [...pattern.matchAll(VARIABLE)].map((match) => match[1] as string);
}

/** Every place in a text at which a list of tokens may end, from every place at which it may begin. */
function ends(tokens: readonly Token[], text: string, starts: ReadonlySet<number>): Set<number> {
  let at = new Set(starts);
  for (const token of tokens) {
    const next = new Set<number>();
    if (token.is === 'any') {
      let first = Number.POSITIVE_INFINITY;
      for (const location of at) first = Math.min(first, location);
      for (let location = first; location <= text.length; location += 1) next.add(location);
    } else if (token.is === 'one') {
      for (const location of at) if (location < text.length) next.add(location + 1);
    } else if (token.is === 'text') {
      for (const location of at)
        if (text.startsWith(token.text, location)) next.add(location + token.text.length);
    } else {
      for (const choice of token.choices) for (const location of ends(choice, text, at)) next.add(location);
    }
    if (next.size === 0) return next;
    at = next;
  }
  return at;
}

/** A pattern of texts and `*` alone: the first text begins it, the last ends it, the others follow each other. */
function testRuns(parts: readonly string[], text: string): boolean {
  const first = parts[0] as string;
  const last = parts[parts.length - 1] as string;
  if (text.length < first.length + last.length) return false;
  if (!text.startsWith(first) || !text.endsWith(last)) return false;
  let at = first.length;
  const end = text.length - last.length;
  for (let index = 1; index < parts.length - 1; index += 1) {
    const part = parts[index] as string;
    const found = text.indexOf(part, at);
    if (found === -1 || found + part.length > end) return false;
    at = found + part.length;
  }
  return true;
}

export function compileWildcard(given: string, options: WildcardOptions): Wildcard {
  const fold = (text: string) => (options.caseSensitive ? text : text.toLowerCase());
  const variables =
    options.variables &&
    new Map([...options.variables].map(([name, values]) => [name, values.map(fold)] as const));
  const hasVariable = variablesIn(given).some((name) => variables?.has(name));
  const pattern = hasVariable ? given : fold(given);
  const test = (matches: (text: string) => boolean) =>
    options.caseSensitive ? matches : (text: string) => matches(text.toLowerCase());
  const prefix = options.caseSensitive ? (/^[^*?$]*/.exec(pattern)?.[0] ?? '') : '';
  if (!hasVariable && !pattern.includes('?')) {
    if (!pattern.includes('*')) return { prefix, test: test((text) => text === pattern) };
    if (/^\*+$/.test(pattern)) return { prefix: '', test: () => true };
    const parts = pattern.split(/\*+/);
    return { prefix, test: test((text) => testRuns(parts, text)) };
  }
  const tokens = tokensOf(pattern, variables).map((token) =>
    token.is === 'text' ? { ...token, text: fold(token.text) } : token,
  );
  return { prefix, test: test((text) => ends(tokens, text, new Set([0])).has(text.length)) };
}
