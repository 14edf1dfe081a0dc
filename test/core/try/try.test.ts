import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { writeZip } from '../../../src/core/formats/zip/writer.js';
import { headersOf } from '../../../src/core/site/answer.js';
import { packedAnswer } from '../../../src/core/try/answer.js';
import { openPackedApp, type PackedApp } from '../../../src/core/try/packed-app.js';
import { byteRange } from '../../../src/core/try/range.js';
import {
  assumedSettings,
  isInside,
  linkVerdict,
  type PackedSettings,
  readPackedSettings,
  type ShareSettings,
} from '../../../src/core/try/settings.js';
import { arrivalOf } from '../../../src/core/try/share.js';
import { junitOf, readSteps } from '../../../src/core/try/steps.js';
import { type PageOutcome, readWords, troubleOf, troublePage } from '../../../src/core/try/trouble.js';
import { hull } from '../../support/hull.js';
import { ID, packed, readyProject } from '../../support/ready-project.js';
import { temporaryFolder } from '../../support/temporary.js';

const vectors = (name: string) => JSON.parse(readFileSync(`shell/vectors/${name}.json`, 'utf8'));

describe('ranges', () => {
  it.each(vectors('ranges').ranges as { header: string; length: number; range: [number, number] | string }[])(
    'are those of the shells: $header of $length',
    ({ header, length, range }) => {
      const found = byteRange(header, length);
      expect(typeof found === 'string' ? found : [found.first, found.last]).toEqual(range);
    },
  );
});

/** An app of some files, which holds nothing. */
function appOf(files: readonly string[], settings: Partial<PackedSettings>): PackedApp {
  const content = (path: string) => Buffer.from(`the content of ${path}`);
  return {
    ...{ file: 'ferry.apk', kind: 'apk', platform: 'android', id: ID, name: 'Ferry', label: 'Ferry' },
    ...{ version: undefined, build: undefined, icon: undefined, shortcuts: [], words: '' },
    settings: { ...assumedSettings('Ferry'), ...settings },
    has: (path) => files.includes(path),
    read: async (path) => content(path),
    close: async () => undefined,
  };
}

interface Site {
  readonly name: string;
  readonly base: string;
  readonly network: boolean;
  readonly fallback?: string;
  readonly except?: readonly string[];
  readonly files: readonly string[];
  readonly requests: readonly { method?: string; path: string; page: boolean; answer: string }[];
}

