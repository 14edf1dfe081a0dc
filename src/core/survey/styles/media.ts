import { all, any, type Match, opposite } from './match.js';

/** The phone that style rules are judged for: CSS px in portrait, no mouse, the app in a window of its own. */
export const PHONE = { width: 393, height: 852, ratio: 3 } as const;

export type Scheme = 'light' | 'dark';

const known = (holds: boolean): Match => (holds ? 'yes' : 'no');

/** Splits at a word or a sign that is in no brackets. */
function splitOutside(text: string, separator: RegExp): string[] {
  const parts: string[] = [];
  let depth = 0;
  let start = 0;
  for (let offset = 0; offset < text.length; offset += 1) {
    const c = text[offset];
    if (c === '(') depth += 1;
    else if (c === ')') depth -= 1;
    else if (depth === 0) {
      separator.lastIndex = offset;
      const match = separator.exec(text);
      if (!match) continue;
      parts.push(text.slice(start, offset));
      start = offset + match[0].length;
      offset = start - 1;
    }
  }
  parts.push(text.slice(start));
  return parts.map((part) => part.trim()).filter((part) => part !== '');
}

/** A length or number of a media feature in CSS px (Media Queries Level 4, section 1.3). */
function size(text: string): number | undefined {
  const match = /^(\d*\.?\d+)(px|em|rem|cm|mm|in|pt|)$/.exec(text.trim());
  if (!match) return undefined;
  const unit = { px: 1, em: 16, rem: 16, cm: 37.8, mm: 3.78, in: 96, pt: 4 / 3, '': 1 }[match[2] ?? ''] ?? 1;
  return Number(match[1]) * unit;
}

const SIZES: Readonly<Record<string, number>> = {
  width: PHONE.width,
  'device-width': PHONE.width,
  height: PHONE.height,
  'device-height': PHONE.height,
};

const WORDS: Readonly<Record<string, (value: string, scheme: Scheme) => Match>> = {
  'prefers-color-scheme': (value, scheme) => known(value === scheme),
  orientation: (value) => known(value === 'portrait'),
  hover: (value) => known(value === 'none'),
  'any-hover': (value) => known(value === 'none'),
  pointer: (value) => known(value === 'coarse'),
  'any-pointer': (value) => known(value === 'coarse'),
  'display-mode': (value) =>
    value === 'standalone' ? 'yes' : /^(fullscreen|minimal-ui)$/.test(value) ? 'maybe' : 'no',
  'prefers-reduced-motion': (value) => known(value === 'no-preference'),
  'prefers-contrast': (value) => known(value === 'no-preference'),
  'prefers-reduced-transparency': (value) => known(value === 'no-preference'),
  'prefers-reduced-data': (value) => known(value === 'no-preference'),
  'forced-colors': (value) => known(value === 'none'),
  'inverted-colors': (value) => known(value === 'none'),
  scripting: (value) => known(value === 'enabled'),
  update: (value) => known(value === 'fast'),
  grid: (value) => known(value === '0'),
};

function compare(left: number, sign: string, right: number): boolean {
  if (sign === '<') return left < right;
  if (sign === '<=') return left <= right;
  if (sign === '>') return left > right;
  if (sign === '>=') return left >= right;
  return left === right;
}

/** One feature in brackets, in its plain form or as a range (Media Queries Level 4, section 2.4). */
function feature(text: string, scheme: Scheme): Match {
  const named = /^(-webkit-)?(min-|max-)?([\w-]+)\s*:\s*(.+)$/.exec(text);
  if (named) {
    const [, , bound, name = '', value = ''] = named;
    const word = WORDS[name];
    if (word && bound === undefined) return word(value.trim(), scheme);
    const own = SIZES[name];
    const given = size(value);
    if (own !== undefined && given !== undefined)
      return known(compare(own, bound === 'min-' ? '>=' : bound === 'max-' ? '<=' : '=', given));
    if (name === 'device-pixel-ratio' && given !== undefined)
      return known(compare(PHONE.ratio, bound === 'min-' ? '>=' : bound === 'max-' ? '<=' : '=', given));
    return 'maybe';
  }
  const range = /^(?:([^<>=]+?)\s*(<=?|>=?|=)\s*)?([\w-]+)(?:\s*(<=?|>=?|=)\s*([^<>=]+))?$/.exec(text);
  if (!range) return 'maybe';
  const [, before, firstSign, name = '', secondSign, after] = range;
  if (before === undefined && after === undefined) {
    // A feature alone holds where it is neither 0 nor none.
    if (name === 'hover' || name === 'any-hover') return 'no';
    return SIZES[name] !== undefined || name === 'color' || name === 'pointer' ? 'yes' : 'maybe';
  }
  // `width >= 400px` is read by the pattern as `400px <= width` is.
  const first = SIZES[before?.trim() ?? ''];
  if (first !== undefined && firstSign !== undefined && after === undefined) {
    const given = size(name);
    return given === undefined ? 'maybe' : known(compare(first, firstSign, given));
  }
  const own = SIZES[name];
  if (own === undefined) return 'maybe';
  const results: Match[] = [];
  for (const [value, sign, isLeft] of [
    [before, firstSign, true],
    [after, secondSign, false],
  ] as const) {
    if (value === undefined || sign === undefined) continue;
    const given = size(value);
    if (given === undefined) return 'maybe';
    results.push(known(isLeft ? compare(given, sign, own) : compare(own, sign, given)));
  }
  return all(results);
}

const AND = /\s+and\s+/y;
const OR = /\s+or\s+/y;

function condition(text: string, scheme: Scheme): Match {
  const bare = text.trim();
  // Before a media type `not` is about the whole query (section 3.2).
  if (/^not\s+[a-z]/.test(bare)) return opposite(condition(bare.slice(3), scheme));
  const ors = splitOutside(bare, OR);
  if (ors.length > 1) return any(ors.map((part) => condition(part, scheme)));
  const ands = splitOutside(bare, AND);
  if (ands.length > 1) return all(ands.map((part) => condition(part, scheme)));
  if (/^not\b/.test(bare)) return opposite(condition(bare.slice(3), scheme));
  if (/^only\b/.test(bare)) return condition(bare.slice(4), scheme);
  if (bare.startsWith('(') && bare.endsWith(')')) {
    const inner = bare.slice(1, -1).trim();
    return /^\(|^not\b/.test(inner) ? condition(inner, scheme) : feature(inner, scheme);
  }
  if (bare === 'all' || bare === 'screen') return 'yes';
  return /^(print|speech|tty|tv|projection|handheld|braille|embossed|aural)$/.test(bare) ? 'no' : 'maybe';
}

/** Whether a media query list holds on the phone that rules are judged for (Media Queries Level 4). */
export function matchMedia(list: string, scheme: Scheme): Match {
  const text = list.toLowerCase().trim();
  if (text === '') return 'yes';
  return any(splitOutside(text, /,/y).map((part) => condition(part, scheme)));
}

/** Whether what at-rules around a rule demand holds; `conditions` as a style sheet's reader gives them. */
export function matchConditions(conditions: readonly string[], scheme: Scheme): Match {
  return all(
    conditions.map((text): Match => {
      const match = /^@([\w-]+)\s*(.*)$/s.exec(text);
      const prelude = match?.[2] ?? '';
      if (match?.[1] === 'media') return matchMedia(prelude, scheme);
      // The engines of current devices support what sheets ask for; what they do not, sheets ask for with `not`.
      if (match?.[1] === 'supports') return /^\s*not\b/i.test(prelude) ? 'no' : 'yes';
      return match?.[1] === 'layer' ? 'yes' : 'maybe';
    }),
  );
}
