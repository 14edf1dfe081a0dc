import { cpSync, existsSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv04 from 'ajv-draft-04';
import addFormats from 'ajv-formats';
import { describe, expect, it } from 'vitest';
import { RULES } from '../../src/core/survey/rules/all.js';
import { folderListener, host, tlsHost } from '../support/host.js';
import { DEMO_SITE, hull, ROOT } from '../support/hull.js';
import { readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';
import { testCertificate } from '../support/tls.js';

/** The built program on folders and hosts. */

const PAGE =
  '<!doctype html><meta name="viewport" content="width=device-width, initial-scale=1"><title>Ferry</title><a href="/gone.html">Gone</a>';
/** Where the dead link stands in it. */
const COLUMN = PAGE.indexOf('href=') + 1;
const PROJECT = {
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
  permissions: { geolocation: 'Shows the pier nearest to you.', camera: 'Reads the code on your booking.' },
};

function demoProject(more: object = {}): string {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  writeFileSync(
    join(dir, 'hull.json'),
    JSON.stringify({ ...PROJECT, look: { theme_color: '#0b4f6c' }, ...more }, undefined, 2),
  );
  return dir;
}

it('a folder behind --browser is what is surveyed', async () => {
  const dir = temporaryFolder();
  const nowhere = { cwd: dir, env: { PATH: dir, HULL_BROWSER: '' } };
  // Both get as far as the browser that is missing: neither is taken for an engine.
  for (const words of [
    ['--browser', 'site'],
    ['site', '--browser'],
  ])
    expect((await hull(['survey', ...words], nowhere)).err).toContain('browser.missing');
  const wrong = await hull(['survey', 'site', '--browser', 'netscope'], nowhere);
  expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('"netscope" is no engine')]);
});

