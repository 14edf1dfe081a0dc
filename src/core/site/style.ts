import type { CssNode } from 'css-tree';
import generate from 'css-tree/generator';
import parse from 'css-tree/parser';
import { balanceMender } from './css-balance.js';
import type { Position } from './positions.js';

/** One declaration of a style rule. */
export interface Declaration extends Position {
  /** In lower case. */
  readonly property: string;
  /** As written, without `!important`. */
  readonly value: string;
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
  onParseError: (error: { readonly message: string; readonly line: number; readonly column: number }) => void,
  context: 'stylesheet' | 'declarationList' = 'stylesheet',
): CssNode {
  const onToken = balanceMender() as never;
  return parse(text, { ...OPTIONS, context, onToken, onParseError: onParseError as never });
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

const spotOf = (node: CssNode): Position => ({
  line: node.loc?.start.line ?? 1,
  column: node.loc?.start.column ?? 1,
});

class Reader {
  readonly rules: StyleRule[] = [];
  readonly addresses: StyleAddress[] = [];

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
      const spot = spotOf(node);
      found.push({ property: node.property.toLowerCase(), value, ...spot });
      this.#addressesIn(value, spot, kind);
    }
    return found;
  }

  read(nodes: Iterable<CssNode>, conditions: readonly string[], above: readonly string[]): void {
    for (const node of nodes) {
      if (node.type === 'Rule') {
        const prelude = node.prelude.type === 'Raw' ? node.prelude.value : generate(node.prelude);
        const own = splitSelectors(prelude);
        // Nested rules (CSS Nesting Module) stand for what is around them.
        const selectors =
          above.length === 0 ? own : own.map((text) => `${above[0]} ${text.replaceAll('&', '')}`);
        const declarations = this.declarations(node.block.children, 'image');
        if (declarations.length > 0)
          this.rules.push({ selectors, conditions, declarations, ...spotOf(node) });
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
      if (match?.[1]) this.addresses.push({ kind: 'import', text: match[1], ...spotOf(node) });
    } else if (name === 'font-face' && node.block) this.declarations(node.block.children, 'font');
    else if (node.block && /^(media|supports|layer|container|scope)$/.test(name)) {
      const inner = [...conditions, `@${name} ${prelude}`];
      const declarations = above.length > 0 ? this.declarations(node.block.children, 'image') : [];
      if (declarations.length > 0) {
        this.rules.push({ selectors: above, conditions: inner, declarations, ...spotOf(node) });
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

function read(text: string, context: 'stylesheet' | 'declarationList'): StyleFacts {
  const faults: (Position & { message: string })[] = [];
  const reader = new Reader();
  let errors = 0;
  try {
    const tree = parseStyle(
      text,
      ({ message, line, column }) => {
        errors += 1;
        if (errors * text.length > ERROR_WORK) throw new TooBroken();
        if (faults.length < MAX_FAULTS) faults.push({ message, line, column });
      },
      context,
    );
    if (tree.type === 'StyleSheet') reader.read(tree.children, [], []);
    if (tree.type === 'DeclarationList') {
      const declarations = reader.declarations(tree.children, 'image');
      reader.rules.push({ selectors: ['[style]'], conditions: [], declarations, line: 1, column: 1 });
    }
  } catch (error) {
    if (!(error instanceof RangeError || error instanceof TooBroken)) throw error;
    const message =
      error instanceof TooBroken
        ? `Not read: it has more than ${errors} syntax errors`
        : 'Nested too deeply to be read';
    faults.push({ message, line: 1, column: 1 });
  }
  return { faults, rules: reader.rules, addresses: reader.addresses };
}
