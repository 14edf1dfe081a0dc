import { parseColor, type Rgba } from '../project/color.js';
import { type ElementNode, isWithin } from '../site/elements.js';
import type { SitePage, StyleGroup } from '../site/site.js';
import { boxSides, pixels, valueParts } from './lengths.js';
import { fits, type Subject, subjectOf, syntheticElement } from './selectors.js';
import { Cascade, type IndexedSelector, type LocatedDeclaration, type StyleCache } from './styles/cascade.js';
import type { Scheme } from './styles/media.js';

export type Edge = 'top' | 'bottom';

/** A bar that is fixed to an edge of the screen. */
export interface Bar {
  readonly edge: Edge;
  readonly kind: 'fixed' | 'sticky';
  readonly element: ElementNode;
  /** The element as the rule that fixes it names it, as in `.bar`. */
  readonly name: string;
  /** The whole selector of that rule; `undefined` for a `style` attribute. */
  readonly selector: string | undefined;
  /** Place of its `position`. */
  readonly position: LocatedDeclaration;
  /** CSS px without insets, where it is known. */
  readonly height: number | undefined;
  readonly color: Rgba | undefined;
  /** In a dark colour scheme. */
  readonly darkColor: Rgba | undefined;
  /** Whether it keeps clear of its edge's safe-area inset; `maybe` where what decides it could not be told. */
  readonly usesInset: 'yes' | 'maybe' | 'no';
}

export interface GroupStyles {
  readonly cascade: Cascade;
  readonly bars: readonly Bar[];
}

/** What scripts may do to elements. */
export interface NamedClasses {
  /** Whether an element may have a class, as it is delivered or later. */
  readonly isNamed: (className: string) => boolean;
  /** Whether only scripts give it, to whatever element. */
  readonly isGivenLater: (className: string) => boolean;
}

/** What a group's style sheets say of its pages. It takes a while: rules ask {@link Derived} for it. */
export function groupStyles(
  group: StyleGroup,
  cache: StyleCache,
  { isNamed, isGivenLater }: NamedClasses,
): GroupStyles {
  const { styles, attributes } = group;
  const cascade = new Cascade({ styles, attributes, cache, isNamed: isGivenLater });
  return { cascade, bars: findBars(group, cascade, isNamed) };
}

const isZero = (value: string) => /^[+-]?0(px|rem|em|%)?$/.test(value);

/** Letters below which a page has no text of its own. */
const SHELL_TEXT = 40;

/** Whether a page is empty until scripts draw it. */
export const isShell = ({ facts }: SitePage): boolean => facts.textLength < SHELL_TEXT;

/** Whether a page has an element that a subject fits outside its tree, as in a template, or scripts may make it. */
function mayBeThere(page: SitePage, { tag, classes }: Subject): boolean {
  const { facts } = page;
  const there =
    classes.every((name) => facts.classes.has(name)) && (tag === undefined || facts.tags.has(tag));
  return there || isShell(page);
}

/** Elements that a selector is about, with those that only scripts make. */
function elementsOf(
  group: StyleGroup,
  cascade: Cascade,
  { text }: IndexedSelector,
  isNamed: (className: string) => boolean,
): ElementNode[] {
  const subject = subjectOf(text);
  const found: ElementNode[] = [];
  let isThere = false;
  for (const node of group.elements) {
    isThere ||= fits(subject, node);
    // Scripts may yet give an element the classes that it lacks.
    if (cascade.matches(text, node) !== 'no') found.push(node);
  }
  const { tag, id, classes } = subject;
  const isNamedBySubject = tag !== undefined || id !== undefined || classes.length > 0;
  const isElsewhere =
    !isThere && isNamedBySubject && mayBeThere(group.page, subject) && subject.classes.every(isNamed);
  return found.length === 0 && isElsewhere ? [syntheticElement(text)] : found;
}

function findBars(group: StyleGroup, cascade: Cascade, isNamed: (className: string) => boolean): Bar[] {
  const bars = new Map<object, Bar>();
  const judged = new Set<ElementNode>();
  const take = (node: ElementNode, position: LocatedDeclaration) => {
    judged.add(node);
    const bar = barOf(group, cascade, node, position);
    if (bar === undefined) return;
    const known = bars.get(position.rule);
    // Of elements with the same rule the one that needs something counts.
    if (known === undefined || RANK[bar.usesInset] > RANK[known.usesInset]) bars.set(position.rule, bar);
  };
  for (const selector of cascade.positioned()) {
    const pseudo = cascade.compiled(selector.text)?.pseudoElement;
    if (pseudo !== undefined) continue;
    for (const node of elementsOf(group, cascade, selector, isNamed)) {
      if (judged.has(node)) continue;
      const position = positionOf(cascade, node);
      if (position) take(node, position);
    }
  }
  for (const node of group.elements) {
    if (judged.has(node) || !/fixed|sticky/.test(node.style ?? '')) continue;
    const position = positionOf(cascade, node);
    if (position) take(node, position);
  }
  return [...bars.values()];
}

