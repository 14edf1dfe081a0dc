import { readFileSync } from 'node:fs';
import { packagedPath } from './packaged.js';

/** Markup that is safe as it is: only {@link html} and {@link trusted} make it. */
export class Html {
  readonly #text: string;

  constructor(text: string) {
    this.#text = text;
  }

  toString(): string {
    return this.#text;
  }
}

/** What may be put into a template: text and numbers are escaped, markup is not; nothing is left out. */
export type HtmlPart = Html | string | number | undefined | false | readonly HtmlPart[];

/** Text as HTML, also for an attribute between double quotes (HTML Standard, "escaping a string"). */
export const escapeHtml = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

function render(part: HtmlPart): string {
  if (part === undefined || part === false) return '';
  if (typeof part === 'string') return escapeHtml(part);
  if (typeof part === 'number') return String(part);
  return part instanceof Html ? part.toString() : part.map(render).join('');
}

/** Markup with values in it: `` html`<b>${name}</b>` ``. Every text is escaped. */
export function html(texts: TemplateStringsArray, ...values: readonly HtmlPart[]): Html {
  return new Html(texts.map((text, index) => text + render(values[index])).join(''));
}

/** Text of our own that is markup or a style already. */
export const trusted = (text: string): Html => new Html(text);

/** Parts with a line break between them. */
export const lines = (parts: readonly Html[]): Html => new Html(parts.join('\n'));

/**
 * A whole page that needs nothing else: no script, no request, images inside it.
 *
 * @param styles names of style sheets in `pages/`, without their ending; what all pages share comes first
 * @param more styles that are made for this page
 */
export function page(title: string, styles: readonly string[], body: Html, more: Html = trusted('')): string {
  const sheets = ['page', ...styles].map((name) => readFileSync(packagedPath(`pages/${name}.css`), 'utf8'));
  return html`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title}</title><style>
${more}${trusted(sheets.join(''))}</style></head><body>
${body}
</body></html>
`.toString();
}
