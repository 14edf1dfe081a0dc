import type { ElementNode } from '../../site/elements.js';
import type { StyleUnit } from '../../site/site.js';
import { type Declaration, layerPath, type StyleRule } from '../../site/style.js';
import { withVariables } from '../lengths.js';
import type { Match } from './match.js';
import { matchConditions, type Scheme } from './media.js';
import { type CompiledSelector, compareSpecificity, compileSelector, matchSelector } from './selector.js';
import { longhand } from './shorthands.js';

/** One selector of a rule in a sheet. */
export interface IndexedSelector {
  readonly text: string;
  readonly rule: StyleRule;
  readonly unit: StyleUnit;
  /** Place of the rule in its sheet. */
  readonly index: number;
}

/** A sheet's selectors by what their last part demands, so that an element is held against few of them. */
interface SheetIndex {
  readonly byKey: ReadonlyMap<string, readonly IndexedSelector[]>;
  /** Selectors of rules that take elements out of the flow. */
  readonly positioned: readonly IndexedSelector[];
  /** Selectors of rules that name a safe-area inset, in a value or behind a custom property. */
  readonly insets: readonly IndexedSelector[];
}

const LAST_COMPOUND = /(?:[^\s>+~\\]|\\.)*$/;
const NAME = /([#.])((?:[\w-]|\\.|[^\0-\x7f])+)/u;

/** What an element must have for a selector to hold, as far as its text shows: an id, a class, a tag, or nothing. */
function keyOf(selector: string): string {
  if (/[(["]/.test(selector.replaceAll(/\\./g, ''))) return '*';
  const last = LAST_COMPOUND.exec(selector)?.[0] ?? '';
  const [, sign, name] = NAME.exec(last) ?? [];
  if (name === undefined) return /^[a-z][\w-]*/i.exec(last)?.[0]?.toLowerCase() ?? '*';
  return /\\[0-9a-f]/i.test(name) ? '*' : `${sign}${name.replaceAll(/\\(.)/g, '$1')}`;
}

function keysOf({ tag, id, classes }: ElementNode): string[] {
  return [
    '*',
    ...(tag === undefined ? [] : [tag]),
    ...(id === undefined ? [] : [`#${id}`]),
    ...classes.map((name) => `.${name}`),
  ];
}

function indexOf(unit: StyleUnit): SheetIndex {
  const byKey = new Map<string, IndexedSelector[]>();
  const positioned: IndexedSelector[] = [];
  const insets: IndexedSelector[] = [];
  for (const [index, rule] of unit.facts.rules.entries()) {
    const takesOut = rule.declarations.some(
      ({ property, value }) => property === 'position' && /fixed|sticky/.test(value),
    );
    const hasInset = rule.declarations.some(({ value }) => /safe-area|var\(/.test(value));
    for (const text of rule.selectors) {
      const one = { text, rule, unit, index };
      const key = keyOf(text);
      const list = byKey.get(key);
      if (list) list.push(one);
      else byKey.set(key, [one]);
      if (takesOut) positioned.push(one);
      if (hasInset) insets.push(one);
    }
  }
  return { byKey, positioned, insets };
}

/** What a survey's cascades have in common: each sheet and selector is read once. */
export class StyleCache {
  readonly #sheets = new Map<StyleUnit, SheetIndex>();
  readonly #selectors = new Map<string, CompiledSelector | undefined>();
  readonly #conditions = new Map<string, Readonly<Record<Scheme, Match>>>();

  sheet(unit: StyleUnit): SheetIndex {
    const known = this.#sheets.get(unit) ?? indexOf(unit);
    this.#sheets.set(unit, known);
    return known;
  }

  selector(text: string): CompiledSelector | undefined {
    if (!this.#selectors.has(text)) this.#selectors.set(text, compileSelector(text));
    return this.#selectors.get(text);
  }

  conditions(conditions: readonly string[]): Readonly<Record<Scheme, Match>> {
    const key = conditions.join('\n');
    const known = this.#conditions.get(key) ?? {
      light: matchConditions(conditions, 'light'),
      dark: matchConditions(conditions, 'dark'),
    };
    this.#conditions.set(key, known);
    return known;
  }
}

/** A declaration with the sheet and the rule that it is in. */
export interface LocatedDeclaration extends Declaration {
  readonly unit: StyleUnit;
  readonly rule: StyleRule;
  /** The selector by which it holds for the element; `undefined` in a `style` attribute. */
  readonly selector: string | undefined;
}

interface MatchedRule {
  readonly selector: IndexedSelector;
  readonly match: Match;
  readonly scheme: Readonly<Record<Scheme, Match>>;
  readonly specificity: CompiledSelector['specificity'];
  readonly pseudoElement: string | undefined;
  /** Order of its sheet. */
  readonly sheet: number;
  readonly layer: readonly number[];
}

/** What counts for one property of one element. */
export interface Declared {
  /** What holds as the page starts. */
  readonly certain: LocatedDeclaration | undefined;
  /** What would outrank it, where scripts, siblings or a user's doing make it hold; the strongest first. */
  readonly possible: readonly LocatedDeclaration[];
}

export interface CascadeInput {
  /** In the order of the page. */
  readonly styles: readonly StyleUnit[];
  /** What `style` attributes say, by their text. */
  readonly attributes: ReadonlyMap<string, StyleUnit>;
  readonly cache: StyleCache;
  /** Whether scripts may give a class to an element. */
  readonly isNamed: (className: string) => boolean;
}

/** Says the same of all properties of unlayered rules: they come behind those of every layer. */
const UNLAYERED: readonly number[] = [];

/**
 * What style sheets say of elements (CSS Cascading and Inheritance Level 5, section 6): origin and importance, layers,
 * specificity and order; media queries for one phone in the app; custom properties with what they inherit; shorthands.
 * It holds selectors against the elements of pages as they are delivered. What scripts, siblings or a user's doing decide
 * is `possible`, not certain. Not done: `@import` in layers or for media, `@container`, `@scope` (what they hold is
 * possible), and the values that properties inherit, custom ones apart.
 */
export class Cascade {
  readonly #input: CascadeInput;
  readonly #layers = new Map<string, number>();
  readonly #matched = new Map<ElementNode, readonly MatchedRule[]>();

  constructor(input: CascadeInput) {
    this.#input = input;
    for (const { facts } of input.styles) {
      for (const name of facts.layers) {
        const parts = name.split('.');
        for (const [index] of parts.entries()) {
          const outer = parts.slice(0, index + 1).join('.');
          if (!this.#layers.has(outer)) this.#layers.set(outer, this.#layers.size);
        }
      }
    }
  }

  #layerOf(conditions: readonly string[]): readonly number[] {
    const path = layerPath(conditions);
    if (path.length === 0) return UNLAYERED;
    return path.map((_, index) => this.#layers.get(path.slice(0, index + 1).join('.')) ?? 0);
  }

  /** The rules whose selectors hold, or may hold, for an element. */
  #rulesFor(node: ElementNode): readonly MatchedRule[] {
    const known = this.#matched.get(node);
    if (known) return known;
    const { styles, cache, isNamed } = this.#input;
    const found: MatchedRule[] = [];
    for (const [sheet, unit] of styles.entries()) {
      if (unit.kind === 'attribute') continue;
      const { byKey } = cache.sheet(unit);
      for (const key of keysOf(node)) {
        for (const selector of byKey.get(key) ?? []) {
          const scheme = cache.conditions(selector.rule.conditions);
          if (scheme.light === 'no' && scheme.dark === 'no') continue;
          const compiled = cache.selector(selector.text);
          const match = compiled ? matchSelector(compiled, node, { isNamed }) : 'no';
          if (!compiled || match === 'no') continue;
          const { specificity, pseudoElement } = compiled;
          const layer = this.#layerOf(selector.rule.conditions);
          found.push({ selector, match, scheme, specificity, pseudoElement, sheet, layer });
        }
      }
    }
    found.sort(compareRules);
    this.#matched.set(node, found);
    return found;
  }

  /** What the style sheets declare for a property of an element, or of a pseudo-element of it. */
  declared(
    node: ElementNode,
    property: string,
    scheme: Scheme = 'light',
    pseudoElement?: 'before' | 'after',
  ): Declared {
    const candidates: { declaration: LocatedDeclaration; match: Match; rank: number }[] = [];
    const rules = this.#rulesFor(node);
    for (const [index, item] of rules.entries()) {
      if (item.pseudoElement !== pseudoElement || item.scheme[scheme] === 'no') continue;
      const match: Match = item.match === 'yes' && item.scheme[scheme] === 'yes' ? 'yes' : 'maybe';
      const { rule, unit, text } = item.selector;
      for (const declaration of lastOf(rule.declarations, property)) {
        // Importance turns the order of layers round (section 6.4.2).
        const layered = item.layer.length > 0;
        const rank = declaration.important ? (layered ? 3e9 - index : 2e9 + index) : index;
        candidates.push({ declaration: { ...declaration, unit, rule, selector: text }, match, rank });
      }
    }
    const own =
      node.style === undefined || pseudoElement ? undefined : this.#input.attributes.get(node.style);
    const [attribute] = own?.facts.rules ?? [];
    if (own && attribute) {
      for (const declaration of lastOf(attribute.declarations, property)) {
        const rank = declaration.important ? 2.9e9 : 1e9;
        candidates.push({
          declaration: { ...declaration, unit: own, rule: attribute, selector: undefined },
          match: 'yes',
          rank,
        });
      }
    }
    candidates.sort((one, other) => other.rank - one.rank);
    const first = candidates.findIndex(({ match }) => match === 'yes');
    const outranking = first < 0 ? candidates : candidates.slice(0, first);
    return {
      certain: candidates[first]?.declaration,
      possible: outranking.map(({ declaration }) => declaration),
    };
  }

  /** A value with its custom properties put in, as they are set for an element or what it is in. */
  expand(node: ElementNode, value: string, scheme: Scheme = 'light'): string {
    return value.includes('var(')
      ? withVariables(value, { get: (name) => this.variable(node, name, scheme) })
      : value;
  }

  /** A custom property of an element, inherited where it is not its own (CSS Custom Properties, section 2). */
  variable(node: ElementNode, name: string, scheme: Scheme): string | undefined {
    for (let at: ElementNode | undefined = node; at !== undefined; at = at.parent) {
      const { certain, possible } = this.declared(at, name, scheme);
      const found = certain ?? possible.at(-1);
      if (found !== undefined && !/^(inherit|unset)$/.test(found.value)) return found.value;
      // What scripts make is somewhere in the page: the page's own properties reach it.
      if (at.parent === undefined && at.open) return this.variable(ROOT, name, scheme);
    }
    return undefined;
  }

  /** What counts for a property as the page starts; without anything certain, the weakest that is possible. */
  value(node: ElementNode, property: string, scheme: Scheme = 'light'): LocatedDeclaration | undefined {
    const { certain, possible } = this.declared(node, property, scheme);
    return certain ?? possible.at(-1);
  }

  /** Selectors of rules that fix something to the screen, in the order of their sheets. */
  positioned(): IndexedSelector[] {
    const { styles, cache } = this.#input;
    return styles.flatMap((unit) => [...cache.sheet(unit).positioned]);
  }

  /** Selectors of rules that may name a safe-area inset. */
  insets(): IndexedSelector[] {
    const { styles, cache } = this.#input;
    return styles.flatMap((unit) => [...cache.sheet(unit).insets]);
  }

  /** A selector, read; `undefined` where it is broken. */
  compiled(text: string): CompiledSelector | undefined {
    return this.#input.cache.selector(text);
  }

  /** Whether the first compounds of a selector surely hold for an element. */
  matchesPart(compounds: CompiledSelector['compounds'], node: ElementNode): boolean {
    return matchSelector({ compounds }, node, { isNamed: this.#input.isNamed }) === 'yes';
  }

  /** Whether a selector holds for an element. */
  matches(text: string, node: ElementNode): Match {
    const compiled = this.compiled(text);
    return compiled ? matchSelector(compiled, node, { isNamed: this.#input.isNamed }) : 'no';
  }
}

/** The root of every page. */
const ROOT: ElementNode = { tag: 'html', classes: [], parent: undefined };

/** The last declaration of a block that sets a property, itself or by a shorthand; an important one before others. */
function* lastOf(declarations: readonly Declaration[], property: string): Generator<Declaration> {
  let normal: Declaration | undefined;
  let important: Declaration | undefined;
  for (const declaration of declarations) {
    const value = longhand(declaration, property);
    if (value === undefined) continue;
    const one = value === declaration.value ? declaration : { ...declaration, value };
    if (declaration.important) important = one;
    else normal = one;
  }
  if (normal) yield normal;
  if (important) yield important;
}

function compareLayers(one: readonly number[], other: readonly number[]): number {
  for (let index = 0; index < Math.max(one.length, other.length); index += 1) {
    // What is in no further layer is behind what is.
    const difference = (one[index] ?? Number.MAX_SAFE_INTEGER) - (other[index] ?? Number.MAX_SAFE_INTEGER);
    if (difference !== 0) return difference;
  }
  return 0;
}

/** In the order of the cascade, the strongest last. */
function compareRules(one: MatchedRule, other: MatchedRule): number {
  return (
    compareLayers(one.layer, other.layer) ||
    compareSpecificity(one.specificity, other.specificity) ||
    one.sheet - other.sheet ||
    one.selector.index - other.selector.index
  );
}
