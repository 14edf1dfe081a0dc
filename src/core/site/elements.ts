import type { DefaultTreeAdapterTypes } from 'parse5';

type Element = DefaultTreeAdapterTypes.Element;

/**
 * An element as selectors see it, with what it is in. Pages of one site share these: elements that no selector could
 * distinguish are the same object, so that thousands of pages need hardly more of them than one.
 */
export interface ElementNode {
  /** In lower case; `undefined` for an element that only scripts make, where nothing says its kind. */
  readonly tag: string | undefined;
  readonly id?: string;
  readonly classes: readonly string[];
  readonly role?: string;
  readonly hidden?: true;
  /** Its `style` attribute, as written. */
  readonly style?: string;
  readonly parent: ElementNode | undefined;
  /** Whether scripts make it, so that it may have more than what is known of it. */
  readonly open?: true;
}

/** Elements that are kept of one site; where there are more, what styles say of them is not judged. */
const MAX_NODES = 150_000;

/** Elements that lay nothing out. */
const WITHOUT_BOX = new Set([
  'base',
  'head',
  'link',
  'meta',
  'noscript',
  'option',
  'param',
  'script',
  'source',
  'style',
  'template',
  'title',
  'track',
  'wbr',
]);

/** Makes the elements of a site's pages, each kind once. */
export class ElementTable {
  readonly #known = new Map<ElementNode | undefined, Map<string, ElementNode>>();
  #count = 0;
  /** Whether some elements were left out, so that not all are known. */
  isFull = false;

  /** The element with these parts; `undefined` where it has no box, or too many are known already. */
  node(element: Element, parent: ElementNode | undefined): ElementNode | undefined {
    const tag = element.tagName;
    if (WITHOUT_BOX.has(tag) || (parent === undefined && tag !== 'html')) return undefined;
    if (parent !== undefined && !element.namespaceURI.endsWith('xhtml')) return undefined;
    const key = keyOf(element);
    let below = this.#known.get(parent);
    if (below === undefined) {
      below = new Map();
      this.#known.set(parent, below);
    }
    const known = below.get(key);
    if (known !== undefined) return known;
    if (this.#count >= MAX_NODES) {
      this.isFull = true;
      return undefined;
    }
    this.#count += 1;
    const made = nodeOf(element, parent);
    below.set(key, made);
    return made;
  }
}

const RELEVANT = new Set(['id', 'class', 'role', 'hidden', 'style']);

function keyOf({ tagName, attrs }: Element): string {
  let key = tagName;
  for (const { name, value } of attrs) if (RELEVANT.has(name)) key += `\0${name}=${value}`;
  return key;
}

function nodeOf({ tagName, attrs }: Element, parent: ElementNode | undefined): ElementNode {
  const value = (name: string) => attrs.find((item) => item.name === name)?.value;
  const id = value('id');
  const role = value('role');
  const style = value('style')?.trim();
  return {
    tag: tagName,
    ...(id === undefined ? {} : { id }),
    ...(role === undefined ? {} : { role }),
    ...(value('hidden') === undefined ? {} : { hidden: true }),
    ...(style ? { style } : {}),
    classes: (value('class') ?? '').split(/\s+/).filter((name) => name !== ''),
    parent,
  };
}

/** Whether an element is in another one. */
export function isWithin(node: ElementNode, outer: ElementNode): boolean {
  for (let at = node.parent; at !== undefined; at = at.parent) if (at === outer) return true;
  return false;
}
