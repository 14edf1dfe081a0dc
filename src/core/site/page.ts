import { type DefaultTreeAdapterMap, type DefaultTreeAdapterTypes, type ParserError, parse } from 'parse5';
import { type ElementNode, ElementTable } from './elements.js';
import type { FieldFacts, InlineText, Meta, PageFacts, Reference, ReferenceKind } from './page-facts.js';
import type { Position } from './positions.js';

type Element = DefaultTreeAdapterTypes.Element;

/** Faults after which the page is not what its author sees in the source (HTML Standard, parse errors). */
const TELLING = new Set([
  'missing-doctype',
  'eof-in-tag',
  'eof-in-comment',
  'eof-in-script-html-comment-like-text',
  'eof-before-tag-name',
  'eof-in-element-that-can-contain-only-text',
  'duplicate-attribute',
  'unexpected-null-character',
  'non-void-html-element-start-tag-with-trailing-solidus',
  'unexpected-character-in-attribute-name',
  'missing-whitespace-between-attributes',
  'unexpected-character-in-unquoted-attribute-value',
  'closing-of-element-with-open-child-elements',
]);
const MAX_FAULTS = 5;
const CONTENT_TAGS = new Set(['html', 'body', 'main']);
const STYLE_OF_INTEREST = /v[hw]\b|fixed|sticky|url\(|\dpx|--|padding|margin|safe-area/i;
const HANDLER_OF_INTEREST =
  /navigator|Notification|DeviceMotion|DeviceOrientation|https?:|show(Open|Save|Directory)/;
const TEXT_ENOUGH = 400;

/** Parses with the options that the bench's floor has too. */
export function parsePage(
  html: string,
  onParseError?: (error: ParserError) => void,
): DefaultTreeAdapterMap['document'] {
  return parse(html, { sourceCodeLocationInfo: true, ...(onParseError ? { onParseError } : {}) });
}

/** What the pages of one site have in common: texts that many of them hold are kept once. */
export interface PageSharing {
  intern(text: string): string;
  /** Whether no page before named this address. */
  isNewLink(href: string): boolean;
  readonly elements: ElementTable;
}

const alone = (): PageSharing => ({
  intern: (text) => text,
  isNewLink: () => true,
  elements: new ElementTable(),
});

class Reader {
  readonly #shared: PageSharing;
  readonly metas: Meta[] = [];
  readonly references: Reference[] = [];
  readonly scripts: (InlineText & { module: boolean })[] = [];
  readonly styles: InlineText[] = [];
  readonly styleAttributes: InlineText[] = [];
  readonly frames: ElementNode[] = [];
  readonly #nodes = new Map<Element, ElementNode>();
  readonly classes = new Set<string>();
  readonly tags = new Set<string>();
  readonly fields: FieldFacts[] = [];
  readonly icons: { href: string; largest: number; type?: string }[] = [];
  readonly linkTexts: { href: string; text: string }[] = [];
  title: string | undefined;
  manifest: string | undefined;
  canonical: string | undefined;
  themeColor: string | undefined;
  base: string | undefined;
  lang: string | undefined;
  headPosition: Position | undefined;
  banner: PageFacts['banner'];
  textLength = 0;

  constructor(shared: PageSharing) {
    this.#shared = shared;
  }

  #refer(element: Element, kind: ReferenceKind, attribute: string): void {
    const text = attr(element, attribute);
    if (text === undefined) return;
    const { line, column } = attributeSpot(element, attribute);
    const media = kind === 'startup-image' ? attr(element, 'media') : undefined;
    this.references.push({
      kind,
      text: this.#shared.intern(text),
      line,
      column,
      ...(media === undefined ? {} : { media }),
    });
  }

  #referSet(element: Element, kind: ReferenceKind): void {
    const text = attr(element, 'srcset');
    if (text === undefined) return;
    const spot = attributeSpot(element, 'srcset');
    for (const part of text.split(/,\s+/)) {
      const [url] = part.trim().split(/\s+/);
      if (url) this.references.push({ kind, text: url, ...spot });
    }
  }

  #meta(element: Element): void {
    const name = (
      attr(element, 'name') ??
      attr(element, 'property') ??
      attr(element, 'http-equiv')
    )?.toLowerCase();
    const content = attr(element, 'content');
    if (name === undefined || content === undefined) return;
    const media = attr(element, 'media');
    const spot = attributeSpot(element, 'content');
    this.metas.push({ name, content, ...(media === undefined ? {} : { media }), ...spot });
    if (name === 'theme-color' && (media === undefined || this.themeColor === undefined))
      this.themeColor = content;
    if (name === 'refresh') {
      const target = /url\s*=\s*["']?([^"']+)/i.exec(content)?.[1];
      if (target) this.references.push({ kind: 'link', text: target, ...spot });
    }
  }

  #link(element: Element): void {
    const rel = (attr(element, 'rel') ?? '').toLowerCase().split(/\s+/);
    const href = attr(element, 'href');
    if (href === undefined || href === '') return;
    if (rel.includes('manifest')) {
      this.manifest ??= href;
      this.#refer(element, 'manifest', 'href');
    }
    if (rel.includes('canonical')) {
      this.canonical ??= href;
      this.#refer(element, 'canonical', 'href');
    }
    if (rel.includes('stylesheet') && !rel.includes('alternate')) this.#refer(element, 'style', 'href');
    if (rel.includes('modulepreload')) this.#refer(element, 'module', 'href');
    if (rel.includes('preload') || rel.includes('prefetch')) this.#refer(element, 'preload', 'href');
    if (rel.includes('apple-touch-startup-image')) this.#refer(element, 'startup-image', 'href');
    const isTouch = rel.includes('apple-touch-icon') || rel.includes('apple-touch-icon-precomposed');
    if (isTouch || rel.includes('icon')) {
      this.#refer(element, isTouch ? 'touch-icon' : 'icon', 'href');
      const sizes = attr(element, 'sizes');
      const size = /(\d+)x\d+/.exec(sizes ?? '');
      const type = attr(element, 'type');
      const largest = size ? Number(size[1]) : sizes === 'any' ? Number.POSITIVE_INFINITY : 0;
      this.icons.push({ href, largest, ...(type === undefined ? {} : { type }) });
    }
  }

  #script(element: Element): void {
    const type = (attr(element, 'type') ?? '').toLowerCase();
    const isModule = type === 'module';
    if (type !== '' && !isModule && !/javascript|ecmascript/.test(type)) return;
    if (attr(element, 'src') !== undefined) this.#refer(element, isModule ? 'module' : 'script', 'src');
    else this.#inline(element, (inline) => this.scripts.push({ ...inline, module: isModule }));
  }

  #inline(element: Element, add: (inline: InlineText) => void): void {
    const [node] = element.childNodes;
    if (node === undefined || !('value' in node) || node.value.trim() === '') return;
    const start = node.sourceCodeLocation;
    add({ text: node.value, line: start?.startLine ?? 1, column: start?.startCol ?? 1 });
  }

  #anchor(element: Element): void {
    this.#refer(element, 'link', 'href');
    const href = attr(element, 'href');
    if (href !== undefined && this.linkTexts.length < 200 && this.#shared.isNewLink(href)) {
      this.linkTexts.push({ href, text: textOf(element).slice(0, 100) });
    }
  }

  #handlers(element: Element): void {
    for (const { name, value } of element.attrs) {
      if (name.startsWith('on') && HANDLER_OF_INTEREST.test(value)) {
        const { line, column } = attributeSpot(element, name);
        this.scripts.push({ text: value, module: false, line, column: column + name.length + 2 });
      }
    }
    const style = attr(element, 'style');
    if (style !== undefined && STYLE_OF_INTEREST.test(style)) {
      const { line, column } = attributeSpot(element, 'style');
      this.styleAttributes.push({ text: style, line, column: column + 'style="'.length });
    }
  }

  /** The kinds of element that the page has. */
  elements(): ReadonlySet<ElementNode> {
    return new Set(this.#nodes.values());
  }

  #structure(element: Element, tag: string): void {
    const parent = element.parentNode;
    const around = parent !== null && 'tagName' in parent ? this.#nodes.get(parent) : undefined;
    const node = this.#shared.elements.node(element, around);
    if (node === undefined) return;
    this.#nodes.set(element, node);
    const isFrame =
      CONTENT_TAGS.has(tag) ||
      node.role === 'main' ||
      around?.tag === 'body' ||
      (around !== undefined && this.frames.includes(around) && isAtEnd(element));
    if (isFrame && this.frames.length < MAX_FRAMES) this.frames.push(node);
    if (
      this.banner === undefined &&
      (tag === 'header' || node.role === 'banner') &&
      !insideContent(element)
    ) {
      this.banner = { tag, node, ...elementSpot(element) };
    }
  }

  read(element: Element): void {
    const tag = element.tagName;
    this.tags.add(tag);
    if (element.attrs.length > 0) {
      const classes = attr(element, 'class');
      if (classes !== undefined)
        for (const name of classes.split(/\s+/)) if (name !== '') this.classes.add(name);
      this.#handlers(element);
    }
    this.#structure(element, tag);
    switch (tag) {
      case 'html':
        this.lang = attr(element, 'lang');
        break;
      case 'head':
        this.headPosition = elementSpot(element);
        break;
      case 'base':
        this.base ??= attr(element, 'href');
        break;
      case 'title':
        this.title ??= this.#isSvg(element) ? undefined : textOf(element) || undefined;
        break;
      case 'meta':
        this.#meta(element);
        break;
      case 'link':
        this.#link(element);
        break;
      case 'script':
        this.#script(element);
        break;
      case 'style':
        this.#inline(element, (inline) => this.styles.push(inline));
        break;
      case 'a':
      case 'area':
        this.#anchor(element);
        break;
      case 'img':
        this.#refer(element, 'image', 'src');
        this.#referSet(element, 'image');
        break;
      case 'source':
        this.#refer(element, 'media', 'src');
        this.#referSet(element, 'image');
        break;
      case 'video':
      case 'audio':
      case 'track':
        this.#refer(element, 'media', 'src');
        this.#refer(element, 'image', 'poster');
        break;
      case 'iframe':
      case 'frame':
      case 'embed':
        this.#refer(element, 'frame', 'src');
        break;
      case 'object':
        this.#refer(element, 'frame', 'data');
        break;
      case 'form':
        this.#refer(element, 'form', 'action');
        break;
      case 'button':
        this.#refer(element, 'form', 'formaction');
        break;
      case 'input':
      case 'textarea':
      case 'select':
        this.#field(element);
        break;
      case 'image':
      case 'use':
        this.#refer(element, 'image', 'href');
        break;
      default:
    }
  }

  #isSvg(element: Element): boolean {
    return element.namespaceURI.endsWith('/svg');
  }

  #field(element: Element): void {
    this.#refer(element, 'form', 'formaction');
    if (attr(element, 'type') === 'image') this.#refer(element, 'image', 'src');
    this.fields.push({
      type: (attr(element, 'type') ?? element.tagName).toLowerCase(),
      autocomplete: (attr(element, 'autocomplete') ?? '').toLowerCase(),
      capture: attr(element, 'capture') !== undefined,
      accept: (attr(element, 'accept') ?? '').toLowerCase(),
      ...elementSpot(element),
    });
  }
}

