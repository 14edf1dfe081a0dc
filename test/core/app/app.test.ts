import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type App, resolveApp } from '../../../src/core/app/app.js';
import { readProject } from '../../../src/core/project/project.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const base = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.4.0', build: 7 };

async function app(
  config: object,
  files: Record<string, string> = { 'index.html': '', 'tickets.html': '' },
): Promise<App> {
  const dir = temporaryFolder();
  writeFiles(
    dir,
    Object.fromEntries(Object.entries(files).map(([path, text]) => [join('site', path), text])),
  );
  writeFiles(dir, {
    'hull.json': JSON.stringify({ app: base, web: { folder: 'site' }, ...config }, undefined, 2),
  });
  return resolveApp(readProject(dir));
}

describe('an app', () => {
  it('that is only packed has an origin that can never resolve', async () => {
    const found = await app({});
    expect(found.base.href).toBe('https://example.saltmarsh.ferry.invalid/');
    expect(found.start.href).toBe(found.base.href);
    expect(found.hosted).toBe(false);
    expect(found.shortName).toBe('Saltmarsh Ferry');
  });

  it('that is packed and hosted is served under its host', async () => {
    const found = await app({
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/app/index.html?x', start: './?from=app' },
    });
    expect(found.base.href).toBe('https://ferry.saltmarsh.example/app/');
    expect(found.start.href).toBe('https://ferry.saltmarsh.example/app/?from=app');
    expect(found.inside[0]?.pathname).toBe('/app/.*');
  });

  it('has a page for when there is no network, in a folder of its own too', async () => {
    const { errors } = await app(
      { web: { folder: 'site', errors: { offline: '/offline' } } },
      { 'index.html': '', 'offline/index.html': '' },
    );
    expect(errors.offline?.pathname).toBe('/offline');
  });

  it('starts at a page of its folder', async () => {
    await app({ web: { folder: 'site', start: '/tickets' } });
    await app({ web: { folder: 'site', start: '/routed/deep/42', fallback: '/index.html' } });
    await app({ web: { folder: 'site', start: '/deep' } }, { 'index.html': '', '404.html': '' });
    await refused('web.start-missing', () => app({ web: { folder: 'site', start: '/routed/deep/42' } }));
    const error = await refused('web.start-missing', () =>
      app({ web: { folder: 'site', start: '/gone.html' } }),
    );
    expect(error.location).toMatchObject({ pointer: '/web/start' });
    expect(error.fix).toContain('gone.html');
    await refused('config.bad-value', () => app({ web: { folder: 'site', start: '/50%' } }));
    await refused('web.start-missing', () =>
      app({ web: { folder: 'site', start: '/deep', fallback: 'none' } }, { 'index.html': '' }),
    );
    await refused('web.start-outside', () =>
      app({ web: { folder: 'site', start: 'https://elsewhere.example/' } }),
    );
    await refused('web.start-outside', () =>
      app({ web: { folder: 'site', inside: ['https://other.example/*'] } }),
    );
  });

  it('on a plain http address says so, and what to write', async () => {
    const error = await refused('config.bad-value', () =>
      app({ web: { url: 'http://ferry.saltmarsh.example/' } }),
    );
    expect(error.message).toContain('plain http');
    expect(error.fix).toContain('"http://ferry.saltmarsh.example"');
    const allowed = await app({
      web: {
        url: 'http://ferry.saltmarsh.example/',
        insecure: { 'http://ferry.saltmarsh.example': 'a test host without TLS' },
      },
    });
    expect(allowed.insecure).toEqual([
      { host: 'ferry.saltmarsh.example', reason: 'a test host without TLS' },
    ]);
  });

  it('excepts one host at a time from TLS', async () => {
    const insecure = (key: string) =>
      app({ web: { folder: 'site', insecure: { [key]: 'because of a reason' } } });
    expect((await insecure('Pier-Cam.saltmarsh.example')).insecure[0]?.host).toBe(
      'pier-cam.saltmarsh.example',
    );
    await refused('config.bad-value', () => insecure('*.saltmarsh.example'));
    await refused('config.bad-value', () => insecure('http://a b/'));
    await refused('config.bad-value', () => insecure('"><evil'));
  });

  it('has labels that are what they seem', async () => {
    const named = (name: string) => app({ app: { ...base, name } });
    expect((await named('عبّارة "Salt" <b>&\'🚢')).name).toBe('عبّارة "Salt" <b>&\'🚢');
    await refused('config.bad-value', () => named('two\nlines'));
    await refused('config.bad-value', () => named('a\u202eb'));
    await refused('config.bad-value', () => named('   '));
    await refused('config.bad-value', () => named('a\u0000b'));
  });

  it('has an ID that suits its platforms, or one for each', async () => {
    await refused('app.bad-id', () => app({ app: { ...base, id: 'example.salt_marsh' } }));
    const both = await app({ android: { id: 'example.salt_marsh' } });
    expect(both.androidId).toBe('example.salt_marsh');
    await refused('app.bad-id', () => app({ android: { id: 'example.salt-marsh' } }));
    await refused('app.bad-version', () => app({ app: { ...base, version: '1.2.3.4' } }));
  });

  it('shows something', async () => {
    await refused('config.bad-value', () => app({ web: {} }));
    await refused('config.bad-value', () => app({ web: { url: 'ferry.saltmarsh.example' } }));
    await refused('config.bad-value', () => app({ look: { theme_color: 'no colour' } }));
    await refused('config.bad-pattern', () =>
      app({ web: { folder: 'site', inside: ['https://a.example/(x)'] } }),
    );
  });

  it('holds against a configuration of any text', async () => {
    const odd = fc.oneof(
      fc.constantFrom(
        'http://[',
        '%',
        '*',
        'https://*.a.example/(',
        '#12',
        'rgb(',
        '\u202e',
        '__proto__',
        '/'.repeat(300),
      ),
      fc.string({ unit: 'grapheme', minLength: 1, maxLength: 24 }),
      fc.webUrl(),
    );
    await fc.assert(
      fc.asyncProperty(
        fc.record({
          app: fc.record({
            id: fc.oneof(odd, fc.constant(base.id)),
            name: odd,
            version: fc.oneof(odd, fc.constant('1.0')),
            build: fc.nat(),
          }),
          web: fc.record(
            {
              folder: fc.constant('site'),
              url: odd,
              start: odd,
              inside: fc.array(odd, { maxLength: 2 }),
              insecure: fc.dictionary(odd, odd, { maxKeys: 2 }),
            },
            { requiredKeys: ['folder'] },
          ),
          look: fc.record({ theme_color: odd, background_color: odd }, { requiredKeys: [] }),
        }),
        async (config) => {
          await holdsAgainst(() => app(config));
        },
      ),
      { numRuns: 200 },
    );
  });
});
