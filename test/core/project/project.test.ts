import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { URLPattern } from 'urlpattern-polyfill/urlpattern';
import { describe, expect, it } from 'vitest';
import { appIdFault, appIdFromHost, checkAppId } from '../../../src/core/project/app-id.js';
import { parseColor, requireOpaqueColor, toHex, wantsDarkSymbols } from '../../../src/core/project/color.js';
import { editConfig } from '../../../src/core/project/edit.js';
import { nearest } from '../../../src/core/project/nearest.js';
import { readProject } from '../../../src/core/project/project.js';
import { compileUrlPattern, patternBelow, patternMatches } from '../../../src/core/project/url-pattern.js';
import { versionFault } from '../../../src/core/project/version.js';
import { VERSION } from '../../../src/core/util/version.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const good = {
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.4.0', build: 7 },
  web: { folder: 'site' },
};

function project(text: string): string {
  const dir = temporaryFolder();
  writeFiles(dir, { 'hull.json': text });
  return dir;
}

describe('hull.json', () => {
  it('is read with comments and trailing commas', () => {
    const dir = project(
      `{ // who\n "app": { "id": "a.b", "name": "N", "version": "1.0", "build": 1, }, "web": { "url": "https://x.example/" } }`,
    );
    expect(readProject(dir).settings.app.name).toBe('N');
  });

  it('names the nearest key, its line and column for one it does not know', async () => {
    const dir = project(
      `{\n  "app": ${JSON.stringify(good.app)},\n  "web": {\n    "folder": "site",\n    "strat": "/x"\n  }\n}`,
    );
    const error = await refused('config.unknown-key', () => readProject(dir));
    expect(error.fix).toContain('"start"');
    expect(error.location).toMatchObject({ line: 5, column: 5, pointer: '/web/strat' });
  });

  it('is for the versions that it requires, whatever else a newer one may say in it', async () => {
    const [major = '', minor = ''] = VERSION.split('.');
    const requiring = (requires: string, more: object = {}) =>
      project(JSON.stringify({ requires, ...good, ...more }, undefined, 2));
    for (const range of [VERSION, `^${VERSION}`, `${major}.${minor}.x`, `>=${VERSION}`, '*'])
      expect(readProject(requiring(range)).settings.app.name).toBe('Saltmarsh Ferry');
    const other = await refused('config.other-version', () =>
      readProject(requiring('^99.1.0', { harbour: true })),
    );
    expect(other.message).toContain(VERSION);
    expect(other.location).toMatchObject({ line: 2, pointer: '/requires' });
    expect(other.fix).toContain('jolly-hull@^99.1.0');
    await refused('config.bad-value', () => readProject(requiring('newest')));
  });

  it('says what should stand where something else does', async () => {
    const bad = { ...good, app: { ...good.app, build: '7' } };
    const error = await refused('config.bad-value', () =>
      readProject(project(JSON.stringify(bad, undefined, 2))),
    );
    expect(error.message).toContain('whole number');
    expect(error.location).toMatchObject({ line: 6, pointer: '/app/build' });
    await refused('config.bad-value', () => readProject(project(JSON.stringify({ web: good.web }))));
    await refused('config.bad-value', () =>
      readProject(project(JSON.stringify({ ...good, look: { display: 'browser' } }))),
    );
    await refused('config.bad-value', () =>
      readProject(
        project(JSON.stringify({ ...good, web: { folder: 's', insecure: { 'http://a.example': 'x' } } })),
      ),
    );
  });

  it('shows the line where its syntax breaks', async () => {
    const error = await refused('config.syntax', () => readProject(project('{\n  "app": {\n    "id" "x"\n')));
    expect(error.location).toMatchObject({ line: 3, column: 10 });
    await refused('config.syntax', () => readProject(project('')));
    await refused('config.syntax', () => readProject(project('['.repeat(5000))));
  });

  it('that is not there is missed with the command that makes it', async () => {
    const error = await refused('config.missing', () => readProject(temporaryFolder()));
    expect(error.fix).toContainEqual({ task: 'beginProject', args: ['<folder or URL>'] });
    const dir = temporaryFolder();
    mkdirSync(join(dir, 'hull.json'));
    await refused('file.not-regular', () => readProject(dir));
  });

  it('keeps an odd key from reaching the prototype', async () => {
    const dir = project(
      `{ "__proto__": { "x": 1 }, "app": ${JSON.stringify(good.app)}, "web": { "folder": "s" } }`,
    );
    await refused('config.unknown-key', () => readProject(dir));
    expect(({} as { x?: number }).x).toBeUndefined();
  });

  it('is edited without losing comments or layout', () => {
    const text =
      '{\n  // who\n  "app": { "id": "a.b" }, // the id\n  "android": {\n    "engine": "webview"\n  }\n}\n';
    const edited = editConfig(text, [
      { path: ['android', 'key'], value: 'release' },
      { path: ['keys', 'release'], value: { file: 'keys/release.p12' } },
    ]);
    expect(edited).toContain('// who');
    expect(edited).toContain('// the id');
    expect(edited).toContain('"key": "release"');
    expect(edited).toContain('"file": "keys/release.p12"');
    expect(edited.split('\n')[2]).toBe(text.split('\n')[2]);
  });
});