function attr(element: Element, name: string): string | undefined {
  for (const item of element.attrs) if (item.name === name) return item.value.trim();
  return undefined;
}

function elementSpot(element: Element): Position {
  const location = element.sourceCodeLocation;
  return { line: location?.startLine ?? 1, column: location?.startCol ?? 1 };
}

function attributeSpot(element: Element, name: string): Position {
  const location = element.sourceCodeLocation?.attrs?.[name];
  return location ? { line: location.startLine, column: location.startCol } : elementSpot(element);
}

const MAX_FRAMES = 80;

/** Whether an element is the first or the second, or the last, of what it is in. */
function isAtEnd(element: Element): boolean {
  const nodes = element.parentNode?.childNodes ?? [];
  let before = 0;
  for (const node of nodes) {
    if (node === element) return true;
    if ('tagName' in node) before += 1;
    if (before > 1) break;
  }
  for (let index = nodes.length - 1; index >= 0; index -= 1) {
    const node = nodes[index];
    if (node !== undefined && 'tagName' in node) return node === element;
  }
  return false;
}

function ancestors(element: Element): Element[] {
  const found: Element[] = [];
  for (let at = element.parentNode; at !== null && 'tagName' in at; at = at.parentNode) found.push(at);
  return found;
}

function insideContent(element: Element): boolean {
  return ancestors(element).some(({ tagName }) => /^(main|article|section|aside|dialog|li)$/.test(tagName));
}

