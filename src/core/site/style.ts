import type { CssNode } from 'css-tree';
import generate from 'css-tree/generator';
import parse from 'css-tree/parser';
import { balanceMender, type TokenList } from './css-balance.js';
import { NESTING_MARK, NestingFinder, unmarkedColumn, withNestingMarks } from './css-nesting.js';
import type { Position } from './positions.js';

/** One declaration of a style rule. */
export interface Declaration extends Position {
  /** In lower case, but for custom properties. */
  readonly property: string;
  /** As written, without `!important`. */
  readonly value: string;
  readonly important?: true;
}

/** One style rule with what is around it. */
export interface StyleRule extends Position {
  /** Selectors as written, one each. */
  readonly selectors: readonly string[];
  /** Conditions of the at-rules around it, outermost first, as in `@media (hover: hover)`. */
  readonly conditions: readonly string[];
  readonly declarations: readonly Declaration[];
}

export interface StyleAddress extends Position {
  readonly kind: 'import' | 'font' | 'image';
  readonly text: string;
}

/** What the survey needs to know of a style sheet: its syntax tree is not kept. */
export interface StyleFacts {
  readonly faults: readonly (Position & { readonly message: string })[];
  readonly rules: readonly StyleRule[];
  readonly addresses: readonly StyleAddress[];
  /** Cascade layers that it names, those in others with the names of these: in the order of their first mention. */
  readonly layers: readonly string[];
}

/** The options that the bench's floor parses with too: values stay text, and are read where one is needed. */
const OPTIONS = {
  positions: true,
  parseValue: false,
  parseRulePrelude: false,
  parseCustomProperty: false,
} as const;
const MAX_FAULTS = 5;
/** Letters that the parser may go over for its errors: it cuts the whole sheet into lines for each. */
const ERROR_WORK = 200_000_000;

export function parseStyle(
  text: string,
  onParseError: (error: {
    readonly message: string;
    readonly offset: number;
    readonly line: number;
    readonly column: number;
  }) => void,
  context: 'stylesheet' | 'declarationList' = 'stylesheet',
): CssNode {
  const rebalance = balanceMender();
  const nesting = new NestingFinder(text);
  function onToken(this: TokenList, type: number, start: number, end: number, index: number): void {
    rebalance.call(this, type, start, end, index);
    nesting.take(type, start);
    // All tokens are known before the first is read.
    if (index === this.tokenCount - 1 && nesting.found.length > 0) throw new Nested(nesting.found);
  }
  return parse(text, {
    ...OPTIONS,
    context,
    onToken: onToken as never,
    onParseError: onParseError as never,
  });
}

/** Ends the reading of a sheet whose nested rules the parser would not see without marks. */
class Nested extends Error {
  constructor(readonly offsets: readonly number[]) {
    super('nested rules without &');
  }
}

