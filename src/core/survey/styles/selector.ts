import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import type { ElementNode } from '../../site/elements.js';
import { all, any, type Match, opposite } from './match.js';

/** A part of a compound selector: a node of the parser's, which is nothing for those who use the types. */
interface SelectorPart {
  readonly type: string;
}

/** One compound selector, with how it is bound to the one before it. */
interface Compound {
  readonly parts: readonly SelectorPart[];
  /** `' '`, `>`, `+`, `~`; `undefined` for the first. */
  readonly combinator: string | undefined;
}

/** A complex selector, ready to be held against elements. */
export interface CompiledSelector {
  readonly compounds: readonly Compound[];
  /** Ids, classes and the like, tags (Selectors Level 4, section 17). */
  readonly specificity: readonly [number, number, number];
  /** `before`, `after` or another pseudo-element that it is about. */
  readonly pseudoElement: string | undefined;
}

/** What is known beyond the pages' own elements. */
export interface MatchContext {
  /** Whether scripts may give a class to an element. */
  readonly isNamed: (className: string) => boolean;
}

const LEGACY_ELEMENTS = new Set(['before', 'after', 'first-line', 'first-letter']);
/** What holds only while a user does something, or after it. */
const STATES =
  /^(hover|active|focus|focus-visible|focus-within|target|target-within|checked|disabled|visited|fullscreen|popover-open|autofill|-webkit-autofill|invalid|user-invalid|indeterminate|modal|playing|-webkit-full-screen)$/;

function specificityOf(nodes: Iterable<CssNode>): [number, number, number] {
  const sum: [number, number, number] = [0, 0, 0];
  const add = (index: 0 | 1 | 2) => {
    sum[index] += 1;
  };
  for (const node of nodes) {
    if (node.type === 'IdSelector') add(0);
    else if (node.type === 'ClassSelector' || node.type === 'AttributeSelector') add(1);
    else if (node.type === 'TypeSelector') node.name === '*' || add(2);
    else if (node.type === 'PseudoElementSelector') add(2);
    else if (node.type === 'PseudoClassSelector') {
      const name = node.name.toLowerCase();
      if (LEGACY_ELEMENTS.has(name)) add(2);
      else if (name === 'where') continue;
      else if (/^(is|not|has|matches|-webkit-any|-moz-any)$/.test(name)) {
        const most = greatest(listOf(node).map((item) => specificityOf(item)));
        for (const index of [0, 1, 2] as const) sum[index] += most[index];
      } else add(1);
    }
  }
  return sum;
}

/** -1, 0 or 1, as specificities are compared. */
export function compareSpecificity(
  one: CompiledSelector['specificity'],
  other: CompiledSelector['specificity'],
): number {
  for (const index of [0, 1, 2] as const) if (one[index] !== other[index]) return one[index] - other[index];
  return 0;
}

function greatest(given: readonly [number, number, number][]): [number, number, number] {
  return given.reduce<[number, number, number]>(
    (most, item) => (compareSpecificity(item, most) > 0 ? item : most),
    [0, 0, 0],
  );
}

/** The complex selectors in the brackets of a pseudo-class. */
function listOf(node: Extract<CssNode, { type: 'PseudoClassSelector' }>): CssNode[][] {
  const found: CssNode[][] = [];
  node.children?.forEach((child) => {
    if (child.type === 'SelectorList') {
      child.children.forEach((selector) => {
        if (selector.type === 'Selector') found.push(selector.children.toArray());
      });
    } else if (child.type === 'Selector') found.push(child.children.toArray());
  });
  return found;
}

function compoundsOf(nodes: readonly CssNode[]): Compound[] {
  const compounds: Compound[] = [];
  let parts: CssNode[] = [];
  let combinator: string | undefined;
  for (const node of nodes) {
    if (node.type !== 'Combinator') {
      parts.push(node);
      continue;
    }
    compounds.push({ parts, combinator });
    parts = [];
    combinator = node.name.trim() === '' ? ' ' : node.name;
  }
  compounds.push({ parts, combinator });
  return compounds;
}

function pseudoElementOf(parts: readonly SelectorPart[]): string | undefined {
  for (const part of parts as readonly CssNode[]) {
    if (part.type === 'PseudoElementSelector') return part.name.toLowerCase();
    if (part.type === 'PseudoClassSelector' && LEGACY_ELEMENTS.has(part.name.toLowerCase()))
      return part.name.toLowerCase();
  }
  return undefined;
}

/** Reads a complex selector (Selectors Level 4); `undefined` where it is broken, so that its rule does not count. */
export function compileSelector(text: string): CompiledSelector | undefined {
  try {
    const tree = parse(text, { context: 'selector' });
    if (tree.type !== 'Selector') return undefined;
    const nodes = tree.children.toArray();
    const compounds = compoundsOf(nodes);
    const last = compounds.at(-1);
    if (!last) return undefined;
    return { compounds, specificity: specificityOf(nodes), pseudoElement: pseudoElementOf(last.parts) };
  } catch {
    return undefined;
  }
}

/** Whether a selector holds for an element as its page starts; a pseudo-element of it counts as the element. */
export function matchSelector(
  { compounds }: Pick<CompiledSelector, 'compounds'>,
  node: ElementNode,
  context: MatchContext,
): Match {
  return matchFrom(compounds, compounds.length - 1, node, context);
}