describe('hull survey', () => {
  it('tells a tired person what, where, why and how to mend it', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE });
    const ran = await hull(['survey', 'site'], { cwd: dir });
    expect(ran.code).toBe(0);
    expect(ran.out).toContain('Warnings: users will notice these');
    expect(ran.out).toContain(
      `  Links lead nowhere  files.dead-link\n    ! /gone.html: nothing is there\n      site/index.html:1:${COLUMN}\n`,
    );
    expect(ran.out).toContain('Not judged');
    expect(ran.out).toMatch(
      /\d+ errors?, \d+ warnings, \d+ suggestions, \d+ rules passed, \d+ not judged\.\nnext: hull survey --explain/,
    );
  });

  it('takes header fields for a host, and says nothing of one that is none', async () => {
    let seen: unknown;
    const base = await host((request, response) => {
      seen = request.headers.authorization ?? request.headers['x-area'];
      response
        .writeHead(seen === undefined ? 401 : 200, { 'content-type': 'text/html' })
        .end('<title>x</title>');
    });
    expect((await hull(['survey', base])).code).toBe(3);
    const shown = await hull(['survey', base, '--header', 'X-Area: tests', '--fail-on', 'never']);
    expect([shown.code, seen]).toEqual([0, 'tests']);
    const signed = base.replace('//', '//ferry:se%20cret@');
    const ran = await hull(['survey', signed, '--fail-on', 'never']);
    expect([ran.code, seen]).toEqual([0, `Basic ${Buffer.from('ferry:se cret').toString('base64')}`]);
    expect(ran.out + ran.err).not.toContain('se%20cret');
    const bad = await hull(['survey', base, '--header', 'secret-without-a-colon']);
    expect(bad.code).toBe(2);
    expect(bad.err).not.toContain('secret-without');
  });

  it('exits with 1 from the severity that --fail-on names', async () => {
    const copy = temporaryFolder();
    cpSync(DEMO_SITE, join(copy, 'site'), { recursive: true });
    const style = join(copy, 'site/css/ferry.css');
    writeFileSync(style, readFileSync(style, 'utf8').replaceAll(/overscroll-behavior[^;]*;/g, ''));
    const run = async (...more: string[]) => (await hull(['survey', 'site', ...more], { cwd: copy })).code;
    expect(await run()).toBe(0);
    expect(await run('--fail-on', 'warning')).toBe(0);
    expect(await run('--fail-on', 'suggestion')).toBe(1);
    expect(await run('--fail-on', 'never')).toBe(0);
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': '<!doctype html><title>x</title>' });
    expect((await hull(['survey', 'site'], { cwd: dir })).code).toBe(1);
    expect((await hull(['survey', 'site', '--fail-on', 'never'], { cwd: dir })).code).toBe(0);
  });

  it('fails only on what an earlier report has not', async () => {
    const dir = temporaryFolder();
    const page = (body: string) => `<!doctype html><title>x</title>${body}`;
    writeFiles(dir, { 'site/index.html': page('<a href="/gone.html">x</a>') });
    const report = await hull(['survey', 'site', '--json', '--fail-on', 'never'], { cwd: dir });
    writeFiles(dir, { 'old.json': report.out });
    const since = () =>
      hull(['survey', 'site', '--baseline', 'old.json', '--fail-on', 'suggestion'], { cwd: dir });
    const same = await since();
    expect([same.code, same.out]).toEqual([
      0,
      expect.stringMatching(/\d+ findings of the baseline not shown/),
    ]);
    // Lines move with every edit; a second link to nothing is new.
    writeFiles(dir, { 'site/index.html': page('\n\n<a href="/gone.html">x</a><a href="/lost.html">y</a>') });
    const more = await since();
    expect(more.code).toBe(1);
    expect(more.out).toContain('/lost');
    expect(more.out).not.toContain('/gone');
    writeFiles(dir, { 'old.json': '{}' });
    expect((await since()).err).toContain('survey.bad-baseline');
  });

  it('gives one JSON document, with every rule and how it was judged', async () => {
    const ran = await hull(['survey', DEMO_SITE, '--json']);
    const report = JSON.parse(ran.out);
    expect(report.counts).toMatchObject({ error: 0, warning: 0, suggestion: 1, ignored: 0 });
    expect(report.target).toEqual({
      packed: true,
      hosted: true,
      engine: 'webview',
      edges: 'inset',
      apple: false,
      sharesPages: false,
      assumed: true,
    });
    expect(report.rules.map(({ code }: { code: string }) => code)).toEqual(RULES.map(({ id }) => id));
    const browser = report.rules.find(({ code }: { code: string }) => code === 'fit.overflow');
    expect(browser).toEqual({
      code: 'fit.overflow',
      verdict: 'not-judged',
      because: 'it takes a real browser',
    });
  });

  it('gives SARIF that its schema takes, with places from the working folder', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'my site/index.html': PAGE, 'my site/a.js': 'let = ;' });
    const ran = await hull(['survey', join(dir, 'my site'), '--format', 'sarif', '--fail-on', 'never'], {
      cwd: dir,
    });
    const sarif = JSON.parse(ran.out);
    const ajv = new Ajv04.default({ strict: false, allErrors: true, unicodeRegExp: false });
    addFormats.default(ajv);
    const validate = ajv.compile(
      JSON.parse(readFileSync(join(ROOT, 'test/fixtures/sarif-2.1.0.schema.json'), 'utf8')),
    );
    expect(validate(sarif), JSON.stringify(validate.errors)).toBe(true);
    const { results, tool, invocations } = sarif.runs[0];
    expect(tool.driver.rules).toHaveLength(RULES.length);
    const dead = results.find((result: { ruleId: string }) => result.ruleId === 'files.dead-link');
    expect(dead.locations[0].physicalLocation).toEqual({
      artifactLocation: { uri: 'my%20site/index.html' },
      region: { startLine: 1, startColumn: COLUMN },
    });
    expect(tool.driver.rules[dead.ruleIndex].id).toBe('files.dead-link');
    expect(invocations[0].toolExecutionNotifications[0].message.text).toContain('could not be judged');
  });

  it('writes a page that stands alone', async () => {
    const dir = temporaryFolder();
    const ran = await hull(['survey', DEMO_SITE, '--format', 'html', '--out', 'report/survey.html'], {
      cwd: dir,
    });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('report/survey.html written\n0 errors, ');
    const page = readFileSync(join(dir, 'report/survey.html'), 'utf8');
    expect(page).not.toMatch(/(src|href)="(?!data:)|<script/);
  });

  readerTest('chromium', 'shows what a browser saw', async () => {
    const dir = temporaryFolder();
    const ran = await hull(
      [
        'survey',
        DEMO_SITE,
        '--browser',
        '--no-speed',
        '--format',
        'html',
        '--out',
        'survey.html',
        '--fail-on',
        'never',
      ],
      { cwd: dir },
    );
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('survey.html written');
    expect(readFileSync(join(dir, 'survey.html'), 'utf8')).toContain('<img');
  });

  it('explains a rule, and lists all', async () => {
    const one = await hull(['survey', '--explain', 'feel.safe-area']);
    expect(one.out).toContain('Pages reach under status bar, notch and gesture bar');
    expect(one.out).toContain('CSS Environment Variables');
    const all = await hull(['survey', '--explain', 'all']);
    for (const { id } of RULES) expect(all.out).toContain(id);
    const wrong = await hull(['survey', '--explain', 'feel.safearea']);
    expect(wrong.code).toBe(2);
    expect(wrong.err).toContain('Did you mean "feel.safe-area"?');
    const { rules } = JSON.parse((await hull(['survey', '--explain', 'all', '--json'])).out);
    expect(rules).toHaveLength(RULES.length);
  });

  it('surveys the project, and counts what it ignores', async () => {
    const dir = demoProject();
    expect((await hull(['survey'], { cwd: dir })).out).toContain('0 errors, 0 warnings, 1 suggestion,');
    const faulty = demoProject({
      permissions: {},
      survey: { ignore: { 'permission.undeclared': 'asked for on the desk only' } },
    });
    const ran = await hull(['survey'], { cwd: faulty });
    expect(ran.code, ran.out).toBe(0);
    expect(ran.out).toContain(
      'Ignored in hull.json\n  permission.undeclared  2 findings  asked for on the desk only',
    );
    expect(ran.out).toContain('1 ignored');
    const unknown = demoProject({ survey: { ignore: { 'permission.undeclard': 'a long enough reason' } } });
    const refused = await hull(['survey'], { cwd: unknown });
    expect(refused.code).toBe(2);
    expect(refused.err).toContain('Did you mean "permission.undeclared"?');
    const short = demoProject({ survey: { ignore: { 'permission.undeclared': 'no' } } });
    expect((await hull(['survey'], { cwd: short })).err).toContain('too short to mean anything');
    expect((await hull(['survey'], { cwd: temporaryFolder() })).err).toContain('config.missing');
  });

  it('takes the project only for its own folder', async () => {
    const dir = demoProject({ permissions: {} });
    expect((await hull(['survey', 'site'], { cwd: dir })).out).toContain('permission.undeclared');
    cpSync(join(dir, 'site'), join(dir, 'other'), { recursive: true });
    expect((await hull(['survey', 'other'], { cwd: dir })).out).toContain(
      'there is no hull.json to compare with',
    );
  });

  it('looks at a host, over TLS with an authority of its own', async () => {
    const name = 'ferry.saltmarsh.example';
    const certificate = await testCertificate(name);
    const port = await tlsHost(certificate, folderListener(DEMO_SITE));
    const args = [
      'survey',
      `https://${name}/`,
      '--resolve',
      `${name}=127.0.0.1:${port}`,
      '--ca',
      certificate.ca,
    ];
    const ran = await hull(args);
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('link.association');
    const plain = await host(folderListener(DEMO_SITE));
    const report = JSON.parse((await hull(['survey', plain, '--json'])).out);
    expect(report.site).toMatchObject({ kind: 'hosted', pages: 5 });
  });

  it('refuses what it cannot use, and says why', async () => {
    const refusals: [string[], string, number][] = [
      [['survey', '/no/such/folder'], 'web.no-folder', 2],
      [['survey', 'http://127.0.0.1:9/'], 'net.unreachable', 3],
      [['survey', DEMO_SITE, '--pages', 'many'], 'survey.bad-option', 2],
      [['survey', 'https://a.example/', '--resolve', 'a.example'], 'survey.bad-option', 2],
      [['survey', 'https://a.example/', '--ca', join(DEMO_SITE, 'index.html')], 'survey.bad-option', 2],
      [['survey', 'https://a.example/', '--ca', '/no/such/file'], 'file.missing', 2],
      [['survey', DEMO_SITE, '--format', 'pdf'], 'cli.usage', 2],
    ];
    for (const [args, code, exit] of refusals) {
      const ran = await hull(args);
      expect([ran.code, ran.err], args.join(' ')).toEqual([exit, expect.stringContaining(code)]);
    }
    const noBrowser = await hull(['survey', DEMO_SITE, '--browser'], {
      env: { HULL_BROWSER: '/no/such/browser' },
    });
    expect(noBrowser.err).toContain('browser.missing');
    const noneFound = await hull(['survey', DEMO_SITE, '--browser'], {
      env: { PATH: '/nowhere', HULL_BROWSER: undefined },
    });
    expect(noneFound.err).toContain('Install Chromium, Chrome or Edge');
    const notOne = await hull(['survey', DEMO_SITE, '--browser'], { env: { HULL_BROWSER: '/bin/false' } });
    expect([notOne.code, notOne.err]).toEqual([3, expect.stringContaining('browser.failed')]);
  });

  it('is not thrown by odd folders', async () => {
    const dir = temporaryFolder();
    const site = join(dir, 'site');
    writeFiles(site, {
      'index.html': Buffer.concat([
        Buffer.from('<!doctype html><title>x</title>'),
        Buffer.from([0xff, 0xfe, 0xfa]),
      ]),
      'broken.html':
        '<table><p><a href="%zz"><a href="http://["><img srcset=",,,"><base href="javascript:0"><script>(((</script><style>}}{{',
      'picture.html': Buffer.from([0x89, 0x50, 0x4e, 0x47, 0, 0, 0]),
      'empty.html': '',
      'empty.js': '',
      'manifest.webmanifest':
        '{"icons":[null,5,{"src":{}}],"shortcuts":[null],"screenshots":{},"scope":"http://[","share_target":{"action":4}}',
    });
    symlinkSync(site, join(site, 'loop'));
    const ran = await hull(['survey', 'site', '--json', '--fail-on', 'never'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const rules = new Set(JSON.parse(ran.out).findings.map(({ code }: { code: string }) => code));
    for (const rule of [
      'read.binary',
      'read.script',
      'read.markup',
      'files.link',
      'manifest.member-type',
      'manifest.icon-entry',
    ]) {
      expect(rules, rule).toContain(rule);
    }
  });

  it('reads 50,000 files, and stops at the pages it was told', async () => {
    const dir = temporaryFolder();
    const site = join(dir, 'site');
    for (let i = 0; i < 50; i += 1) {
      mkdirSync(join(site, `${i}`), { recursive: true });
      for (let k = 0; k < 1000; k += 1)
        writeFileSync(join(site, `${i}/${k}.${k % 100 === 0 ? 'html' : 'txt'}`), '<p>x');
    }
    writeFileSync(join(site, 'index.html'), PAGE);
    const ran = await hull(['survey', 'site', '--pages', '100', '--json', '--fail-on', 'never'], {
      cwd: dir,
    });
    expect(ran.code, ran.err).toBe(0);
    const report = JSON.parse(ran.out);
    expect(report.site).toMatchObject({ files: 50_001, pages: 100 });
    expect(report.findings.filter(({ code }: { code: string }) => code === 'read.limit')).toHaveLength(1);
  });

  readerTest('chromium', 'looks with a real browser', async () => {
    const base = await host(folderListener(DEMO_SITE));
    const ran = await hull(['survey', base, '--browser', '--no-speed', '--json']);
    expect(ran.code, ran.err).toBe(0);
    const report = JSON.parse(ran.out);
    expect(report.browser).toContain('chromium');
    expect(report.failures.offline).toMatchObject({ answered: true, own: true });
    expect(report.views).toHaveLength(12);
    expect(JSON.stringify(report.views)).not.toContain('screenshot');
  });
});

describe('hull begin, from what the survey sees', () => {
  it('declares what the scripts use, and proposes links of the host', async () => {
    const dir = temporaryFolder();
    cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
    const ran = await hull(['begin', 'site', '--yes'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('from site/js/pier.js:47:3');
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(Object.keys(config.permissions)).toEqual(['geolocation', 'camera']);
    expect(config.links).toEqual([{ host: 'ferry.saltmarsh.example', paths: ['/*'] }]);
    expect(config.android.engine).toBe('webview');
    expect((await hull(['survey', '--fail-on', 'error'], { cwd: dir })).code).toBe(0);
  });

  it('takes the ID from the address that the pages name, where the host has none', async () => {
    const base = await host(folderListener(DEMO_SITE));
    const dir = temporaryFolder();
    const ran = await hull(['begin', base, '--yes'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(config.app.id).toBe('example.saltmarsh.ferry');
    expect(config.android.engine).toBe('webview');
    expect(ran.out).toContain('the browser engine needs https');
    expect(existsSync(join(dir, 'art/icon.svg'))).toBe(true);
  });

  it('chooses the browser engine where all that it demands holds, and says why not elsewhere', async () => {
    const name = 'ferry.saltmarsh.example';
    const certificate = await testCertificate(name);
    const json: Parameters<typeof folderListener>[1] = {};
    const association = Object.fromEntries(
      ['/.well-known/assetlinks.json', '/.well-known/apple-app-site-association'].map((path) => [
        path,
        ((_request, response) =>
          response.writeHead(200, { 'content-type': 'application/json' }).end('[]')) as NonNullable<
          (typeof json)[string]
        >,
      ]),
    );
    const gone: NonNullable<(typeof json)[string]> = (_request, response) => response.writeHead(404).end();
    for (const [own, engine, reason] of [
      [association, 'browser', 'everything that the browser engine demands holds'],
      // What the host does not say of the app yet is to be done, and no reason against the browser.
      [{}, 'browser', 'does not serve /.well-known/assetlinks.json yet'],
      [{ '/sw.js': gone }, 'webview', 'the browser engine demands offline.worker'],
    ] as const) {
      const port = await tlsHost(certificate, folderListener(DEMO_SITE, own));
      const dir = temporaryFolder();
      const ran = await hull(
        [
          'begin',
          `https://${name}/`,
          '--yes',
          '--resolve',
          `${name}=127.0.0.1:${port}`,
          '--ca',
          certificate.ca,
        ],
        { cwd: dir },
      );
      expect(ran.code, ran.err).toBe(0);
      expect(ran.out + ran.err).toContain(reason);
      expect(JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8')).android.engine).toBe(engine);
    }
  });
});
