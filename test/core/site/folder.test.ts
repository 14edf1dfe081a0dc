import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { formatFix } from '../../../src/core/errors.js';
import { listWebFolder } from '../../../src/core/site/folder.js';
import { extensionOf, isCompressed } from '../../../src/core/site/media-types.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

function folder(files: Record<string, string>): string {
  const dir = temporaryFolder();
  writeFiles(dir, files);
  return dir;
}

describe('a web folder', () => {
  it('is listed in one order, without what no page needs', async () => {
    const dir = folder({
      'index.html': '',
      'Z.css': '',
      'a/b.js': '',
      'a/b.js.map': '',
      '.env': 'SECRET',
      '.git/config': '',
      '.well-known/assetlinks.json': '[]',
      'node_modules/x/index.js': '',
    });
    const found = await listWebFolder(dir);
    expect(found.files.map((file) => file.path)).toEqual([
      '.well-known/assetlinks.json',
      'Z.css',
      'a/b.js',
      'index.html',
    ]);
    expect(found.leftOut).toEqual([
      { path: '.env', reason: 'dot file' },
      { path: '.git', reason: 'dot file' },
      { path: 'a/b.js.map', reason: 'source map' },
      { path: 'node_modules', reason: 'node_modules' },
    ]);
    const withMaps = await listWebFolder(dir, { sourceMaps: true });
    expect(withMaps.files.map((file) => file.path)).toContain('a/b.js.map');
  });

  it('that is missing, a file, or without a start page is refused with what to give instead', async () => {
    await refused('web.no-folder', () => listWebFolder(join(temporaryFolder(), 'gone')));
    const dir = folder({ 'index.html': '' });
    await refused('web.no-folder', () => listWebFolder(join(dir, 'index.html')));
    const nested = await refused('web.no-index', () =>
      listWebFolder(folder({ 'package.json': '', 'dist/index.html': '' })),
    );
    expect(nested.fix).toContain('dist');
    const sources = await refused('web.no-index', () =>
      listWebFolder(folder({ 'package.json': '{}', 'src/main.ts': '' })),
    );
    expect(sources.fix).toContain('build it');
    await refused('web.no-index', () => listWebFolder(temporaryFolder()));
  });

  it('of server-side sources is told as such', async () => {
    const error = await refused('web.server-side', () =>
      listWebFolder(folder({ 'index.php': '<?php', 'lib.php': '' })),
    );
    expect(formatFix(error.fix ?? '')).toContain('static export');
    expect(error.location?.file).toContain('index.php');
  });

  it('follows links inside, and refuses those that leave it or lead in a circle', async () => {
    const outside = folder({ 'secret.txt': 'x' });
    const inside = folder({ 'index.html': '', 'img/a.png': '' });
    symlinkSync('img/a.png', join(inside, 'b.png'));
    expect((await listWebFolder(inside)).files.map((file) => file.path)).toContain('b.png');
    symlinkSync(join(outside, 'secret.txt'), join(inside, 'c.txt'));
    const error = await refused('web.link-outside', () => listWebFolder(inside));
    expect(error.location?.file).toContain('c.txt');
    const round = folder({ 'index.html': '', 'a/x.html': '' });
    symlinkSync('..', join(round, 'a/up'));
    await refused('web.link-loop', () => listWebFolder(round));
    const broken = folder({ 'index.html': '' });
    symlinkSync('nowhere', join(broken, 'gone'));
    await refused('web.link-loop', () => listWebFolder(broken));
  });

  it('with names that differ only in case, or that are no text, is refused', async () => {
    const dir = folder({ 'index.html': '', 'Map.html': '', 'map.html': '' });
    const error = await refused('web.case-clash', () => listWebFolder(dir));
    expect(error.message).toContain('Map.html');
    const odd = folder({ 'index.html': '' });
    writeFileSync(Buffer.concat([Buffer.from(`${odd}/`), Buffer.from([0xff, 0xfe, 0x2e, 0x68])]), '');
    await refused('web.unreadable-name', () => listWebFolder(odd));
  });

  it('holds folders named like pages without taking them for files', async () => {
    const dir = folder({ 'index.html': '' });
    mkdirSync(join(dir, 'empty.html'));
    expect((await listWebFolder(dir)).files.map((file) => file.path)).toEqual(['index.html']);
  });
});

describe('media types', () => {
  it('go by the ending of the name', () => {
    expect(extensionOf('a/b.min.JS')).toBe('js');
    expect(extensionOf('a.b/c')).toBe('');
    expect(extensionOf('.htaccess')).toBe('');
    expect(isCompressed('x/y.WOFF2')).toBe(true);
    expect(isCompressed('x/y.svg')).toBe(false);
  });
});