const RANK = { yes: 0, maybe: 1, no: 2 };

/** The declaration that takes an element out of the flow, as the page starts or later. */
function positionOf(cascade: Cascade, node: ElementNode): LocatedDeclaration | undefined {
  const { certain, possible } = cascade.declared(node, 'position');
  const takesOut = (one: LocatedDeclaration | undefined) =>
    one !== undefined && /^(-webkit-)?(fixed|sticky)$/.test(one.value);
  return takesOut(certain) ? certain : possible.find(takesOut);
}

/** Whether an element is out of sight until something shows it: a menu, a dialog, a message. */
function isHidden(cascade: Cascade, node: ElementNode): boolean {
  for (let at: ElementNode | undefined = node; at !== undefined; at = at.parent) {
    if (at.hidden) return true;
    if (/^none\b/.test(cascade.value(at, 'display')?.value ?? '')) return true;
  }
  if (node.tag === 'dialog') return true;
  const value = (name: string) => cascade.expand(node, cascade.value(node, name)?.value ?? '');
  return (
    value('visibility') === 'hidden' ||
    /^0?\.?0+%?$/.test(value('opacity')) ||
    /translate(3d|[XY])?\([^)]*(-?1\d\d%|-?\d{3,}px)/i.test(`${value('transform')} ${value('translate')}`)
  );
}

function barOf(
  group: StyleGroup,
  cascade: Cascade,
  node: ElementNode,
  position: LocatedDeclaration,
): Bar | undefined {
  const text = (property: string, scheme: Scheme = 'light'): string | undefined => {
    // Where only a state fixes it, what the same rule says counts.
    const same = cascade.declared(node, property, scheme).possible.find(({ rule }) => rule === position.rule);
    const found = same ?? cascade.value(node, property, scheme);
    return found && cascade.expand(node, found.value, scheme);
  };
  if (isHidden(cascade, node)) return undefined;
  const kind = /sticky/.test(position.value) ? 'sticky' : 'fixed';
  // An edge that the element keeps to: 0, or only the safe-area inset away.
  const keeps = (value: string | undefined) =>
    value !== undefined &&
    (isZero(value.trim()) ||
      /^(max\(\s*0\w*\s*,\s*)?env\(\s*safe-area-inset-\w+\s*(,\s*0\w*\s*)?\)\)?$/.test(value.trim()));
  const [top, right, bottom, left] = ['top', 'right', 'bottom', 'left'].map((side) => text(side)) as [
    string | undefined,
    string | undefined,
    string | undefined,
    string | undefined,
  ];
  const width = text('width');
  const spans = kind === 'sticky' || (keeps(left) && keeps(right)) || width === '100%' || width === '100vw';
  if (!spans || (keeps(top) && keeps(bottom)) || !(keeps(top) || keeps(bottom))) return undefined;
  const isSet = (value: string | undefined) => value !== undefined && value !== 'auto';
  if (isSet(top) && isSet(bottom) && !isSet(text('height'))) return undefined;
  const { selector } = position;
  const name = selector === undefined ? nameOf(node) : subjectOf(selector).text;
  // A sticky element counts as a bar only where it is a page's header or footer.
  if (kind === 'sticky' && !/header|nav|footer|bar|top|tabs/i.test(`${name} ${nameOf(node)}`))
    return undefined;
  const edge = keeps(top) ? 'top' : 'bottom';
  const height = text('height') ?? text('min-height');
  return {
    edge,
    kind,
    element: node,
    name,
    selector,
    position,
    height: height === undefined ? undefined : pixels(height),
    color: colorOf(text('background-color')),
    darkColor: colorOf(text('background-color', 'dark')),
    usesInset: usesInset(group, cascade, node, edge),
  };
}

/** An element as a selector would name it. */
export function nameOf({ tag, id, classes }: ElementNode): string {
  if (id !== undefined) return `#${id}`;
  return classes.length > 0 ? `.${classes[0]}` : (tag ?? '*');
}

function colorOf(text: string | undefined): Rgba | undefined {
  const color = text === undefined ? undefined : parseColor(text);
  return color?.a === 255 ? color : undefined;
}

/** Properties by which an element, or what is in it, keeps clear of an edge. */
const clearing = (edge: Edge) => [
  `padding-${edge}`,
  `margin-${edge}`,
  edge,
  'height',
  'min-height',
  `border-${edge}-width`,
  `border-${edge}`,
  'grid-template-rows',
  'transform',
  'translate',
];

