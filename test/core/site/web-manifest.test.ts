import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readPage } from '../../../src/core/site/page.js';
import { bestIcon, MANIFEST_LIMIT, parseWebManifest } from '../../../src/core/site/web-manifest.js';
import { holdsAgainst, refused } from '../../support/errors.js';

const parse = (value: unknown) => parseWebManifest('manifest.webmanifest', JSON.stringify(value));

describe('a web app manifest', () => {
  it('is read with names of any script and any sign', () => {
    const names = ['Salt "marsh" <b>&amp;</b>', 'مواعيد العبّارة', '渡し船', 'Ferry 🚢🌊', "O'Brien\\Line"];
    for (const name of names) expect(parse({ name }).name).toBe(name);
  });

  it('with a member of the wrong type is refused at its line', async () => {
    const text = '{\n  "name": "Ferry",\n  "theme_color": 42\n}';
    const error = await refused('manifest.wrong-type', () => parseWebManifest('m.json', text));
    expect(error.location).toMatchObject({ file: 'm.json', line: 3, column: 18, pointer: '/theme_color' });
    await refused('manifest.wrong-type', () => parse([]));
    await refused('manifest.wrong-type', () => parse('text'));
    await refused('manifest.wrong-type', () => parse({ icons: {} }));
    await refused('manifest.wrong-type', () => parse({ icons: [{}] }));
    await refused('manifest.wrong-type', () => parse({ icons: [{ src: 7 }] }));
    await refused('manifest.wrong-type', () => parse({ icons: [{ src: 'a.png', sizes: 192 }] }));
  });

  it('that is no JSON says where it breaks, and that a page of HTML is one', async () => {
    const error = await refused('manifest.not-json', () => parseWebManifest('m', '{\n  "name": "x",,\n}'));
    expect(error.location).toMatchObject({ line: 2 });
    const html = await refused('manifest.not-json', () => parseWebManifest('m', '<!doctype html>'));
    expect(html.fix).toContain('HTML');
    await refused('manifest.not-json', () => parseWebManifest('m', '// comment\n{}'));
  });

  it('of ten megabytes, or nested without end, is refused at once', async () => {
    await refused('manifest.too-large', () => parse({ name: 'x'.repeat(MANIFEST_LIMIT) }));
    await refused('manifest.not-json', () =>
      parseWebManifest('m', `${'{"a":'.repeat(3000)}1${'}'.repeat(3000)}`),
    );
  });

  it('may start with a byte-order mark, and keeps odd keys from the prototype', () => {
    expect(parseWebManifest('m', '\uFEFF{"name":"Ferry"}').name).toBe('Ferry');
    const odd = parseWebManifest('m', '{"__proto__":{"name":"evil"},"constructor":1}');
    expect(odd.name).toBeUndefined();
  });

  it('never crashes its reader, whatever JSON it is', async () => {
    await fc.assert(
      fc.asyncProperty(fc.json(), async (text) => {
        await holdsAgainst(() => parseWebManifest('m', text));
      }),
      { numRuns: 500 },
    );
  });
});

describe('the icon of a manifest', () => {
  const icons = (list: object[]) => bestIcon(parse({ icons: list }).icons)?.src;

  it('is a drawing before pixels, then the largest, never a monochrome one', () => {
    expect(
      icons([
        { src: 'a.png', sizes: '512x512' },
        { src: 'b.svg', sizes: 'any' },
      ]),
    ).toBe('b.svg');
    expect(
      icons([
        { src: 'a.png', sizes: '48x48 192x192' },
        { src: 'b.png', sizes: '144x144' },
      ]),
    ).toBe('a.png');
    expect(
      icons([
        { src: 'm.svg', purpose: 'monochrome' },
        { src: 'b.png', sizes: '96x96' },
      ]),
    ).toBe('b.png');
    expect(icons([{ src: 'a', type: 'image/png', sizes: '96x96' }])).toBe('a');
    expect(icons([{ src: 'icon.gif' }])).toBeUndefined();
    expect(icons([])).toBeUndefined();
  });
});

describe('the head of a page', () => {
  it('gives what the app is called and where things are', () => {
    const { head } = readPage(`<!doctype html><html><head>
      <title> Saltmarsh
      Ferry </title>
      <link rel="Manifest" href="/app.webmanifest"><link rel=canonical href="https://ferry.saltmarsh.example/">
      <meta name="theme-color" media="(prefers-color-scheme: dark)" content="#000"><meta name="Theme-Color" content="#0b4f6c">
      <link rel="shortcut icon" href="f.ico"><link rel="apple-touch-icon" sizes="180x180" href="t.png">
      </head><body><link rel="manifest" href="/late.json"><title>no</title></body></html>`);
    expect(head).toEqual({
      title: 'Saltmarsh Ferry',
      manifest: '/app.webmanifest',
      canonical: 'https://ferry.saltmarsh.example/',
      themeColor: '#0b4f6c',
      icons: [
        { href: 'f.ico', largest: 0 },
        { href: 't.png', largest: 180 },
      ],
    });
  });

  it('of broken or endless HTML is read as far as it goes', () => {
    expect(readPage('<title>Ferry').head.title).toBe('Ferry');
    expect(readPage('').head.icons).toEqual([]);
    expect(readPage('<div>'.repeat(20_000)).head.title).toBeUndefined();
    expect(readPage('\u0000\uFFFF<<<>>>').head.manifest).toBeUndefined();
  });
});