/** Addresses in a value (CSS Values Level 4, "url()"). Goes over it once, whatever it holds. */
export function urlsIn(value: string): string[] {
  const found: string[] = [];
  const lower = value.toLowerCase();
  const isUnclosed = new Set<string>();
  const skipSpace = (from: number) => {
    let offset = from;
    while (/\s/.test(value.charAt(offset))) offset += 1;
    return offset;
  };
  for (let offset = 0; ; ) {
    const start = lower.indexOf('url(', offset);
    if (start < 0) return found;
    const from = skipSpace(start + 4);
    const quote = value.charAt(from);
    if (quote === '"' || quote === "'") {
      const end = isUnclosed.has(quote) ? -1 : value.indexOf(quote, from + 1);
      if (end < 0) isUnclosed.add(quote);
      const after = end < 0 ? from + 1 : skipSpace(end + 1);
      if (end >= 0 && value[after] === ')') found.push(value.slice(from + 1, end));
      offset = after;
      continue;
    }
    let end = from;
    while (end < value.length && !/[)"'\s]/.test(value.charAt(end))) end += 1;
    const after = skipSpace(end);
    if (value[after] === ')') found.push(value.slice(from, end));
    // No address can begin inside one that is broken: it would break at the same place.
    offset = after;
  }
}
/** Selectors at commas that are in no brackets. */
function splitSelectors(text: string): string[] {
  if (!text.includes(',')) return [text.trim()];
  if (!/[([]/.test(text)) return text.split(',').map((part) => part.trim());
  const parts: string[] = [];
  let depth = 0;
  let start = 0;
  for (let i = 0; i < text.length; i += 1) {
    const c = text[i];
    if (c === '(' || c === '[') depth += 1;
    else if (c === ')' || c === ']') depth -= 1;
    else if (c === ',' && depth === 0) {
      parts.push(text.slice(start, i).trim());
      start = i + 1;
    }
  }
  parts.push(text.slice(start).trim());
  return parts;
}

/** The layers that a rule is in, from the conditions around it, outermost first. */
export function layerPath(conditions: readonly string[]): string[] {
  return conditions.flatMap((text) => (text.startsWith('@layer ') ? text.slice(7).trim().split('.') : []));
}

/** Selectors of one nested rule, at most: there are as many as those around it times its own, at each depth. */
const MAX_NESTED = 24;

/** What selectors of a nested rule are about (CSS Nesting Module, section 2): `&` is what is around them. */
function nested(own: readonly string[], above: readonly string[]): string[] {
  if (above.length === 0) return [...own];
  const all = own.flatMap((text) =>
    above.map((outer) => (text.includes('&') ? text.replaceAll('&', () => outer) : `${outer} ${text}`)),
  );
  return all.slice(0, MAX_NESTED);
}

class Reader {
  /** Where marks were put before nested rules. */
  readonly #marks: readonly number[];
  readonly rules: StyleRule[] = [];
  readonly addresses: StyleAddress[] = [];
  readonly layers: string[] = [];

  constructor(marks: readonly number[]) {
    this.#marks = marks;
  }

  #spot({ loc }: CssNode): Position {
    const { line, column } = loc?.start ?? { line: 1, column: 1 };
    if (!loc || this.#marks.length === 0) return { line, column };
    return { line, column: unmarkedColumn(this.#marks, loc.start) };
  }

  #layer(name: string, conditions: readonly string[]): void {
    const full = [...layerPath(conditions), name].join('.');
    if (!this.layers.includes(full)) this.layers.push(full);
  }

  #addressesIn(value: string, spot: Position, kind: StyleAddress['kind']): void {
    if (!/url\(/i.test(value)) return;
    for (const text of urlsIn(value)) {
      if (text !== '' && !text.startsWith('data:') && !text.startsWith('#'))
        this.addresses.push({ kind, text, ...spot });
    }
  }

  declarations(nodes: Iterable<CssNode>, kind: StyleAddress['kind']): Declaration[] {
    const found: Declaration[] = [];
    for (const node of nodes) {
      if (node.type !== 'Declaration') continue;
      const value = node.value.type === 'Raw' ? node.value.value.trim() : generate(node.value);
      const spot = this.#spot(node);
      const property = node.property.startsWith('--') ? node.property : node.property.toLowerCase();
      found.push({ property, value, ...spot, ...(node.important === false ? {} : { important: true }) });
      this.#addressesIn(value, spot, kind);
    }
    return found;
  }

  read(nodes: Iterable<CssNode>, conditions: readonly string[], above: readonly string[]): void {
    for (const node of nodes) {
      if (node.type === 'Rule') {
        const prelude = node.prelude.type === 'Raw' ? node.prelude.value : generate(node.prelude);
        const selectors = nested(splitSelectors(prelude.replace(NESTING_MARK, '')), above);
        const declarations = this.declarations(node.block.children, 'image');
        if (declarations.length > 0)
          this.rules.push({ selectors, conditions, declarations, ...this.#spot(node) });
        if (node.block.children.some((child) => child.type === 'Rule' || child.type === 'Atrule')) {
          this.read(node.block.children, conditions, selectors);
        }
      } else if (node.type === 'Atrule') this.#atRule(node, conditions, above);
    }
  }

  #atRule(
    node: Extract<CssNode, { type: 'Atrule' }>,
    conditions: readonly string[],
    above: readonly string[],
  ): void {
    const name = node.name.toLowerCase();
    const prelude = node.prelude === null ? '' : generate(node.prelude);
    if (name === 'import') {
      const match = /^(?:url\(\s*)?["']?([^"')\s]+)/i.exec(prelude);
      if (match?.[1]) this.addresses.push({ kind: 'import', text: match[1], ...this.#spot(node) });
    } else if (name === 'layer' && !node.block) {
      for (const text of prelude.split(',')) this.#layer(text.trim(), conditions);
    } else if (name === 'font-face' && node.block) this.declarations(node.block.children, 'font');
    else if (node.block && /^(media|supports|layer|container|scope)$/.test(name)) {
      // A layer without a name is one of its own each time.
      const named = name === 'layer' && prelude === '' ? `(${this.layers.length})` : prelude;
      const inner = [...conditions, `@${name} ${named}`];
      if (name === 'layer') this.#layer(named, conditions);
      const declarations = above.length > 0 ? this.declarations(node.block.children, 'image') : [];
      if (declarations.length > 0) {
        this.rules.push({ selectors: above, conditions: inner, declarations, ...this.#spot(node) });
      }
      this.read(node.block.children, inner, above);
    }
  }
}

/** Reads a style sheet; what is broken is skipped, as a browser skips it, and told. */
export function readStyle(text: string): StyleFacts {
  return read(text, 'stylesheet');
}

/** Reads the declarations of a `style` attribute, as a rule with the selector `[style]`. */
export function readStyleAttribute(text: string): StyleFacts {
  return read(text, 'declarationList');
}

/** Ends the reading of a sheet with so many errors that it is no style sheet. */
class TooBroken extends Error {}

function read(
  text: string,
  context: 'stylesheet' | 'declarationList',
  marks: readonly number[] = [],
): StyleFacts {
  const faults: (Position & { message: string })[] = [];
  const reader = new Reader(marks);
  let errors = 0;
  try {
    const tree = parseStyle(
      withNestingMarks(text, marks),
      ({ message, line, column, offset }) => {
        errors += 1;
        if (errors * text.length > ERROR_WORK) throw new TooBroken();
        if (faults.length < MAX_FAULTS)
          faults.push({ message, line, column: unmarkedColumn(marks, { offset, column }) });
      },
      context,
    );
    if (tree.type === 'StyleSheet') reader.read(tree.children, [], []);
    if (tree.type === 'DeclarationList') {
      const declarations = reader.declarations(tree.children, 'image');
      reader.rules.push({ selectors: ['[style]'], conditions: [], declarations, line: 1, column: 1 });
    }
  } catch (error) {
    if (error instanceof Nested && marks.length === 0) return read(text, context, error.offsets);
    if (!(error instanceof RangeError || error instanceof TooBroken)) throw error;
    const message =
      error instanceof TooBroken
        ? `Not read: it has more than ${errors} syntax errors`
        : 'Nested too deeply to be read';
    faults.push({ message, line: 1, column: 1 });
  }
  return { faults, rules: reader.rules, addresses: reader.addresses, layers: reader.layers };
}
