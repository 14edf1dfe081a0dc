import { type DefaultTreeAdapterTypes, parse } from 'parse5';
import { HullError } from '../errors.js';
import { readPage } from '../site/page.js';
import type { PageFacts } from '../site/page-facts.js';
import type { HeadTag } from './tags.js';

/** Marks that are around what was put in place, in HTML and in JSX. */
const MARKS = {
  html: { begin: '<!-- hull tags: begin -->', end: '<!-- hull tags: end -->' },
  jsx: { begin: '{/* hull tags: begin */}', end: '{/* hull tags: end */}' },
} as const;

export type PageForm = 'html' | 'jsx';

export function formOf(file: string): PageForm {
  return /\.[jt]sx$/i.test(file) ? 'jsx' : 'html';
}

interface Block {
  /** Offsets of the whole lines that the marks and what is between are on. */
  readonly from: number;
  readonly to: number;
  readonly isOwnLine: boolean;
}

function findBlock(file: string, text: string, form: PageForm): Block | undefined {
  const { begin, end } = MARKS[form];
  const [first, last] = [text.indexOf(begin), text.indexOf(end)];
  if (first === -1 && last === -1) return undefined;
  const isTwice = text.includes(begin, first + 1) || text.includes(end, last + 1);
  if (first === -1 || last < first || isTwice) {
    throw new HullError(
      'tags.marks',
      isTwice ? 'The marks appear here more than once.' : 'One of the two marks is missing.',
      {
        location: { file, line: text.slice(0, Math.max(first, last, 0)).split('\n').length },
        fix: `Leave one pair: ${begin} … ${end}; or remove both, and run the command again.`,
      },
    );
  }
  // Lines of their own go as a whole; inside a line only what was put there.
  const lineStart = text.lastIndexOf('\n', first) + 1;
  const isOwnLine = text.slice(lineStart, first).trim() === '';
  const after = last + end.length;
  const next = text.indexOf('\n', after);
  const lineEnd = next === -1 ? text.length : next + 1;
  const endsLine = text.slice(after, lineEnd).trim() === '';
  return { from: isOwnLine ? lineStart : first, to: isOwnLine && endsLine ? lineEnd : after, isOwnLine };
}

/** A page without what was put in place; the same text where there is nothing. */
export function removeBlock(file: string, text: string): string {
  const block = findBlock(file, text, formOf(file));
  return block ? text.slice(0, block.from) + text.slice(block.to) : text;
}

const OWN_STYLE = /<style\b[^>]*\bdata-hull\b[^>]*>[\s\S]*?<\/style>/gi;

/** A page as it is without the styles that were put in place, whether or not a build has kept the marks around them. */
export const withoutTags = (file: string, text: string): string =>
  removeBlock(file, text).replaceAll(OWN_STYLE, (style) => style.replaceAll(/[^\n]/g, ' '));

/** Tags that a page has of its own, outside the marks: these are left to it. */
export const ownKeys = (text: string): ReadonlySet<string> => keysOf(readPage(text));

/** Tags that a page has of its own. */
export function keysOf({ metas, references }: Pick<PageFacts, 'metas' | 'references'>): ReadonlySet<string> {
  const keys = new Set<string>();
  for (const { name } of metas) keys.add(`meta ${name}`);
  for (const { kind } of references) {
    if (kind === 'manifest') keys.add('link manifest');
    if (kind === 'icon') keys.add('link icon').add('link icon ico');
    if (kind === 'touch-icon') keys.add('link apple-touch-icon');
    if (kind === 'startup-image') keys.add('link apple-touch-startup-image');
  }
  return keys;
}

interface InsertionPoint {
  readonly at: number;
  readonly indent: string;
  readonly isOwnLine: boolean;
}

const indentAt = (text: string, offset: number) =>
  /^[ \t]*/.exec(text.slice(text.lastIndexOf('\n', offset - 1) + 1))?.[0] ?? '';

/** Before a tag that ends the head. */
function before(text: string, offset: number): InsertionPoint {
  const line = text.lastIndexOf('\n', offset - 1) + 1;
  const isOwnLine = text.slice(line, offset).trim() === '' && line > 0;
  return { at: isOwnLine ? line : offset, indent: `${indentAt(text, offset)}  `, isOwnLine };
}

/** Behind the last thing that is in the head. */
function behind(text: string, offset: number): InsertionPoint {
  const lineEnd = text.indexOf('\n', offset);
  const isOwnLine = lineEnd !== -1 && text.slice(offset, lineEnd).trim() === '';
  return { at: isOwnLine ? lineEnd + 1 : offset, indent: indentAt(text, offset), isOwnLine };
}