describe('answers of packed pages', () => {
  const origin = 'https://ferry.saltmarsh.example';
  it.each(vectors('answers').sites as Site[])('are those of the shells: $name', async (site) => {
    const { base, network, fallback, except = [], files, requests } = site;
    const app = appOf(files, { packed: { origin, rules: { base, network, fallback, except } } });
    for (const { method = 'GET', path, page, answer } of requests) {
      // What a browser resolves or refuses by itself never comes as a request.
      if (/[\\]|\/\.{1,2}(?:\/|$)/.test(path)) continue;
      const url = new URL(`${origin}${path.split('/').map(encodeURIComponent).join('/')}`);
      const found = await packedAnswer(app, {
        ...{ method, url },
        headers: page ? { accept: 'text/html' } : { accept: '*/*' },
      });
      const body = found === 'network' ? '' : Buffer.from(found.body).toString('utf8');
      const [, moved] =
        /location\.replace\((location\.pathname \+ '\/'|location\.pathname\.slice)/.exec(body) ?? [];
      const told =
        found === 'network'
          ? 'network'
          : moved !== undefined
            ? moved.includes('slice')
              ? 'bare'
              : 'slash'
            : `${found.status}${body.startsWith('the content of ') ? ` ${body.slice(15)}` : ''}`;
      expect(told, `${method} ${path} ${page}`).toBe(answer);
    }
  });

  it('have the range that was asked for', async () => {
    const app = appOf(['a.txt'], {});
    const url = new URL('https://app.invalid/a.txt');
    const ask = async (range: string) => {
      const found = await packedAnswer(app, { method: 'GET', url, headers: { range } });
      return found === 'network' ? found : { ...found, body: Buffer.from(found.body).toString() };
    };
    expect(await ask('bytes=4-10')).toMatchObject({
      status: 206,
      body: 'content',
      headers: { 'content-range': 'bytes 4-10/20' },
    });
    expect(await ask('bytes=90-')).toMatchObject({ status: 416, headers: { 'content-range': 'bytes */20' } });
  });
});

describe('addresses', () => {
  const { rules } = vectors('addresses') as {
    rules: readonly { compiled: object; inside: readonly string[]; outside: readonly string[] }[];
  };
  it('are inside as the shells have it', () => {
    for (const { compiled, inside, outside } of rules) {
      const settings = readPackedSettings({
        start: 'https://x.example/',
        inside: [compiled],
      }) as PackedSettings;
      for (const url of inside) expect(isInside(settings, new URL(url)), url).toBe(true);
      for (const url of outside) expect(isInside(settings, new URL(url)), url).toBe(false);
    }
  });

  interface Links {
    readonly host: string;
    readonly rules: readonly object[];
    readonly opens: readonly string[];
    readonly leaves: readonly string[];
  }
  it('open in the app as the shells have it', () => {
    for (const { host, rules: own, opens, leaves } of (vectors('addresses').links ?? []) as Links[]) {
      const settings = readPackedSettings({
        start: 'https://x.example/',
        links: [{ host, rules: own }],
      }) as PackedSettings;
      for (const url of opens) expect(linkVerdict(settings, new URL(url)).opens, url).toBe('app');
      for (const url of leaves) expect(linkVerdict(settings, new URL(url)).opens, url).toBe('browser');
    }
    const settings = readPackedSettings({
      start: 'https://x.example/',
      links: [
        {
          host: '*.saltmarsh.example',
          rules: [
            { allow: true, pattern: '/*' },
            { allow: false, pattern: '/old/*' },
          ],
        },
      ],
    }) as PackedSettings;
    expect(linkVerdict(settings, new URL('https://pier.saltmarsh.example/a'))).toMatchObject({
      opens: 'app',
    });
    expect(linkVerdict(settings, new URL('https://pier.saltmarsh.example/old/a')).why).toContain('!/old/*');
    expect(linkVerdict(settings, new URL('https://elsewhere.example/')).why).toContain('claims no links');
    expect(linkVerdict(settings, new URL('mailto:a@saltmarsh.example')).opens).toBe('browser');
  });
});

interface SharedVector {
  readonly title?: string;
  readonly text?: string;
  readonly file?: string;
  readonly arrives: string;
  readonly form?: string;
  readonly fields?: readonly (readonly [string, string])[];
  readonly field?: string | null;
}

describe('shares', () => {
  const { targets } = vectors('shares') as {
    targets: readonly { target: object; shares: readonly SharedVector[] }[];
  };
  it('arrive as the shells have it', () => {
    for (const { target, shares } of targets) {
      const { share } = readPackedSettings({ start: 'https://x.example/', share: target }) as PackedSettings;
      for (const { title, text, file, arrives, form, fields, field } of shares) {
        const given = file && { name: 'x', type: file, bytes: new Uint8Array(1) };
        const found = arrivalOf(share as ShareSettings, { title, text, file: given || undefined });
        expect(found.url, JSON.stringify(title ?? text)).toBe(arrives);
        expect(found.form).toBe(form);
        if (fields) expect(found.fields).toEqual(fields);
        if (field !== undefined) expect(found.fileField ?? null, file).toBe(field);
      }
    }
  });
});

describe('pages that do not come', () => {
  const { cases } = vectors('trouble') as {
    cases: readonly { errors: object; own: boolean; outcome: PageOutcome; answers: string }[];
  };
  it.each(cases)('are answered as the shells have it: $outcome, own $own, $errors', (one) => {
    const inside = {
      ...{ protocol: 'https', hostname: 'own\\.example', port: '', pathname: '/.*', search: '.*' },
    };
    const settings = readPackedSettings({
      ...{ start: 'https://own.example/', inside: [inside], errors: one.errors },
    }) as PackedSettings;
    const url = new URL(one.own ? 'https://own.example/x' : 'https://elsewhere.example/x');
    expect(troubleOf(settings, url, one.outcome) ?? 'page').toBe(one.answers);
  });

  it('speak the language of the device, else that of the app', () => {
    const table =
      '\tofflineTitle\tretry\n\tNo connection\tTry again\nde\tKeine Verbindung\t\nzh-Hant\t沒有連線\t重試\n';
    expect(readWords(table, 'de-AT')('offlineTitle')).toBe('Keine Verbindung');
    expect(readWords(table, 'de-AT')('retry')).toBe('Try again');
    expect(readWords(table, 'zh-TW')('retry')).toBe('重試');
    expect(readWords(table, 'fr')('offlineTitle')).toBe('No connection');
    expect(readWords('', 'fr')('offlineTitle')).toBe('');
    const page = troublePage(
      assumedSettings('x'),
      (key) => `<b>${key}`,
      'offline',
      'dark',
      'https://x.example/?a="><script>',
    );
    expect(page).toContain('&lt;b&gt;offlineTitle');
    expect(page).not.toContain('"><script>');
  });
});

interface SettingsVector {
  readonly settings: object;
  readonly window: { readonly fullscreen: boolean; readonly minimal: boolean; readonly covers: boolean };
  readonly colors: Readonly<Record<'light' | 'dark', readonly [theme: string, background: string]>>;
  readonly reasons: Readonly<Record<string, string>>;
  readonly undeclared: readonly string[];
  readonly types: Readonly<Record<string, string>>;
  readonly headers: Readonly<Record<string, Readonly<Record<string, string>>>>;
  readonly offline: string | null;
}

describe('settings', () => {
  it.each(vectors('settings').apps as SettingsVector[])(
    'are read as the shells read them: $window',
    (one) => {
      const found = readPackedSettings(one.settings) as PackedSettings;
      expect({
        fullscreen: found.display === 'fullscreen',
        minimal: found.display === 'minimal-ui',
        covers: found.pullsToEdges,
      }).toEqual({
        fullscreen: one.window.fullscreen,
        minimal: one.window.minimal,
        covers: one.window.covers,
      });
      for (const scheme of ['light', 'dark'] as const)
        expect([found[scheme].theme, found[scheme].background]).toEqual(one.colors[scheme]);
      expect(Object.fromEntries(found.permissions)).toEqual(one.reasons);
      for (const name of one.undeclared) expect(found.permissions.has(name), name).toBe(false);
      expect(found.types).toMatchObject(one.types);
      for (const [path, fields] of Object.entries(one.headers))
        expect(found.packed && headersOf(found.packed.rules, path), path).toEqual(fields);
      expect(found.errors.offline?.href ?? null).toBe(one.offline);
    },
  );
});

describe('settings of a package', () => {
  it('are taken as far as they are as they should be', () => {
    expect(readPackedSettings(null)).toBeUndefined();
    expect(readPackedSettings({ start: 'javascript:alert(1)' })).toBeUndefined();
    const odd = readPackedSettings({
      start: 'https://ferry.saltmarsh.example/',
      name: 5,
      themeColor: 'red;background:url(x)',
      inside: [{ protocol: 'https', hostname: '(', port: '', pathname: '.*', search: '.*' }, 'x'],
      packed: { origin: 'nowhere' },
      links: [{ host: 1 }, { host: 'a.example', rules: [{ pattern: 3 }] }],
      permissions: { camera: 'x' },
    });
    expect(odd).toMatchObject({ name: '', packed: undefined, inside: [], light: { theme: '#ffffff' } });
    expect(odd?.links).toEqual([{ host: 'a.example', rules: [] }]);
    expect(odd?.permissions.get('camera')).toBe('');
  });
});

describe('a package', () => {
  let dir: string;
  beforeAll(async () => {
    dir = await readyProject({ 'site/pier.html': '<!doctype html><title>Pier</title>' });
    for (const kind of ['apk', 'aab']) expect((await hull(['pack', kind], { cwd: dir })).code).toBe(0);
  });

  it.each(['apk', 'aab'])('is opened with its own settings, name, icon and pages: %s', async (kind) => {
    const app = await openPackedApp(packed(dir).replace(/apk$/, kind));
    try {
      expect(app).toMatchObject({
        kind,
        platform: 'android',
        id: ID,
        build: '1',
        settings: { isOurs: true },
      });
      expect(Buffer.from(await app.read('pier.html')).toString()).toContain('<title>Pier');
      expect(app.icon?.length).toBeGreaterThan(100);
      expect([app.has('index.html'), app.has('../hull/shell.json')]).toEqual([true, false]);
    } finally {
      await app.close();
    }
  });

  it('of another maker is run as far as its assets allow; one without pages is not', async () => {
    const source = (await import('../../../src/core/formats/bytes/source.js')).FileSource;
    const { readEntry, readZip } = await import('../../../src/core/formats/zip/reader.js');
    const opened = await source.open(packed(dir));
    const { entries } = await readZip(opened);
    const kept: { path: string; content: Uint8Array }[] = [];
    for (const entry of entries)
      if (!entry.path.startsWith('assets/'))
        kept.push({ path: entry.path, content: await readEntry(opened, entry) });
    await opened.close();
    const write = async (more: typeof kept) => {
      const file = join(temporaryFolder(), 'other.apk');
      const list = [...kept, ...more].map((one) => ({ ...one, method: 'deflate' as const, alignment: 1 }));
      writeFileSync(file, await writeZip(list));
      return file;
    };
    const pages = Buffer.from('<!doctype html><title>Other</title>');
    const app = await openPackedApp(await write([{ path: 'assets/www/index.html', content: pages }]));
    expect(app.settings.isOurs).toBe(false);
    expect(app.has('index.html')).toBe(true);
    await app.close();
    const damaged = await openPackedApp(
      await write([
        { path: 'assets/hull/shell.json', content: Buffer.from('{') },
        { path: 'assets/www/index.html', content: pages },
      ]),
    );
    expect(damaged.settings.isOurs).toBe(false);
    await damaged.close();
    await expect(openPackedApp(await write([]))).rejects.toMatchObject({ code: 'try.no-pages' });
  });
});

describe('steps', () => {
  const write = (content: string) => {
    const file = join(temporaryFolder(), 'steps.json');
    writeFileSync(file, content);
    return file;
  };

  it('are read with their places, and refused where they are not as described', () => {
    const { steps, device } = readSteps(
      write('{ "device": "tablet", "steps": [\n  { "start": true }, // the icon\n  { "see": "Pier" }\n] }'),
    );
    expect(device).toBe('tablet');
    expect(steps.map(({ location }) => location.line)).toEqual([2, 3]);
    for (const text of [
      '{',
      '{"steps":[]}',
      '{"steps":[{"jump":true}]}',
      '{"steps":[{"into":"Name"}]}',
      '{"steps":[{"turn":"up"}]}',
    ])
      expect(() => readSteps(write(text)), text).toThrowError(
        expect.objectContaining({ code: 'try.bad-steps' }),
      );
  });

  it('have results that a build server reads', () => {
    const xml = junitOf('a "b".json', [
      { name: 'starts', location: {}, is: 'passed', milliseconds: 1500, why: undefined },
      {
        name: 'sees <Pier>',
        location: { file: 'a.json', line: 3 },
        is: 'failed',
        milliseconds: 20,
        why: '"Pier" & \u0001 is not there',
      },
      { name: 'last', location: {}, is: 'skipped', milliseconds: 0, why: undefined },
    ]);
    expect(xml).toContain('tests="3" failures="1" skipped="1" time="1.520"');
    expect(xml).toContain('<failure message="&quot;Pier&quot; &amp; \uFFFD is not there">a.json:3</failure>');
    expect(xml).toContain('name="a &quot;b&quot;.json"');
  });
});
