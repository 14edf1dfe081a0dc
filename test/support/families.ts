import { readAppleAssociation } from '../../src/core/domains/documents/apple-association.js';
import { readAssetLinks } from '../../src/core/domains/documents/asset-links.js';
import { readOriginAssociation } from '../../src/core/domains/documents/origin-association.js';
import { HullError } from '../../src/core/errors.js';
import { readPage } from '../../src/core/site/page.js';
import { readScript } from '../../src/core/site/script.js';
import { readSitemapUrls } from '../../src/core/site/sitemap.js';
import { readStyle } from '../../src/core/site/style.js';
import { decodeText } from '../../src/core/site/text.js';
import { parseWebManifest } from '../../src/core/site/web-manifest.js';

/**
 * Families of inputs that make naive readers take time or memory out of proportion: `make(n)` grows linearly with n. Used by
 * the tests, which feed them a great many, and by the fuzzer.
 */
export interface Family {
  readonly name: string;
  /** A text of about `count` repetitions. */
  readonly make: (count: number) => string;
}

const times = (text: string) => (count: number) => text.repeat(count);
const nested = (open: string, inner: string, close: string) => (count: number) =>
  open.repeat(count) + inner + close.repeat(count);

export const STYLES: readonly Family[] = [
  { name: 'url( that is never closed', make: times('url(') },
  { name: 'url( with a quote', make: times('url("') },
  { name: 'values with url(', make: (n) => `a{b:${'url( '.repeat(n)}}` },
  { name: 'values with url( and spaces', make: (n) => `a{b:${'url('}${' '.repeat(n)}x` },
  { name: 'open blocks', make: times('a{') },
  { name: 'open brackets', make: times('a([{') },
  { name: 'closing brackets', make: times('}])') },
  { name: 'nested rules', make: nested('a{', 'b:c', '}') },
  { name: 'nested at-rules', make: nested('@media x{', 'a{b:c}', '}') },
  { name: 'commas', make: (n) => `${'a,'.repeat(n)}b{c:d}` },
  { name: 'selectors with brackets', make: (n) => `${':is(a,'.repeat(n)}b${')'.repeat(n)}{c:d}` },
  { name: 'comments', make: times('/*') },
  { name: 'broken declarations', make: (n) => `a{${'b:;;:'.repeat(n)}}` },
  { name: 'at signs', make: times('@') },
  { name: 'escapes', make: times('\\') },
  { name: 'imports', make: times('@import url(x);') },
  { name: 'quotes', make: times('"\n') },
];

export const PAGES: readonly Family[] = [
  { name: 'open elements', make: times('<div>') },
  { name: 'open paragraphs', make: times('<p>') },
  { name: 'formatting elements', make: times('<b>') },
  {
    name: 'formatting elements with attributes',
    make: (n) => Array.from({ length: n }, (_, i) => `<b a${i}>`).join(''),
  },
  { name: 'misnested elements', make: times('<b><p></b>') },
  { name: 'links in links', make: times('<a>') },
  { name: 'tables in cells', make: times('<table><td>') },
  { name: 'text in tables', make: (n) => `<table>${'x<tr>'.repeat(n)}` },
  { name: 'options', make: times('<select><option>') },
  { name: 'attributes', make: (n) => `<p ${Array.from({ length: n }, (_, i) => `a${i}=1`).join(' ')}>` },
  { name: 'angle brackets', make: times('<') },
  { name: 'open comments', make: times('<!--') },
  { name: 'entities', make: times('&amp') },
  { name: 'list items', make: times('<ul><li>') },
  { name: 'parts of a button', make: (n) => `<button><b>${'<i></i>'.repeat(n)}</b></button>` },
  { name: 'headings', make: times('<h1>') },
  { name: 'forms and buttons', make: times('<form><button>') },
  { name: 'style attributes', make: times('<p style="a:url(">') },
  { name: 'templates', make: times('<template>') },
  { name: 'frames of foreign content', make: times('<svg><math>') },
];