/** Whether a bar or what is in it keeps clear of the inset of its edge, by the rules that count. */
function usesInset(group: StyleGroup, cascade: Cascade, bar: ElementNode, edge: Edge): Bar['usesInset'] {
  const inset = `safe-area-inset-${edge}`;
  let isPossible = false;
  const clears = (node: ElementNode, pseudo?: 'before' | 'after'): boolean =>
    clearing(edge).some((property) => {
      const { certain, possible } = cascade.declared(node, property, 'light', pseudo);
      const names = (one: LocatedDeclaration | undefined) =>
        one !== undefined && cascade.expand(node, one.value).includes(inset);
      if (possible.some(names)) isPossible = true;
      return names(certain);
    });
  const withPseudo = (node: ElementNode) => clears(node) || clears(node, 'before') || clears(node, 'after');
  if (withPseudo(bar)) return 'yes';
  if (bar.open) {
    // What scripts put into the bar is known by rules that say it is in there.
    for (const selector of cascade.insets()) {
      const compiled = cascade.compiled(selector.text);
      if (!compiled) continue;
      const outer = compiled.compounds.slice(0, -1);
      const isInside = outer.some((_, index) => cascade.matchesPart(outer.slice(0, index + 1), bar));
      const names = selector.rule.declarations.some(({ value }) =>
        cascade.expand(bar, value).includes(inset),
      );
      if (isInside && names) return 'yes';
    }
  }
  for (const node of group.elements) if (isWithin(node, bar) && withPseudo(node)) return 'yes';
  return isPossible ? 'maybe' : 'no';
}

/** A value of one side in CSS px; a custom property may have held all four. */
function sidePixels(value: string, edge: Edge): number | undefined {
  return pixels(
    valueParts(value).length > 1 && !/^calc/.test(value) ? boxSides(value)[edge === 'top' ? 0 : 2] : value,
  );
}

/** What keeps room at an edge: the declaration that does most, and what all keep together. */
export interface Room {
  /** CSS px; `undefined` where it cannot be told. */
  readonly size: number | undefined;
  readonly holder:
    | { readonly property: string; readonly element: ElementNode; readonly declaration: LocatedDeclaration }
    | undefined;
}

/** Room that a page's content leaves at an edge, in CSS px; `undefined` where it cannot be told. */
export const roomAt = (page: SitePage, styles: GroupStyles, edge: Edge): number | undefined =>
  findRoom(page, styles, edge).size;

/** Room that a page's content leaves at an edge, and by what. */
export function findRoom(page: SitePage, { cascade, bars }: GroupStyles, edge: Edge): Room {
  const isInBar = (node: ElementNode) =>
    bars.some(({ element }) => element === node || isWithin(node, element));
  const own = new Map<ElementNode, number>();
  let holder: Room['holder'];
  let largest = 0;
  for (const element of page.facts.frames) {
    if (isInBar(element)) continue;
    let sum = 0;
    for (const property of [`padding-${edge}`, `margin-${edge}`]) {
      const { certain, possible } = cascade.declared(element, property);
      for (const declaration of [...possible, ...(certain ? [certain] : [])]) {
        const expanded = cascade.expand(element, declaration.value);
        if (expanded === 'auto') continue;
        const size = sidePixels(expanded, edge);
        if (size === undefined) return { size: undefined, holder: undefined };
        sum += size;
        if (declaration === certain && size > largest) {
          largest = size;
          holder = { property, element, declaration };
        }
      }
    }
    const offset = cascade.value(element, edge)?.value;
    if (offset !== undefined && cascade.value(element, 'position'))
      sum += pixels(cascade.expand(element, offset)) ?? 0;
    sum += spacer(cascade, element, edge);
    own.set(element, sum);
  }
  let most = 0;
  for (const node of own.keys()) {
    let sum = 0;
    for (let at: ElementNode | undefined = node; at !== undefined; at = at.parent) sum += own.get(at) ?? 0;
    most = Math.max(most, sum);
  }
  return { size: most, holder };
}

/** Height of a pseudo-element that only keeps room, in CSS px; of an element that says it does, too. */
function spacer(cascade: Cascade, node: ElementNode, edge: Edge): number {
  const pseudo = edge === 'top' ? 'before' : 'after';
  const made = cascade.declared(node, 'content', 'light', pseudo).certain;
  const height = made
    ? cascade.declared(node, 'height', 'light', pseudo).certain
    : /spacer|offset|placeholder/i.test(nameOf(node))
      ? cascade.value(node, 'height')
      : undefined;
  return height === undefined ? 0 : (pixels(cascade.expand(node, height.value)) ?? 0);
}
