import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mergeManifest } from '../../../src/core/tags/merge-manifest.js';
import { putBlock, removeBlock } from '../../../src/core/tags/place.js';
import {
  blockLines,
  headTags,
  manifestMembers,
  styleRules,
  type TagsInput,
  tagText,
} from '../../../src/core/tags/tags.js';
import { refused } from '../../support/errors.js';

const INPUT: TagsInput = {
  name: 'Saltmarsh "Ferry" & <Co>',
  shortName: 'Ferry',
  themeColor: { r: 11, g: 79, b: 108, a: 255 },
  backgroundColor: { r: 244, g: 241, b: 234, a: 255 },
  darkThemeColor: undefined,
  startSchemes: 'light-and-dark',
  base: '/ferry/',
  art: 'art/',
  manifest: 'manifest.webmanifest',
  hasDrawing: true,
  shots: [],
  zoom: 'free',
};

describe('head tags', () => {
  it('have links that are right below a sub-path', () => {
    const hrefs = headTags(INPUT, undefined).flatMap(({ attributes }) =>
      attributes.filter(([key]) => key === 'href').map(([, value]) => value),
    );
    expect(hrefs.length).toBeGreaterThan(80);
    for (const href of hrefs) expect(href).toMatch(/^\/ferry\/[a-z]/);
    expect(manifestMembers(INPUT)).toMatchObject({ id: '/ferry/', start_url: '/ferry/', scope: '/ferry/' });
  });

  it('close, escape, and have one start-up image a media query', () => {
    const tags = headTags(INPUT, undefined);
    for (const tag of tags) {
      expect(tagText(tag, 'html')).toMatch(/^<(meta|link)( [a-z-]+="[^"<]*")+>$/);
      expect(tagText(tag, 'jsx')).toMatch(/ \/>$/);
    }
    const medias = tags.flatMap(({ attributes }) =>
      attributes.filter(([key]) => key === 'media').map(([, value]) => value),
    );
    expect(new Set(medias).size).toBe(80);
    const light = headTags({ ...INPUT, startSchemes: 'light' }, undefined).filter(
      ({ key }) => key === 'link apple-touch-startup-image',
    );
    expect(light).toHaveLength(40);
    expect(light.map((tag) => tagText(tag, 'html')).join()).not.toContain('scheme');
    expect(tagText({ key: '', name: 'meta', attributes: [['content', INPUT.name]] }, 'html')).toBe(
      '<meta content="Saltmarsh &quot;Ferry&quot; &amp; &lt;Co>">',
    );
  });

  it('leave zooming to users, unless it is chosen otherwise', () => {
    const viewport = (zoom: 'free' | 'off') =>
      tagText(headTags({ ...INPUT, zoom }, undefined)[0] as never, 'html');
    expect(viewport('free')).toBe(
      '<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">',
    );
    expect(viewport('off')).toContain('user-scalable=no');
  });
});

describe('what is put in place', () => {
  const lines = ['<meta name="a" content="b">', '<style>', '  p { top: 0 }', '</style>'];

  it.each([
    [
      'at the end of the head, behind the page’s own styles',
      '<html>\n  <head>\n    <meta charset="utf-8">\n    <style>p { top: 1px }</style>\n  </head>\n</html>\n',
      '    <style>p { top: 1px }</style>\n    <!-- hull tags: begin -->\n    <meta name="a"',
    ],
    [
      'before an end tag that is not on a line of its own',
      '<head>\n<title>x</title></head>',
      '<title>x</title><!-- hull tags: begin -->\n<meta name="a"',
    ],
    [
      'inside a line',
      '<html><head><title>x</title></head></html>',
      '<title>x</title><!-- hull tags: begin -->\n<meta name="a"',
    ],
    [
      'with the line ends of the file',
      '<head>\r\n<title>x</title>\r\n</head>',
      '<title>x</title>\r\n  <!-- hull tags: begin -->\r\n  <meta',
    ],
    [
      'in a page that writes no head tag',
      '<!doctype html>\n<title>x</title>\n<link rel="stylesheet" href="/a.css">\n<nav>x</nav>\n',
      'href="/a.css">\n<!-- hull tags: begin -->\n<meta name="a"',
    ],
    [
      'in a page without anything in its head',
      '<!doctype html>\n<p>x',
      '<!doctype html>\n<!-- hull tags: begin -->\n<meta',
    ],
    ['before all of a page that is text alone', 'Boats leave at 9:40.', '<!-- hull tags: begin -->\n<meta'],
  ])('%s', (_name, text, expected) => {
    const put = putBlock('a.html', text, lines);
    expect(put).toContain(expected);
    expect(putBlock('a.html', put, lines)).toBe(put);
    expect(removeBlock('a.html', put)).toBe(text);
  });

  it('goes between marks that stand there already, also in a template', () => {
    const template =
      'export const Head = () => (\n  <Head>\n    {/* hull tags: begin */}\n    {/* hull tags: end */}\n    {user ? <meta name="x" /> : null}\n  </Head>\n);\n';
    const put = putBlock(
      'app/layout.tsx',
      template,
      blockLines(headTags(INPUT, undefined).slice(0, 2), styleRules(undefined), 'jsx'),
    );
    expect(put).toContain('    {/* hull tags: begin */}\n    <meta name="viewport"');
    expect(put).toContain('<style data-hull="tags">{`html {');
    expect(put).toContain('{user ? <meta name="x" /> : null}');
    expect(putBlock('app/layout.tsx', put, [])).toBe(template);
  });

  it('refuses a template without a head, and marks that do not pair', async () => {
    const error = await refused('tags.no-head', () => putBlock('a.tsx', 'export const a = <p>x</p>;', lines));
    expect(error.fix).toContain('{/* hull tags: begin */}');
    for (const text of [
      '<head><!-- hull tags: begin -->',
      '<head><!-- hull tags: end --><!-- hull tags: begin -->',
    ]) {
      await refused('tags.marks', () => putBlock('a.html', text, lines));
    }
    const put = putBlock('a.html', '<head></head>', lines);
    await refused('tags.marks', () => removeBlock('a.html', put + put));
  });

  it('can be taken out of any page again', () => {
    fc.assert(
      fc.property(fc.string(), fc.constantFrom('\n', '\r\n', ' ', ''), fc.string(), (before, gap, after) => {
        fc.pre(!/hull tags|<head|charset|\{\{|\{%|<%|%\w+%|^---/i.test(before + after));
        const text = `${before}<head>${gap}${after}`;
        expect(removeBlock('a.html', putBlock('a.html', text, lines))).toBe(text);
      }),
    );
  });
});

describe('a manifest', () => {
  it('gets what it lacks, and keeps what it says and how it is laid out', () => {
    const text =
      '{\n    "name": "Mine",\n    "icons": [{ "src": "a.png", "sizes": "192x192" }],\n    "x_own": 1\n}\n';
    const merged = mergeManifest(text, manifestMembers(INPUT)) ?? '';
    const members = JSON.parse(merged);
    expect(members).toMatchObject({ name: 'Mine', x_own: 1, display: 'standalone', short_name: 'Ferry' });
    expect(members.icons.map(({ src }: { src: string }) => src)).toEqual([
      'a.png',
      'art/icon-512.png',
      'art/maskable-192.png',
      'art/maskable-512.png',
      'art/monochrome-512.png',
    ]);
    expect(merged).toContain('    "name": "Mine",\n');
    expect(mergeManifest(merged, manifestMembers(INPUT))).toBeUndefined();
  });
});