type Located = DefaultTreeAdapterTypes.ChildNode;

/** Where the head of a page ends, whether its tags are written or not (HTML Standard, "optional tags"). */
function endOfHead(text: string): InsertionPoint {
  const document = parse(text, { sourceCodeLocationInfo: true });
  const root = document.childNodes.find(({ nodeName }) => nodeName === 'html') as
    | DefaultTreeAdapterTypes.Element
    | undefined;
  const head = root?.childNodes.find(({ nodeName }) => nodeName === 'head') as
    | DefaultTreeAdapterTypes.Element
    | undefined;
  const own = head?.sourceCodeLocation;
  if (own?.endTag) return before(text, own.endTag.startOffset);
  const last = head?.childNodes.findLast(
    (node: Located) => node.nodeName !== '#text' && node.sourceCodeLocation,
  );
  const doctype = document.childNodes.find(({ nodeName }) => nodeName === '#documentType');
  const end =
    last?.sourceCodeLocation?.endOffset ??
    own?.startTag?.endOffset ??
    root?.sourceCodeLocation?.startTag?.endOffset ??
    doctype?.sourceCodeLocation?.endOffset;
  return end === undefined ? { at: 0, indent: '', isOwnLine: true } : behind(text, end);
}

/** What only something that makes pages has in it: marks of template languages, or a script before the page. */
const TEMPLATE_MARKS = /\{%|\{\{|<%|<\?php|%[\w.]+%|^---\r?\n/;

/** Whether a file is what a page is made from, rather than a page; what is in a page's content may look the same. */
function isTemplate(file: string, text: string): boolean {
  if (!/\.x?html?$/i.test(file)) return true;
  const begin = text.search(/<(!doctype|html|head)\b/i);
  return TEMPLATE_MARKS.test(begin < 0 ? text : text.slice(0, begin));
}

/** Where a new block goes: at the end of the head, so that its styles count where the page’s own say otherwise. */
function insertionPoint(file: string, text: string, form: PageForm): InsertionPoint {
  if (!isTemplate(file, text)) return endOfHead(text);
  const end = /<\/([\w-]+:)?[Hh]ead>/.exec(text);
  // A whole page with its optional tags left out is one for a template, too.
  if (end === null && form === 'html' && /^\s*<!doctype\b/i.test(text)) return endOfHead(text);
  if (end === null) {
    throw new HullError('tags.no-head', 'This template has no </head> to put the tags before.', {
      location: { file, line: 1 },
      fix: `Write the marks where the head of each page is made, in this file or another, each on a line of its own:\n${MARKS[form].begin}\n${MARKS[form].end}`,
    });
  }
  return before(text, end.index);
}

/**
 * A page with lines put between the marks: where they stand already, else at the end of the head. Everything else stays as
 * it is, byte for byte, and doing it twice changes nothing.
 *
 * @throws HullError `tags.no-head`, `tags.marks`
 */
export function putBlock(file: string, text: string, lines: readonly string[]): string {
  const form = formOf(file);
  const eol = text.includes('\r\n') ? '\r\n' : '\n';
  const { begin, end } = MARKS[form];
  const render = (indent: string, isOwnLine: boolean) => {
    const all = [begin, ...lines, end];
    return isOwnLine ? all.map((line) => indent + line).join(eol) + eol : all.join(eol);
  };
  const block = findBlock(file, text, form);
  if (block) {
    const indent = block.isOwnLine ? (/^[ \t]*/.exec(text.slice(block.from))?.[0] ?? '') : '';
    return text.slice(0, block.from) + render(indent, block.isOwnLine) + text.slice(block.to);
  }
  const { at, indent, isOwnLine } = insertionPoint(file, text, form);
  return text.slice(0, at) + render(indent, isOwnLine) + text.slice(at);
}

/** Tags that are not the page's own already. */
export function neededTags(
  tags: readonly HeadTag[],
  text: string,
  more: ReadonlySet<string> = new Set(),
): HeadTag[] {
  const own = ownKeys(text);
  return tags.filter(({ key }) => !own.has(key) && !more.has(key));
}

/** Tags that a block holds now, so that what a build has made of them is not taken for its own. */
export function blockKeys(file: string, text: string): ReadonlySet<string> {
  const block = findBlock(file, text, formOf(file));
  return block ? ownKeys(text.slice(block.from, block.to)) : new Set();
}

/** Whether a page has the block, in whatever form. */
export const hasBlock = (text: string): boolean => text.includes('hull tags: begin');
