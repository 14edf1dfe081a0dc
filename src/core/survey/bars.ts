import { parseColor, type Rgba } from '../project/color.js';
import type { SitePage, StyleGroup, StyleUnit } from '../site/site.js';
import type { Declaration, StyleRule } from '../site/style.js';
import { boxSides, pixels, type Variables, withVariables } from './lengths.js';
import { fits, type Subject, subjectOf } from './selectors.js';

/** A declaration with the sheet that it is in. */
export interface LocatedDeclaration extends Declaration {
  readonly unit: StyleUnit;
}

/** What all rules about one subject say, the last one counting. */
export interface Merged {
  readonly subject: Subject;
  readonly rule: StyleRule;
  readonly unit: StyleUnit;
  /** Property → declaration, from rules without conditions. */
  readonly plain: Map<string, LocatedDeclaration>;
  /** Property → declaration, from rules for dark colour schemes. */
  readonly dark: Map<string, LocatedDeclaration>;
  /** Every value of rules about it or about what is in it, conditional ones too. */
  readonly values: string[];
}

/** A bar that is fixed to an edge of the screen. */
export interface Bar {
  readonly edge: 'top' | 'bottom';
  readonly kind: 'fixed' | 'sticky';
  readonly merged: Merged;
  /** Place of its `position`. */
  readonly position: LocatedDeclaration;
  /** CSS px without insets, where it is known. */
  readonly height: number | undefined;
  readonly color: Rgba | undefined;
  /** In a dark colour scheme. */
  readonly darkColor: Rgba | undefined;
  readonly usesInset: boolean;
}

export interface GroupStyles {
  readonly variables: Variables;
  readonly merged: ReadonlyMap<string, Merged>;
  readonly bars: readonly Bar[];
}

const DARK = /prefers-color-scheme\s*:\s*dark/i;

/** What a group's style sheets say, put together. It takes a while: rules ask {@link Derived} for it. */
export function groupStyles(group: StyleGroup, mayApply: (selector: string) => boolean): GroupStyles {
  const variables = new Map<string, string>();
  const inDark = new Map<string, string>();
  const merged = new Map<string, Merged>();
  for (const unit of group.styles) {
    for (const rule of unit.facts.rules) {
      for (const selector of rule.selectors) addRule(merged, variables, inDark, unit, rule, selector);
    }
  }
  for (const unit of group.styles) addDescendants(merged, unit);
  return {
    variables,
    merged,
    bars: findBars(group.page, merged, variables, new Map([...variables, ...inDark]), mayApply),
  };
}

function addRule(
  all: Map<string, Merged>,
  variables: Map<string, string>,
  inDark: Map<string, string>,
  unit: StyleUnit,
  rule: StyleRule,
  selector: string,
): void {
  const subject = subjectOf(selector);
  if (/^(before|after|placeholder|backdrop|selection|marker)$/.test(subject.pseudo.at(-1) ?? '')) return;
  const isPlain = rule.conditions.every((text) => text.startsWith('@layer') || text.startsWith('@supports'));
  const isDark = rule.conditions.some((text) => DARK.test(text));
  let entry = all.get(subject.text);
  if (entry === undefined) {
    entry = { subject, rule, unit, plain: new Map(), dark: new Map(), values: [] };
    all.set(subject.text, entry);
  }
  for (const declaration of rule.declarations) {
    entry.values.push(declaration.value);
    if (isDark && declaration.property.startsWith('--')) inDark.set(declaration.property, declaration.value);
    else if (isDark && subject.pseudo.length === 0)
      entry.dark.set(declaration.property, { ...declaration, unit });
    if (!isPlain) continue;
    if (declaration.property.startsWith('--') && !variables.has(declaration.property)) {
      variables.set(declaration.property, declaration.value);
    }
    if (subject.pseudo.length === 0 || declaration.property === 'position') {
      entry.plain.set(declaration.property, { ...declaration, unit });
    }
  }
}

