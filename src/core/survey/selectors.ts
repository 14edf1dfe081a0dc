import type { ElementNode } from '../site/elements.js';

/** The last part of a selector, as far as it can be held against an element without its tree. */
export interface Subject {
  /** The part as written, without pseudo-classes: rules about the same part have the same text. */
  readonly text: string;
  readonly tag: string | undefined;
  readonly id: string | undefined;
  readonly classes: readonly string[];
  readonly pseudo: readonly string[];
}

const cache = new Map<string, Subject>();
const MAX_CACHED = 50_000;

/** Where the last compound of a complex selector begins (Selectors Level 4, section 3.2). */
function lastCompound(selector: string): string {
  let depth = 0;
  for (let i = selector.length - 1; i >= 0; i -= 1) {
    const c = selector[i] as string;
    if (c === ')' || c === ']') depth += 1;
    else if (c === '(' || c === '[') depth -= 1;
    else if (depth === 0 && (c === ' ' || c === '>' || c === '+' || c === '~' || c === '\n'))
      return selector.slice(i + 1);
  }
  return selector;
}

export function subjectOf(selector: string): Subject {
  const known = cache.get(selector);
  if (known) return known;
  const compound = lastCompound(selector.trim());
  const pseudo = [...compound.matchAll(/::?([\w-]+)/g)].map((match) => match[1] as string);
  const text = compound.replaceAll(/::?[\w-]+(\([^)]*\))?/g, '') || '*';
  const plain = text.replaceAll(/\[[^\]]*\]/g, '');
  const subject = {
    text,
    tag: /^[a-z][\w-]*/i.exec(plain)?.[0]?.toLowerCase(),
    id: /#([\w-]+)/.exec(plain)?.[1],
    classes: [...plain.matchAll(/\.([\w-]+)/g)].map((match) => match[1] as string),
    pseudo,
  };
  if (cache.size > MAX_CACHED) cache.clear();
  cache.set(selector, subject);
  return subject;
}

/** Whether the last part of a selector fits an element; what is before it is not looked at. */
export function fits(subject: Subject, element: ElementNode): boolean {
  if (subject.tag === undefined && subject.id === undefined && subject.classes.length === 0) return false;
  return (
    (subject.tag === undefined || subject.tag === element.tag) &&
    (subject.id === undefined || subject.id === element.id) &&
    subject.classes.every((name) => element.classes.includes(name))
  );
}

/** An element that scripts make, as far as a selector describes it and what it is in. */
export function syntheticElement(selector: string): ElementNode {
  const last = lastCompound(selector.trim());
  const before = selector
    .trim()
    .slice(0, -last.length || undefined)
    .replace(/[\s>+~]+$/, '');
  const { tag, id, classes } = subjectOf(last);
  const parent = last === '' || before === '' ? undefined : syntheticElement(before);
  return { tag, ...(id === undefined ? {} : { id }), classes, parent, open: true };
}
