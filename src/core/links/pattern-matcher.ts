/** How a text of an intent filter is compared (android.os.PatternMatcher). */
export type PatternKind = 'literal' | 'prefix' | 'simple' | 'suffix' | 'advanced';

/** Whether a pattern of the Android framework matches (android.os.PatternMatcher, "match"). */
export function patternMatcherMatches(kind: PatternKind, pattern: string, text: string): boolean {
  switch (kind) {
    case 'literal':
      return text === pattern;
    case 'prefix':
      return text.startsWith(pattern);
    case 'suffix':
      return text.endsWith(pattern);
    case 'simple':
      return simpleMatches(pattern, text);
    default:
      return advancedMatches(pattern, text);
  }
}

/** A letter of a simple pattern, and whether a backslash is before it. */
interface SimpleLetter {
  readonly letter: string;
  readonly escaped: boolean;
}

/**
 * The framework's simple patterns ("PATTERN_SIMPLE_GLOB"): `.` is any character, `*` repeats what is before it. They
 * never go back: `.*` ends where its next character first is. A point stays any character even behind a backslash,
 * unless a `*` follows.
 */
function simpleMatches(pattern: string, text: string): boolean {
  if (pattern === '') return text === '';
  let p = 0;
  let t = 0;
  const at = (index: number) => (index < pattern.length ? (pattern[index] as string) : '\0');
  while (p < pattern.length && t < text.length) {
    const { letter, escaped }: SimpleLetter =
      pattern[p] === '\\' ? { letter: at(p + 1), escaped: true } : { letter: at(p), escaped: false };
    p += escaped ? 2 : 1;
    if (at(p) !== '*') {
      if (letter !== '.' && text[t] !== letter) return false;
      t += 1;
    } else if (!escaped && letter === '.') {
      if (p >= pattern.length - 1) return true;
      p += 1;
      if (at(p) === '\\') p += 1;
      const found = text.indexOf(at(p), t);
      if (found === -1) return false;
      t = found + 1;
      p += 1;
    } else {
      while (t < text.length && text[t] === letter) t += 1;
      p += 1;
    }
  }
  if (p >= pattern.length && t >= text.length) return true;
  return p === pattern.length - 2 && pattern.endsWith('.*');
}

interface AdvancedToken {
  readonly holds: (letter: string) => boolean;
  readonly least: number;
  readonly most: number;
}

/** The letters between brackets, one a match: a backslash before one makes it plain. */
function setLetters(body: string): { readonly letter: string; readonly plain: boolean }[] {
  return [...body.matchAll(/\\?([\s\S])/g)].map((match) => ({
    letter: match[1] as string,
    plain: match[0].length > 1,
  }));
}

function readSet(body: string): AdvancedToken['holds'] {
  const inverse = body.startsWith('^');
  const letters = setLetters(inverse ? body.slice(1) : body);
  const ranges: [string, string][] = [];
  for (let i = 0; i < letters.length; i += 1) {
    const from = letters[i]?.letter as string;
    const dash = letters[i + 1];
    const to = letters[i + 2];
    if (dash?.letter === '-' && !dash.plain && to) {
      ranges.push([from, to.letter]);
      i += 2;
    } else ranges.push([from, from]);
  }
  return (letter) => ranges.some(([from, to]) => letter >= from && letter <= to) !== inverse;
}

/** The tokens of an advanced pattern; `undefined` where the framework would refuse it. */
function advancedTokens(pattern: string): AdvancedToken[] | undefined {
  const tokens: AdvancedToken[] = [];
  let i = 0;
  while (i < pattern.length) {
    const letter = pattern[i] as string;
    let holds: AdvancedToken['holds'];
    if (letter === '[') {
      const end = pattern.indexOf(']', pattern[i + 1] === '^' ? i + 3 : i + 2);
      if (end === -1) return undefined;
      holds = readSet(pattern.slice(i + 1, end));
      i = end + 1;
    } else if (letter === '.') {
      holds = () => true;
      i += 1;
    } else {
      if ('*+{}]'.includes(letter)) return undefined;
      const literal = letter === '\\' ? pattern[i + 1] : letter;
      if (literal === undefined) return undefined;
      holds = (other) => other === literal;
      i += letter === '\\' ? 2 : 1;
    }
    let [least, most] = [1, 1];
    const count = /^(?:\*|\+|\{(\d*)(?:(,)(\d*))?\})/.exec(pattern.slice(i));
    if (count !== null) {
      const [all, from = '', comma, to = ''] = count;
      if (all === '*') [least, most] = [0, Number.POSITIVE_INFINITY];
      else if (all === '+') [least, most] = [1, Number.POSITIVE_INFINITY];
      else {
        least = from === '' ? 0 : Number(from);
        most = comma === undefined ? least : to === '' ? Number.POSITIVE_INFINITY : Number(to);
      }
      i += all.length;
    }
    tokens.push({ holds, least, most });
  }
  return tokens;
}

/** The framework's advanced patterns: sets, ranges and counts; each takes as much as it can, and none gives back. */
function advancedMatches(pattern: string, text: string): boolean {
  const tokens = advancedTokens(pattern);
  if (tokens === undefined) return false;
  let t = 0;
  for (const { holds, least, most } of tokens) {
    let taken = 0;
    while (taken < most && t < text.length && holds(text[t] as string)) {
      t += 1;
      taken += 1;
    }
    if (taken < least) return false;
  }
  return t >= text.length;
}

/** What every match of a pattern begins with. */
export function patternPrefix(kind: PatternKind, pattern: string): string {
  if (kind === 'literal' || kind === 'prefix') return pattern;
  if (kind !== 'simple') return '';
  const plain = /^[^\\.*]*/.exec(pattern)?.[0] ?? '';
  // A letter before a star may be missing.
  return pattern[plain.length] === '*' ? plain.slice(0, -1) : plain;
}