/** Insets may be given to what is in a bar, as in `.bar > .inner`. */
function addDescendants(all: Map<string, Merged>, unit: StyleUnit): void {
  for (const rule of unit.facts.rules) {
    const values = rule.declarations
      .map(({ value }) => value)
      .filter((value) => /safe-area|var\(/.test(value));
    if (values.length === 0) continue;
    for (const selector of rule.selectors) {
      for (const part of selector.split(/[\s>+~]+/).slice(0, -1)) {
        const known = all.get(subjectOf(part).text)?.values;
        for (const value of values) known?.push(value);
      }
    }
  }
}

const isZero = (value: string | undefined) =>
  value !== undefined && /^[+-]?0(px|rem|em|%)?$/.test(value.trim());
/** An edge that the element keeps to: 0, or only the safe-area inset away. */
const keepsTo = (value: string | undefined) =>
  value !== undefined &&
  (isZero(value) || /^env\(\s*safe-area-inset-\w+\s*(,\s*0\w*)?\)$/.test(value.trim()));

function edges(plain: Merged['plain']): { top: boolean; right: boolean; bottom: boolean; left: boolean } {
  const inset = plain.get('inset')?.value;
  const [top, right, bottom, left] = inset === undefined ? [] : boxSides(inset);
  const side = (name: string, short: string | undefined) => keepsTo(plain.get(name)?.value ?? short);
  return {
    top: side('top', plain.get('inset-block-start')?.value ?? top),
    right: side('right', right),
    bottom: side('bottom', plain.get('inset-block-end')?.value ?? bottom),
    left: side('left', left),
  };
}

/** Letters below which a page has no text of its own. */
const SHELL_TEXT = 40;

/** Whether a page is empty until scripts draw it. */
export const isShell = ({ facts }: SitePage): boolean => facts.textLength < SHELL_TEXT;

/** Whether a page has, or may be given by its scripts, an element that a subject fits. */
function mayBeThere(page: SitePage, { tag, classes }: Subject): boolean {
  const { facts } = page;
  const there =
    classes.every((name) => facts.classes.has(name)) && (tag === undefined || facts.tags.has(tag));
  return there || isShell(page);
}

function colorOf(plain: Merged['plain'], variables: Variables): Rgba | undefined {
  const text = plain.get('background-color')?.value ?? plain.get('background')?.value;
  if (text === undefined) return undefined;
  const color = parseColor(withVariables(text, variables));
  return color?.a === 255 ? color : undefined;
}

/** Whether an element reaches from one edge to somewhere near the other: a screen of its own, and no bar. */
function isStretched(plain: Merged['plain']): boolean {
  const [top, bottom, height] = ['top', 'bottom', 'height'].map((name) => plain.get(name)?.value ?? 'auto');
  return top !== 'auto' && bottom !== 'auto' && height === 'auto';
}

/** Whether an element is out of sight until something shows it: a menu, a dialog, a message. */
function isHidden(plain: Merged['plain']): boolean {
  const value = (name: string) => plain.get(name)?.value ?? '';
  return (
    /^none\b/.test(value('display')) ||
    value('visibility') === 'hidden' ||
    /^0?\.?0+%?$/.test(value('opacity')) ||
    /translate(3d|[XY])?\([^)]*(-?1\d\d%|-?\d{3,}px)/i.test(`${value('transform')} ${value('translate')}`)
  );
}

function findBars(
  page: SitePage,
  all: ReadonlyMap<string, Merged>,
  variables: Variables,
  inDark: Variables,
  mayApply: (selector: string) => boolean,
): Bar[] {
  const bars: Bar[] = [];
  for (const merged of all.values()) {
    const { plain, subject } = merged;
    const position = plain.get('position');
    const kind = position?.value.replace('-webkit-', '');
    if (!position || (kind !== 'fixed' && kind !== 'sticky') || !mayBeThere(page, subject)) continue;
    if (isHidden(plain) || !mayApply(subject.text)) continue;
    const at = edges(plain);
    const width = plain.get('width')?.value;
    const spans = kind === 'sticky' || (at.left && at.right) || width === '100%' || width === '100vw';
    if (!spans || (at.top && at.bottom) || !(at.top || at.bottom) || isStretched(plain)) continue;
    const edge = at.top ? 'top' : 'bottom';
    // A sticky element counts as a bar only where it is a page's header or footer.
    if (kind === 'sticky' && !/header|nav|footer|bar|top|tabs/i.test(subject.text)) continue;
    const inset = `safe-area-inset-${edge}`;
    const height = plain.get('height')?.value ?? plain.get('min-height')?.value;
    bars.push({
      edge,
      kind,
      merged,
      position,
      height: height === undefined ? undefined : pixels(height, variables),
      color: colorOf(plain, variables),
      darkColor: colorOf(new Map([...plain, ...merged.dark]), inDark),
      usesInset: merged.values.some((value) => withVariables(value, variables).includes(inset)),
    });
  }
  return bars;
}

/** Room that a page's content leaves at an edge, in CSS px; `undefined` where it cannot be told. */
export function roomAt(page: SitePage, group: GroupStyles, edge: 'top' | 'bottom'): number | undefined {
  const index = edge === 'top' ? 0 : 2;
  const barSubjects = new Set(group.bars.map((bar) => bar.merged.subject.text));
  let outer = 0;
  let inner = 0;
  for (const element of page.facts.frames) {
    let own = 0;
    for (const { subject, plain } of group.merged.values()) {
      if (barSubjects.has(subject.text) || !fits(subject, element)) continue;
      for (const kind of ['padding', 'margin']) {
        const value =
          plain.get(`${kind}-${edge}`)?.value ??
          plain.get(`${kind}-block`)?.value ??
          (plain.has(kind) ? boxSides(plain.get(kind)?.value ?? '0')[index] : undefined);
        if (value === undefined || value === 'auto') continue;
        const size = pixels(value, group.variables);
        if (size === undefined) return undefined;
        own += size;
      }
      const offset = plain.get(edge)?.value;
      if (offset !== undefined && plain.has('position')) own += pixels(offset, group.variables) ?? 0;
    }
    if (element.tag === 'html' || element.tag === 'body') outer += own;
    else inner = Math.max(inner, own);
  }
  return outer + inner;
}
