import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { makeArt } from '../../../src/core/tasks/make-art.js';
import { type WriteTagsOptions, writeTags } from '../../../src/core/tasks/write-tags.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

/** What a build makes pages from: a template, a layout component, a folder that is copied. */

const LOGO =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path d="M10 70h80L74 92H26zM48 12h8v50h-8z"/></svg>';
const TEXT = '<main><p>Boats leave the mainland pier every forty minutes, and come back.</p></main>';
const STYLE = '<style>.top { position: fixed; top: 0; left: 0; right: 0 }</style>';

/** A project whose pages a build has made below `base`; the build writes the viewport, and the manifest where it has one. */
function project({ base = '/', manifest = false, template = 'index.html', source = '' } = {}): string {
  const dir = temporaryFolder();
  const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
  const web = { folder: 'dist', ...(base === '/' ? {} : { url: `https://ferry.saltmarsh.example${base}` }) };
  const link = manifest ? `<link rel="manifest" href="${base}app.webmanifest">` : '';
  writeFiles(dir, {
    'hull.json': JSON.stringify({ app, web, look: { icon: 'logo.svg' } }),
    'package.json': '{ "scripts": { "build": "make" } }',
    'logo.svg': LOGO,
    'public/boat.svg': LOGO,
    'dist/boat.svg': LOGO,
    'dist/index.html': `<!doctype html><html><head><title>Ferry</title><meta name="viewport" content="width=device-width">${link}<link rel="icon" href="${base}boat.svg">${STYLE}</head><body><header class="top">Ferry</header>${TEXT}</body></html>`,
    ...(manifest ? { 'dist/app.webmanifest': '{ "name": "Ferry" }' } : {}),
    [template]: source,
  });
  return dir;
}

const TEMPLATE =
  '<!doctype html><html><head><title>Ferry</title><link rel="icon" href="/boat.svg"></head><body></body></html>';

async function tagged(dir: string, file: string, mode: WriteTagsOptions['mode'] = 'write') {
  const written = await writeTags({ project: dir, pages: [join(dir, file)], mode });
  return { ...written, text: readFileSync(join(dir, file), 'utf8') };
}

describe('a template', () => {
  it('gets what neither it nor its build has, and the same again once it is built', async () => {
    const dir = project({ source: TEMPLATE });
    const first = await tagged(dir, 'index.html');
    expect(first.text).not.toContain('name="viewport"');
    expect(first.text).not.toContain('rel="icon" href="/art/favicon.svg"');
    expect(first.text).toContain('rel="apple-touch-icon"');
    // What the build made of the block is not the page's own, though the marks may be gone.
    const built = readFileSync(join(dir, 'dist/index.html'), 'utf8');
    const block = /<!-- hull tags: begin -->([\s\S]*)<!-- hull tags: end -->/.exec(first.text)?.[1] ?? '';
    writeFileSync(join(dir, 'dist/index.html'), built.replace('</head>', `${block}</head>`));
    expect((await tagged(dir, 'index.html', 'check')).files[0]?.state).toBe('unchanged');
    expect((await tagged(dir, 'index.html', 'remove')).text).toBe(TEMPLATE);
  });

  it('has links that the build resolves', async () => {
    const own = await tagged(project({ base: '/shop/', source: TEMPLATE }), 'index.html');
    expect(own.text).toContain('href="/art/touch-180.png"');
    // A build that leaves links alone gets them whole.
    const plain = TEMPLATE.replace('href="/boat.svg"', 'href="/shop/boat.svg"');
    const whole = await tagged(project({ base: '/shop/', source: plain }), 'index.html');
    expect(whole.text).toContain('href="/shop/art/touch-180.png"');
  });

  it.each([
    [
      'layout.tsx',
      'export default () => <html><head><title>Ferry</title></head><body /></html>',
      '{/* hull tags: begin */}',
    ],
    [
      'Page.astro',
      '---\nconst { title } = Astro.props;\n---\n<html><head><title>{title}</title></head></html>',
      '<style data-hull="tags" is:inline>',
    ],
    ['app.svelte', '<svelte:head><title>Ferry</title></svelte:head><slot />', '<!-- hull tags: begin -->'],
    [
      'page.njk',
      '<!doctype html>\n<title>{{ title }}</title>\n<nav>{{ nav }}</nav>',
      '<!-- hull tags: begin -->',
    ],
    ['page.html', '{% include "top" %}<html><head>{{ head }}</head></html>', '<!-- hull tags: begin -->'],
  ])('may be %s', async (file, source, mark) => {
    const dir = project({ template: file, source });
    const { text } = await tagged(dir, file);
    expect(text).toContain(mark);
    expect(text.indexOf('hull tags: begin')).toBeGreaterThan(text.search(/<title|\{\{ head/));
    expect((await tagged(dir, file, 'remove')).text).toBe(source);
  });

  it('without a head says where the tags go', async () => {
    for (const [file, source] of [
      ['part.njk', '<nav>{{ nav }}</nav>'],
      ['part.html', '{% extends "page" %}{% block body %}<p>x</p>{% endblock %}'],
    ] as const) {
      const dir = project({ template: file, source });
      await refused('tags.no-head', () => tagged(dir, file));
      expect(readFileSync(join(dir, file), 'utf8')).toBe(source);
    }
  });
});

describe('a build', () => {
  it('is seen where pages would lose their tags to it', async () => {
    const dir = project({ source: TEMPLATE });
    const { templates } = await writeTags({ project: dir, mode: 'write' });
    expect(templates).toEqual(['index.html']);
    writeFileSync(join(dir, 'package.json'), '{}');
    expect((await writeTags({ project: dir, mode: 'write' })).templates).toEqual([]);
  });

  it('copies a folder, where images and the manifest outlive it', async () => {
    const dir = project({ source: TEMPLATE });
    await makeArt({ project: dir, only: 'web', into: join(dir, 'public') });
    expect(existsSync(join(dir, 'public/art/icon-192.png'))).toBe(true);
    expect(existsSync(join(dir, 'dist/art'))).toBe(false);
    expect(JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8')).look.art).toEqual({ web: 'public' });
    const { forBuild } = await tagged(dir, 'index.html');
    expect(forBuild).toBeUndefined();
    const manifest = JSON.parse(readFileSync(join(dir, 'public/manifest.webmanifest'), 'utf8'));
    expect(manifest.icons[0].src).toBe('art/icon-192.png');
    expect(existsSync(join(dir, 'dist/manifest.webmanifest'))).toBe(false);
  });

  it('that makes the manifest is told what that lacks', async () => {
    const dir = project({ source: TEMPLATE, manifest: true });
    await makeArt({ project: dir, only: 'web', into: join(dir, 'public') });
    const { forBuild, text } = await tagged(dir, 'index.html');
    expect(text).not.toContain('rel="manifest"');
    expect(forBuild).toMatchObject({ short_name: 'Saltmarsh Ferry', icons: expect.anything() });
    expect(forBuild).not.toHaveProperty('name');
    expect(existsSync(join(dir, 'public/app.webmanifest'))).toBe(false);
  });
});
