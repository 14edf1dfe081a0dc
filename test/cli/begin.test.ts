import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { host } from '../support/host.js';
import { hull } from '../support/hull.js';
import { ICON, ID, PAGE, packed, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

describe('a hosted app', () => {
  it('is begun from its address, its icon saved, and packed without pages', async () => {
    const base = await host((request, response) => {
      if (request.url === '/') {
        response.writeHead(200, { 'content-type': 'text/html' });
        response.end('<title>Ferry</title><link rel="icon" href="i.svg" type="image/svg+xml">');
      } else if (request.url === '/i.svg')
        response.writeHead(200, { 'content-type': 'image/svg+xml' }).end(ICON);
      else response.writeHead(404).end();
    });
    const dir = temporaryFolder();
    const begun = await hull(['begin', base, '--id', ID, '--yes'], { cwd: dir });
    expect(begun.code, begun.err).toBe(0);
    expect(readFileSync(join(dir, 'art/icon.svg'), 'utf8')).toBe(ICON);
    await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
    const plain = await hull(['pack', 'apk'], { cwd: dir });
    refusedWith(plain, 'config.bad-value');
    expect(plain.err).toContain('plain http');
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    config.web.insecure = { [new URL(base).origin]: 'a test host on this machine' };
    writeFileSync(file, JSON.stringify(config));
    const ran = await hull(['pack', 'apk', '--json'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect(JSON.parse(ran.out).files.packed).toBe(0);
    const shown = await hull(['inspect', packed(dir)]);
    expect(shown.out).toContain('http allowed  127.0.0.1');
    expect(shown.out).toContain('<!-- a test host on this machine -->');
  });

  it('that does not answer is an error from outside', async () => {
    refusedWith(
      await hull(['begin', 'http://127.0.0.1:9/', '--yes'], { cwd: temporaryFolder() }),
      'net.unreachable',
      3,
    );
  });
});

describe('bad input to begin', () => {
  const begin = async (files: Record<string, string | Uint8Array>, ...more: string[]) => {
    const dir = temporaryFolder();
    writeFiles(dir, files);
    const ran = await hull(['begin', 'site', '--id', ID, '--yes', ...more], { cwd: dir });
    if (ran.code !== 0) expect(existsSync(join(dir, 'hull.json'))).toBe(false);
    return ran;
  };

  it('is a build cache, or anything inside one; and no folder that has a server of its own', async () => {
    const cache = {
      'site/cache/pages.pack': '1',
      'site/server/app/index.html': PAGE,
      'site/build-manifest.json': '{}',
      'site/BUILD_ID': 'x',
      'site/index.html': PAGE,
    };
    refusedWith(await begin(cache), 'begin.build-cache');
    const dir = temporaryFolder();
    writeFiles(dir, cache);
    const inside = ['begin', 'site/server/app', '--id', ID, '--yes'];
    refusedWith(await hull(inside, { cwd: dir }), 'begin.build-cache');
    const fine = {
      'server/main.php': '',
      'cache/x': '',
      'site/asset-manifest.json': '{}',
      'site/index.html': PAGE,
    };
    expect((await begin(fine)).code).toBe(0);
  });

  it('is told with code, place and remedy', async () => {
    refusedWith(await begin({}), 'web.no-folder');
    refusedWith(await begin({ 'site/readme.txt': '' }), 'web.no-index');
    refusedWith(await begin({ 'site/index.php': '<?php' }), 'web.server-side');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--start', '../../etc/passwd'), 'web.start-outside');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--id', 'ferry'), 'app.bad-id');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--app-version', 'one'), 'app.bad-version');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--build', '0'), 'config.bad-value');
    refusedWith(
      await begin({ 'site/index.html': PAGE }, '--web-url', 'ftp://a.example/'),
      'config.bad-value',
    );
    refusedWith(await begin({ 'site/index.html': PAGE, 'site/INDEX.html': PAGE }), 'web.case-clash');
  });

  it('names the options that answer what was not found', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': '<p>' });
    const ran = await hull(['begin', 'site', '--yes'], { cwd: dir });
    refusedWith(ran, 'cli.missing-answer');
    expect(ran.err).toContain('--id <value> and --name <value>');
    const json = JSON.parse((await hull(['begin', 'site', '--yes', '--json'], { cwd: dir })).out);
    expect(json.error.code).toBe('cli.missing-answer');
  });

  it('is a manifest that is broken, hostile or huge', async () => {
    const manifest = (text: string) =>
      begin({
        'site/index.html': '<link rel="manifest" href="m.json"><title>Ferry</title>',
        'site/m.json': text,
      });
    // What is wrong in it is said and left out, and the page itself is asked for the rest.
    const broken = await manifest('{ "name": }');
    expect(broken.code, broken.err).toBe(0);
    expect(broken.err).toMatch(/m\.json:1:11/);
    for (const text of ['{ "name": 7 }', `{ "name": "${'x'.repeat(10 * 1024 * 1024)}" }`]) {
      const ran = await manifest(text);
      expect([ran.code, ran.err]).toEqual([0, expect.stringContaining('It was left out.')]);
    }
    refusedWith(await manifest('{ "name": "a\\nb" }'), 'config.bad-value');
    const odd = await manifest('{ "name": "Salt \\"marsh\\" <b> & عبّارة 🚢" }');
    expect(odd.code, odd.err).toBe(0);
  });

  it('never shows a terminal what moves its cursor', async () => {
    const ran = await begin({ 'site/index.html': PAGE, 'site/m.json': '{}' }, '--name', 'a\u001b[31mred');
    expect(ran.code).toBe(2);
    expect(ran.err).not.toContain('\u001b[31mred');
  });
});
