/** Text of a section: Markdown as people write it, plain as stores show it. */

/** Marks that Markdown has and stores show as they are. */
const MARKUP = [
  [/\*\*[^*\n]+\*\*|__[^_\n]+__/, 'bold text'],
  [/!?\[[^\]\n]*\]\([^)\n]*\)/, 'a link'],
  [/<\/?[a-z][^>\n]*>/i, 'HTML'],
  [/`[^`\n]+`/, 'code'],
] as const;

/** What of Markdown a store would show as it is written; `undefined` where nothing is. */
export function shownMarkup(line: string): string | undefined {
  return MARKUP.find(([pattern]) => pattern.test(line))?.[1];
}

const ITEM = /^\s*[-*+]\s+/;

/** The lines of a section as plain text: paragraphs on one line each, items of lists behind a bullet, headings as they are. */
export function plainText(lines: readonly string[]): string {
  const out: string[] = [];
  let isOpen = false;
  for (const raw of lines) {
    const line = raw.trim();
    if (line === '') {
      isOpen = false;
      if (out.length > 0 && out.at(-1) !== '') out.push('');
    } else if (ITEM.test(raw)) {
      out.push(`• ${line.replace(ITEM, '')}`);
      isOpen = true;
    } else if (/^#{2,6}\s/.test(line)) {
      out.push(line.replace(/^#+\s+/, ''));
      isOpen = false;
    } else if (isOpen) {
      out.push(`${out.pop()} ${line}`);
    } else {
      out.push(line);
      isOpen = true;
    }
  }
  while (out.at(-1) === '') out.pop();
  return out.join('\n');
}