export const SCRIPTS: readonly Family[] = [
  { name: 'open brackets', make: times('(') },
  { name: 'open arrays', make: times('[') },
  { name: 'blocks', make: nested('{', '', '}') },
  { name: 'arrow functions', make: times('a=>') },
  { name: 'possible arrow parameters', make: (n) => `${'(a,'.repeat(n)}b${')'.repeat(n)}` },
  { name: 'strings added', make: (n) => `x=${'"a"+'.repeat(n)}"b"` },
  { name: 'members', make: (n) => `x${'.a'.repeat(n)}` },
  { name: 'calls', make: (n) => `x${'()'.repeat(n)}` },
  { name: 'templates', make: (n) => `x=\`${'${`'.repeat(n)}` },
  { name: 'unary operators', make: (n) => `x=${'!'.repeat(n)}1` },
  { name: 'conditions', make: (n) => `x=${'a?'.repeat(n)}1` },
  { name: 'else if', make: (n) => `${'if(a);else '.repeat(n)};` },
  { name: 'declarations of one name', make: times('var a;') },
  { name: 'regular expressions', make: (n) => `x=/${'(a'.repeat(n)}/` },
];

export const DOCUMENTS: readonly Family[] = [
  { name: 'empty statements', make: (n) => `[${'{}\n,'.repeat(n)}{}]` },
  { name: 'strings as statements', make: (n) => `[${'"a"\n,'.repeat(n)}1]` },
  { name: 'empty objects without commas', make: times('{}\n') },
  { name: 'details', make: (n) => `{"applinks":{"details":[${'{}\n,'.repeat(n)}{}]}}` },
  {
    name: 'components',
    make: (n) => `{"applinks":{"details":[{"appID":"A.b","components":[${'{"/":5}\n,'.repeat(n)}{}]}]}}`,
  },
  {
    name: 'members',
    make: (n) => `{${Array.from({ length: n }, (_, i) => `"https://h${i}.example":[]`).join(',\n')}}`,
  },
  {
    name: 'statements with much',
    make: (n) =>
      `[{"relation":["x"],"target":{"namespace":"android_app","package_name":"a.b","sha256_cert_fingerprints":[${'"x"\n,'.repeat(n)}"y"]}}]`,
  },
  { name: 'open arrays', make: times('[') },
];

export const MANIFESTS: readonly Family[] = [
  { name: 'icons', make: (n) => `{"icons":[${'{}\n,'.repeat(n)}{}]}` },
  { name: 'icons with sizes', make: (n) => `{"icons":[{"src":"a","sizes":"${'1x1 '.repeat(n)}"}]}` },
  { name: 'members', make: (n) => `{${Array.from({ length: n }, (_, i) => `"m${i}":${i}`).join(',\n')}}` },
  { name: 'shortcuts', make: (n) => `{"shortcuts":[${'{"name":1}\n,'.repeat(n)}{}]}` },
];

export const SITEMAPS: readonly Family[] = [
  { name: 'open locations', make: times('<loc>') },
  { name: 'locations', make: times('<loc>https://a.example/</loc>') },
  { name: 'spaces', make: (n) => `<loc>${' '.repeat(n)}` },
];

const location = { file: 'document' };
const bytesOf = (text: string) => new TextEncoder().encode(text);
/** Lets clear errors pass, and no other. */
const ignoringErrors = (read: () => unknown) => {
  try {
    read();
  } catch (error) {
    // A clear error is as good as an answer.
    if (!(error instanceof HullError)) throw error;
  }
};

/** Every reader of text, with the families that are meant for it. */
export const TEXT_READERS: readonly {
  readonly name: string;
  readonly families: readonly Family[];
  readonly read: (text: string) => void;
}[] = [
  { name: 'style sheets', families: STYLES, read: (text) => ignoringErrors(() => readStyle(text)) },
  { name: 'pages', families: PAGES, read: (text) => ignoringErrors(() => readPage(text)) },
  {
    name: 'styles in pages',
    families: STYLES,
    read: (text) => ignoringErrors(() => readPage(`<style>${text}</style>`)),
  },
  { name: 'scripts', families: SCRIPTS, read: (text) => ignoringErrors(() => readScript(text)) },
  {
    name: 'web app manifests',
    families: MANIFESTS,
    read: (text) => ignoringErrors(() => parseWebManifest('m', text)),
  },
  {
    name: 'asset links',
    families: DOCUMENTS,
    read: (text) => ignoringErrors(() => readAssetLinks(location, bytesOf(text))),
  },
  {
    name: 'Apple associations',
    families: DOCUMENTS,
    read: (text) => ignoringErrors(() => readAppleAssociation(location, bytesOf(text))),
  },
  {
    name: 'origin associations',
    families: DOCUMENTS,
    read: (text) => ignoringErrors(() => readOriginAssociation(location, bytesOf(text))),
  },
  { name: 'sitemaps', families: SITEMAPS, read: (text) => ignoringErrors(() => readSitemapUrls(text)) },
  {
    name: 'text of unknown encoding',
    families: PAGES,
    read: (text) => ignoringErrors(() => decodeText(bytesOf(text))),
  },
];
