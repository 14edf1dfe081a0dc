import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type App, resolveApp } from '../../../src/core/app/app.js';
import type { FilterPart } from '../../../src/core/links/intent-filter.js';
import { pathMatches } from '../../../src/core/links/links.js';
import { patternMatcherMatches } from '../../../src/core/links/pattern-matcher.js';
import { buildLinkFilter } from '../../../src/core/platforms/android/app/intents.js';
import { readAndroidOptions } from '../../../src/core/platforms/android/app/options.js';
import { readProject } from '../../../src/core/project/project.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

function project(config: object) {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': '<!doctype html>',
    'site/offline.html': '<!doctype html>',
    'hull.json': JSON.stringify(
      {
        app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
        web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
        ...config,
      },
      undefined,
      1,
    ),
  });
  return readProject(dir);
}

const app = (config: object): Promise<App> => resolveApp(project(config));

describe('what an app may do, and ways into it', () => {
  it('are read, with their defaults', async () => {
    const plain = await app({});
    expect(plain).toMatchObject({
      permissions: [],
      links: [],
      shortcuts: [],
      translations: [],
      window: { edges: 'inset', keepScreenOn: false, secure: false, pullToRefresh: false },
      errors: { notFound: 'page', server: 'page' },
    });
    const whole = await app({
      app: {
        id: 'example.saltmarsh.ferry',
        name: 'Saltmarsh Ferry',
        version: '1.0.0',
        build: 1,
        translations: { 'zh-hant': { name: '鹽沼渡輪' }, de: { short_name: 'Fähre' } },
      },
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/', errors: { offline: '/offline.html' } },
      permissions: { geolocation: ' Shows the pier nearest to you. ', camera: '扫描您船票上的代码' },
      links: [{ host: 'ferry.saltmarsh.example' }, { host: '*.saltmarsh.example', paths: ['!/admin/*'] }],
      shortcuts: [{ name: 'Nearest pier', url: 'pier.html' }],
    });
    expect(whole.errors.offline?.pathname).toBe('/offline.html');
    expect(whole.permissions).toEqual([
      { name: 'geolocation', reason: 'Shows the pier nearest to you.' },
      { name: 'camera', reason: '扫描您船票上的代码' },
    ]);
    expect(whole.links).toEqual([
      { host: 'ferry.saltmarsh.example', rules: [{ allow: true, pattern: '/*' }], credentials: false },
      {
        host: '*.saltmarsh.example',
        rules: [
          { allow: true, pattern: '/*' },
          { allow: false, pattern: '/admin/*' },
        ],
        credentials: false,
      },
    ]);
    expect(whole.shortcuts.map(({ url, shortName }) => [url.href, shortName])).toEqual([
      ['https://ferry.saltmarsh.example/pier.html', 'Nearest pier'],
    ]);
    expect(whole.translations).toEqual([
      { language: 'de', name: 'Saltmarsh Ferry', shortName: 'Fähre' },
      { language: 'zh-Hant', name: '鹽沼渡輪', shortName: '鹽沼渡輪' },
    ]);
  });

  it.each([
    ['config.bad-value', { look: { display: 'minimal-ui', window: { edges: 'cover' } } }, 'without a bar'],
    ['permission.unknown', { permissions: { geolocatoin: 'Shows the pier nearest to you.' } }, 'geolocation'],
    ['permission.no-reason', { permissions: { geolocation: 'needed' } }, 'what the user gets'],
    ['permission.no-reason', { permissions: { geolocation: 'Localização.' } }, 'what the user gets'],
    [
      'permission.contradiction',
      { permissions: { notifications: 'Tells you about delays.', push: 'Sends you offers now and then.' } },
      'same reason',
    ],
    ['links.bad-host', { links: [{ host: 'https://ferry.saltmarsh.example' }] }, 'lower case'],
    ['links.bad-host', { links: [{ host: 'a.example' }, { host: 'a.example' }] }, 'one entry'],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['timetable'] }] }, 'slash'],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['/a%2Fb'] }] }, 'encoded slash'],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['/100%'] }] }, '%25'],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['/a/../b'] }] }, 'steps'],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['/$(lang)/'] }] }, '%24'],
    [
      'links.bad-path',
      { links: [{ host: 'a.example', paths: [{ path: '/t', query: { 'a&b': 'c' } }] }] },
      'query',
    ],
    ['links.bad-path', { links: [{ host: 'ferry.saltmarsh.example', paths: ['/a?b=1'] }] }, 'query'],
    [
      'links.matches-nothing',
      { links: [{ host: 'a.example', paths: ['/admin/x/*', '!/admin/*'] }] },
      'Remove',
    ],
    [
      'web.entry-outside',
      { shortcuts: [{ name: 'Sea', url: 'https://weather.saltmarsh.example/' }] },
      'web.inside',
    ],
    [
      'web.entry-outside',
      { share_target: { action: 'https://other.example/', params: { text: 't' } } },
      'web.inside',
    ],
    [
      'config.bad-value',
      { share_target: { action: '/s', params: { files: [{ name: 'f', accept: ['image'] }] } } },
      'MIME|image/',
    ],
    [
      'config.bad-value',
      { share_target: { action: '/s', params: { files: [{ name: 'f', accept: ['image/*'] }] } } },
      'multipart',
    ],
    ['web.start-missing', { web: { folder: 'site', errors: { offline: '/lost.html' } } }, 'packed'],
    [
      'app.bad-language',
      {
        app: {
          id: 'example.saltmarsh.ferry',
          name: 'F',
          version: '1.0.0',
          build: 1,
          translations: { klingonese: { name: 'x' } },
        },
      },
      'BCP 47',
    ],
  ] as const)('are refused with their place: %s', async (code, config, mend) => {
    const error = await refused(code, () => app(config));
    expect(error.location?.line).toBeGreaterThan(1);
    expect(error.fix).toMatch(new RegExp(mend));
  });

  it('schemes of others are refused', async () => {
    expect(readAndroidOptions(project({ android: { scheme: 'saltmarsh-ferry' } })).scheme).toBe(
      'saltmarsh-ferry',
    );
    for (const scheme of ['https', 'intent', 'Ferry', '1ferry', 'f', 'javascript']) {
      await refused('config.bad-value', () => readAndroidOptions(project({ android: { scheme } })));
    }
  });
});