/** Puts nodes onto a stack, so that they come off it in document order; there may be more than a call takes arguments. */
function pushReversed(
  stack: DefaultTreeAdapterTypes.ChildNode[],
  nodes: readonly DefaultTreeAdapterTypes.ChildNode[],
): void {
  for (let i = nodes.length - 1; i >= 0; i -= 1) stack.push(nodes[i] as DefaultTreeAdapterTypes.ChildNode);
}

function textOf(element: Element): string {
  const [only] = element.childNodes;
  if (only !== undefined && 'value' in only && element.childNodes.length === 1)
    return only.value.slice(0, 400).replaceAll(/\s+/g, ' ').trim();
  let text = '';
  const pending: DefaultTreeAdapterTypes.ChildNode[] = [];
  pushReversed(pending, element.childNodes);
  for (let node = pending.pop(); node !== undefined && text.length < 400; node = pending.pop()) {
    if (node.nodeName === '#text' && 'value' in node) text += node.value;
    else if ('childNodes' in node) pushReversed(pending, node.childNodes);
  }
  return text.replaceAll(/\s+/g, ' ').trim();
}

/** Elements in document order; of templates too, whose content scripts put into the page. */
function visit(root: DefaultTreeAdapterMap['document'], reader: Reader): void {
  const pending: DefaultTreeAdapterTypes.ChildNode[] = [...root.childNodes].reverse();
  for (let node = pending.pop(); node !== undefined; node = pending.pop()) {
    if (!('tagName' in node)) {
      if (reader.textLength < TEXT_ENOUGH && node.nodeName === '#text' && 'value' in node) {
        const { parentNode } = node;
        const isText =
          parentNode !== null && !/^(script|style|noscript|title|head|html)$/.test(parentNode.nodeName);
        if (isText) reader.textLength += node.value.trim().length;
      }
      continue;
    }
    reader.read(node);
    pushReversed(pending, 'content' in node ? node.content.childNodes : node.childNodes);
  }
}