describe('an app ID', () => {
  it.each([
    ['example.saltmarsh.ferry', undefined],
    ['ferry', 'at least two'],
    ['example..ferry', 'Segment 2 ("") is empty'],
    ['example.2nd', 'does not start with a letter'],
    ['example.salt-marsh', 'hyphen'],
    ['example.salt_marsh', 'underscore'],
    ['example.new.ferry', 'reserved word'],
    ['example.fähre', '"ä"'],
    ['example.ferry 🚢', '" "'],
    [`example.${'a'.repeat(160)}`, 'at most 155'],
  ])('%s: %s', (id, fault) => {
    if (fault === undefined) expect(appIdFault(id)).toBeUndefined();
    else expect(appIdFault(id)).toContain(fault);
  });

  it('is suggested where a text comes near one, and its platform named where only one objects', async () => {
    const error = await refused('app.bad-id', () => checkAppId('example.salt-marsh.ferry', {}));
    expect(error.fix).toContain('example.saltmarsh.ferry');
    expect(error.fix).toContain('apple.id');
    checkAppId('example.salt_marsh', {}, 'android');
    checkAppId('example.salt-marsh', {}, 'apple');
  });

  it('comes from a host reversed, unless that makes none', () => {
    expect(appIdFromHost('www.ferry.salt-marsh.example')).toBe('example.saltmarsh.ferry');
    expect(appIdFromHost('127.0.0.1')).toBeUndefined();
    expect(appIdFromHost('localhost')).toBeUndefined();
  });
});

describe('versions, colours and near words', () => {
  it('hold or say why not', () => {
    for (const version of ['1', '1.4', '1.4.0', '0.0.1']) expect(versionFault(version)).toBeUndefined();
    for (const version of ['1.4.0.2', '1.x', '01.2', '', '1.', 'v1'])
      expect(versionFault(version)).toBeDefined();
  });

  it('colours are read as CSS writes them', async () => {
    expect(toHex(parseColor('#0B4') ?? { r: 0, g: 0, b: 0, a: 0 })).toBe('#00bb44');
    expect(parseColor('rgb(11 79 108)')).toEqual({ r: 11, g: 79, b: 108, a: 255 });
    expect(parseColor('teal')).toEqual({ r: 0, g: 128, b: 128, a: 255 });
    expect(parseColor('not a colour')).toBeUndefined();
    await refused('config.bad-value', () => requireOpaqueColor('#0b4f6c80', {}));
    expect(wantsDarkSymbols({ r: 244, g: 241, b: 234, a: 255 })).toBe(true);
    expect(wantsDarkSymbols({ r: 11, g: 79, b: 108, a: 255 })).toBe(false);
  });

  it('a mistyped word finds its neighbour, a strange one none', () => {
    expect(nearest('shortName', ['name', 'short_name'])).toBe('short_name');
    expect(nearest('colour', ['start', 'folder'])).toBeUndefined();
  });
});

describe('a URL pattern', () => {
  const cases = [
    'https://ferry.saltmarsh.example/*',
    'https://*.saltmarsh.example/tickets/:id',
    'https://ferry.saltmarsh.example/a/:rest*',
    'https://ferry.saltmarsh.example/files/:name.pdf',
    'https://ferry.saltmarsh.example/{de/}?timetable',
    'https://ferry.saltmarsh.example:8443/*',
    'http{s}?://ferry.saltmarsh.example/*',
    'https://ferry.saltmarsh.example/search?q=*',
  ];
  const urls = fc
    .record({
      scheme: fc.constantFrom('https', 'http'),
      host: fc.constantFrom(
        'ferry.saltmarsh.example',
        'a.saltmarsh.example',
        'a.b.saltmarsh.example',
        'saltmarsh.example',
        'evil.example',
      ),
      port: fc.constantFrom('', ':8443', ':443'),
      path: fc.constantFrom(
        '/',
        '/a',
        '/a/b/c',
        '/tickets/7',
        '/tickets/7/8',
        '/files/x.pdf',
        '/files/xpdf',
        '/timetable',
        '/de/timetable',
        '/search',
        '/A.B',
      ),
      query: fc.constantFrom('', '?q=1', '?x=1'),
    })
    .map(({ scheme, host, port, path, query }) => new URL(`${scheme}://${host}${port}${path}${query}`));

  it.each(cases)('%s matches on the device what it matches by the standard', async (text) => {
    const ours = await compileUrlPattern(text, {});
    const standard = new URLPattern(text);
    fc.assert(
      fc.property(urls, (url) => {
        const theirs =
          standard.test(url.href) || (standard.search === '' && standard.test(url.origin + url.pathname));
        expect(patternMatches(ours, url), url.href).toBe(theirs);
      }),
      { numRuns: 300 },
    );
  });

  it('of everything below an address is the one that the standard makes', async () => {
    for (const base of ['https://ferry.saltmarsh.example/', 'https://ferry.saltmarsh.example:8443/a.b/']) {
      expect(patternBelow(new URL(base))).toEqual(await compileUrlPattern(`${base}*`, {}));
    }
  });

  it('that a device could not follow is refused', async () => {
    await refused('config.bad-pattern', () => compileUrlPattern('https://x.example/(\\d+)', {}));
    await refused('config.bad-pattern', () => compileUrlPattern('/only/a/path', {}));
    await refused('config.bad-pattern', () => compileUrlPattern('', {}));
  });
});