describe('paths as the system matches them', () => {
  const compared = (pattern: string) =>
    buildLinkFilter({
      host: 'ferry.saltmarsh.example',
      rules: [{ allow: true, pattern }],
      credentials: false,
    }).paths[0];

  it('are as narrow as it allows, and decoded', () => {
    expect(compared('/pier.html')).toEqual({ part: 'path', kind: 'literal', text: '/pier.html' });
    expect(compared('/timetable/*')).toEqual({ part: 'path', kind: 'prefix', text: '/timetable/' });
    expect(compared('/a.b*c')).toEqual({ part: 'path', kind: 'simple', text: '/a\\.b.*c' });
    expect(compared('/f%C3%A4hre/*')).toEqual({ part: 'path', kind: 'prefix', text: '/fähre/' });
  });

  it('count before API 35 alone where groups say more', () => {
    const { paths, groups } = buildLinkFilter({
      host: 'ferry.saltmarsh.example',
      rules: [
        { allow: true, pattern: '/tickets', query: [['code', '*']] },
        { allow: false, pattern: '/admin/*' },
      ],
      credentials: false,
    });
    expect(paths).toEqual([
      { part: 'path', kind: 'literal', text: '/tickets', before: 35 },
      { part: 'path', kind: 'literal', text: '-', since: 35 },
    ]);
    expect(groups.map(({ allow }) => allow)).toEqual([false, true]);
    expect(groups[1]?.parts).toContainEqual({ part: 'query', kind: 'simple', text: 'code=..*' });
  });

  it('take nothing for a link that is none with one star, but for points', () => {
    const part = fc.stringMatching(/^[a-z0-9-]{0,4}$/);
    fc.assert(
      fc.property(part, part, fc.stringMatching(/^\/[a-z0-9-]{0,9}$/), (before, after, path) => {
        const pattern = `/${before}*${after}`;
        const { kind, text } = compared(pattern) as FilterPart;
        if (patternMatcherMatches(kind, text, path)) expect(pathMatches(pattern, path)).toBe(true);
      }),
    );
  });
});
