/**
 * Nested style rules that begin with anything but `&` (CSS Nesting Module, section 2.1: `.a { > b { … } c { … } }`). The
 * parser takes these for broken declarations, and what follows them too. So they are found among its tokens, and a mark
 * goes before each that it knows; places are given without the marks.
 */

/** What the parser takes for the beginning of a nested rule, and nobody writes. */
export const NESTING_MARK = '&\u0001';

/** Numbers of the parser's tokens. */
const FUNCTION = 2;
const AT_KEYWORD = 3;
const SPACE = 13;
const SEMICOLON = 17;
const COMMENT = 25;
const OPENS = new Set([FUNCTION, 19, 21]);
const CLOSES = new Set([20, 22]);
const BLOCK = 23;
const BLOCK_END = 24;

interface Level {
  /** Whether it is the block of a style rule, or of an at-rule in one. */
  readonly isStyle: boolean;
  /** Where the current statement begins, and the type of its first token. */
  first: { readonly type: number; readonly start: number } | undefined;
}

/** Takes tokens in their order, and finds where nested rules without `&` begin. */
export class NestingFinder {
  readonly #text: string;
  readonly #levels: Level[] = [{ isStyle: false, first: undefined }];
  #brackets = 0;
  /** Offsets of the rules found, in order. */
  readonly found: number[] = [];

  constructor(text: string) {
    this.#text = text;
  }

  take(type: number, start: number): void {
    if (type === SPACE || type === COMMENT) return;
    const level = this.#levels.at(-1) as Level;
    if (type === BLOCK_END) {
      this.#brackets = 0;
      if (this.#levels.length > 1) this.#levels.pop();
      (this.#levels.at(-1) as Level).first = undefined;
      return;
    }
    if (type === BLOCK && this.#brackets === 0) {
      this.#block(level);
      return;
    }
    level.first ??= { type, start };
    if (OPENS.has(type)) this.#brackets += 1;
    else if (CLOSES.has(type) && this.#brackets > 0) this.#brackets -= 1;
    else if (type === SEMICOLON && this.#brackets === 0) level.first = undefined;
  }

  #block({ isStyle, first }: Level): void {
    const isAtRule = first?.type === AT_KEYWORD;
    const isCustom = first !== undefined && this.#text.startsWith('--', first.start);
    if (isStyle && first && !isAtRule && !isCustom && this.#text[first.start] !== '&')
      this.found.push(first.start);
    this.#levels.push({ isStyle: isAtRule ? isStyle : true, first: undefined });
  }
}

/** A sheet with marks at these offsets. */
export function withNestingMarks(text: string, offsets: readonly number[]): string {
  let marked = '';
  let from = 0;
  for (const offset of offsets) {
    marked += text.slice(from, offset) + NESTING_MARK;
    from = offset;
  }
  return marked + text.slice(from);
}

/** The column of a place in a marked sheet as it is without the marks; `offset` is that of the place in the marked one. */
export function unmarkedColumn(
  offsets: readonly number[],
  { offset, column }: { readonly offset: number; readonly column: number },
): number {
  const lineStart = offset - (column - 1);
  let before = 0;
  // Each mark moved those behind it.
  for (const [index, own] of offsets.entries()) {
    const at = own + index * NESTING_MARK.length;
    if (at >= offset) break;
    if (at >= lineStart) before += 1;
  }
  return column - before * NESTING_MARK.length;
}