/** Reads a page; broken HTML is read as a browser reads it, and told. */
export function readPage(html: string, shared: PageSharing = alone()): PageFacts {
  const faults: (Position & { code: string })[] = [];
  const document = parsePage(html, ({ code, startLine, startCol }) => {
    if (faults.length < MAX_FAULTS && TELLING.has(code))
      faults.push({ code, line: startLine, column: startCol });
  });
  const reader = new Reader(shared);
  visit(document, reader);
  const { title, manifest, canonical, themeColor, icons } = reader;
  return {
    head: {
      ...(title === undefined ? {} : { title }),
      ...(manifest === undefined ? {} : { manifest }),
      ...(canonical === undefined ? {} : { canonical }),
      ...(themeColor === undefined ? {} : { themeColor }),
      icons,
    },
    ...(reader.lang === undefined ? {} : { lang: reader.lang }),
    ...(reader.base === undefined ? {} : { base: reader.base }),
    headPosition: reader.headPosition ?? { line: 1, column: 1 },
    metas: reader.metas,
    references: reader.references,
    scripts: reader.scripts,
    styles: reader.styles,
    styleAttributes: reader.styleAttributes,
    ...(reader.banner === undefined ? {} : { banner: reader.banner }),
    frames: reader.frames,
    elements: reader.elements(),
    classes: reader.classes,
    tags: reader.tags,
    fields: reader.fields,
    faults,
    textLength: reader.textLength,
    linkTexts: reader.linkTexts,
  };
}
