/** Custom properties by name. */
export interface Variables {
  get(name: string): string | undefined;
}

/** A value with its `var()` references put in (CSS Custom Properties, section 3), as far as they are known. */
export function withVariables(value: string, variables: Variables, depth = 0): string {
  if (!value.includes('var(') || depth > 8) return value;
  const put = value.replaceAll(
    /var\(\s*(--[\w-]+)\s*(?:,([^()]*(?:\([^()]*\)[^()]*)*))?\)/g,
    (all, name, fallback) => {
      return variables.get(name as string) ?? (fallback as string | undefined)?.trim() ?? all;
    },
  );
  return put === value ? value : withVariables(put, variables, depth + 1);
}

const UNITS: Readonly<Record<string, number>> = { px: 1, rem: 16, em: 16, pt: 4 / 3, '': 1 };

/**
 * A length in CSS px: plain lengths, and sums in `calc()`. Safe-area insets count as 0, their least value.
 * `undefined` where it depends on something else (percentages, viewport units).
 */
export function pixels(given: string): number | undefined {
  const value = given
    .replaceAll(/env\(\s*safe-area-inset-\w+\s*(,[^()]*)?\)/g, '0px')
    .replaceAll('calc', '')
    .trim();
  if (/^(auto|none|initial|unset|inherit)$/.test(value) || value === '') return undefined;
  const terms = value
    .replaceAll(/[()]/g, ' ')
    .trim()
    .split(/\s+(?=[+-]\s)/);
  let sum = 0;
  for (const term of terms) {
    const match = /^([+-]?)\s*(-?\d*\.?\d+)(px|rem|em|pt|)$/.exec(term.trim());
    if (!match) return undefined;
    const size = Number(match[2]) * (UNITS[match[3] ?? ''] as number);
    sum += match[1] === '-' ? -size : size;
  }
  return sum;
}

/** The parts of a shorthand value; brackets stay whole. */
export function valueParts(value: string): string[] {
  const parts: string[] = [];
  let depth = 0;
  let start = 0;
  for (let i = 0; i <= value.length; i += 1) {
    const c = value[i];
    if (c === '(') depth += 1;
    else if (c === ')') depth -= 1;
    else if ((c === undefined || /\s/.test(c)) && depth === 0) {
      if (i > start) parts.push(value.slice(start, i));
      start = i + 1;
    }
  }
  return parts;
}

/** The four sides of a box shorthand: top, right, bottom, left (CSS Box Model, section 3.2). */
export function boxSides(value: string): [string, string, string, string] {
  const [top = '0', right = top, bottom = top, left = right] = valueParts(value);
  return [top, right, bottom, left];
}