function matchFrom(
  compounds: readonly Compound[],
  index: number,
  node: ElementNode,
  context: MatchContext,
): Match {
  const compound = compounds[index] as Compound;
  const own = matchCompound(compound.parts, node, context);
  if (own === 'no' || index === 0) return own;
  return all([own, matchBefore(compounds, index, node, context)]);
}

function matchBefore(
  compounds: readonly Compound[],
  index: number,
  node: ElementNode,
  context: MatchContext,
): Match {
  const { combinator } = compounds[index] as Compound;
  if (combinator === '+' || combinator === '~') {
    // Siblings are not kept. What is before them in the selector can only be around them, and so around the element.
    return 'maybe';
  }
  if (combinator === '>') {
    if (node.parent === undefined) return node.open ? 'maybe' : 'no';
    return matchFrom(compounds, index - 1, node.parent, context);
  }
  let found: Match = 'no';
  let at: ElementNode | undefined = node;
  while (at.parent !== undefined && found !== 'yes') {
    at = at.parent;
    found = any([found, matchFrom(compounds, index - 1, at, context)]);
  }
  return found === 'no' && at.open ? 'maybe' : found;
}

function matchCompound(parts: readonly SelectorPart[], node: ElementNode, context: MatchContext): Match {
  let match: Match = 'yes';
  // Of an element that scripts make only a part is known: a rule is about it where that part is named.
  let isNamed = !node.open;
  for (const part of parts) {
    const one = matchPart(part as CssNode, node, context);
    if (one === 'no') return 'no';
    if (one === 'yes' && /^(Id|Class|Type)Selector$/.test(part.type)) isNamed = true;
    match = all([match, one]);
  }
  return isNamed || parts.length === 0 || !parts.some(({ type }) => /^(Id|Class|Type)/.test(type))
    ? match
    : 'no';
}

function matchPart(part: CssNode, node: ElementNode, context: MatchContext): Match {
  switch (part.type) {
    case 'TypeSelector': {
      const name = part.name.toLowerCase().replace(/^.*\|/, '');
      if (name === '*' || name === node.tag) return 'yes';
      return node.tag === undefined ? 'maybe' : 'no';
    }
    case 'ClassSelector':
      if (node.classes.includes(plain(part.name))) return 'yes';
      return node.open || context.isNamed(plain(part.name)) ? 'maybe' : 'no';
    case 'IdSelector':
      if (node.id === plain(part.name)) return 'yes';
      return node.open && node.id === undefined ? 'maybe' : 'no';
    case 'AttributeSelector':
      return matchAttribute(part, node);
    case 'PseudoClassSelector':
      return matchPseudo(part, node, context);
    case 'PseudoElementSelector':
    case 'NestingSelector':
      return 'yes';
    default:
      return 'maybe';
  }
}

/** A name without its escapes, as in `.md\:flex` (CSS Syntax, section 4.3.7). */
const plain = (name: string) =>
  name.includes('\\')
    ? name.replaceAll(
        /\\(?:([0-9a-f]{1,6})\s?|(.))/gi,
        (_all, hex: string | undefined, one: string | undefined) =>
          hex === undefined
            ? (one ?? '')
            : String.fromCodePoint(Math.min(Number.parseInt(hex, 16), 0x10ffff)),
      )
    : name;

function matchAttribute(part: Extract<CssNode, { type: 'AttributeSelector' }>, node: ElementNode): Match {
  const name = part.name.name.toLowerCase();
  const values: Readonly<Record<string, string | undefined>> = {
    id: node.id,
    role: node.role,
    class: node.classes.length === 0 ? undefined : node.classes.join(' '),
    hidden: node.hidden ? '' : undefined,
  };
  if (!Object.hasOwn(values, name) || node.open) return 'maybe';
  const value = values[name];
  if (value === undefined) return 'no';
  const wanted = part.value?.type === 'String' ? part.value.value : part.value?.name;
  if (part.matcher === null || wanted === undefined) return 'yes';
  const holds = {
    '=': value === wanted,
    '~=': value.split(/\s+/).includes(wanted),
    '^=': wanted !== '' && value.startsWith(wanted),
    '$=': wanted !== '' && value.endsWith(wanted),
    '*=': wanted !== '' && value.includes(wanted),
    '|=': value === wanted || value.startsWith(`${wanted}-`),
  }[part.matcher];
  return holds === undefined ? 'maybe' : holds ? 'yes' : 'no';
}

function matchPseudo(
  part: Extract<CssNode, { type: 'PseudoClassSelector' }>,
  node: ElementNode,
  context: MatchContext,
): Match {
  const name = part.name.toLowerCase();
  if (LEGACY_ELEMENTS.has(name)) return 'yes';
  if (STATES.test(name)) return 'no';
  if (name === 'root' || name === 'scope') {
    if (node.open && node.parent === undefined) return node.tag === undefined ? 'no' : 'maybe';
    return node.tag === 'html' && node.parent === undefined ? 'yes' : 'no';
  }
  if (name === 'defined' || name === 'enabled' || name === 'any-link') return 'yes';
  if (/^(is|where|matches|-webkit-any|-moz-any)$/.test(name)) return matchAny(part, node, context);
  if (name === 'not') return opposite(matchAny(part, node, context));
  return 'maybe';
}

function matchAny(
  part: Extract<CssNode, { type: 'PseudoClassSelector' }>,
  node: ElementNode,
  context: MatchContext,
): Match {
  let found: Match = 'no';
  for (const nodes of listOf(part)) {
    found = any([found, matchSelector({ compounds: compoundsOf(nodes) }, node, context)]);
  }
  return found;
}
