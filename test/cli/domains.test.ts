import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { DEMO_SITE, HULL, hull, PASSWORD } from '../support/hull.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

const HOST = 'ferry.saltmarsh.example';
const WELL_KNOWN = 'site/.well-known';
const CONFIG = {
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: `https://${HOST}/` },
  look: { icon: 'site/icons/icon.svg' },
  links: [
    { host: HOST, paths: ['/*', '!/admin/*'], credentials: true },
    {
      host: 'tickets.saltmarsh.example',
      paths: [{ path: '/show', query: { code: '*' }, comment: 'a ticket from a mail' }],
    },
  ],
  apple: { team: 'A1B2C3D4E5', min_version: '12.0', clip: 'example.saltmarsh.ferry.Clip' },
  keys: { release: { file: 'keys/release.p12' } },
};

let keystore: string;
const made = temporaryFolder();

beforeAll(async () => {
  writeFiles(made, {
    'hull.json': JSON.stringify({ ...CONFIG, keys: {} }),
    'site/index.html': '<!doctype html>',
  });
  const ran = await hull(['keys', 'new', '--yes'], { cwd: made });
  expect(ran.code, ran.err).toBe(0);
  keystore = join(made, 'keys/release.p12');
});

/** A project on the demo site, with a key. */
function project(config: object = {}): string {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  mkdirSync(join(dir, 'keys'));
  cpSync(keystore, join(dir, 'keys/release.p12'));
  writeFileSync(join(dir, 'hull.json'), JSON.stringify({ ...CONFIG, ...config }, undefined, 2));
  return dir;
}

const json = (file: string) => JSON.parse(readFileSync(file, 'utf8'));

interface Running {
  readonly out: () => string;
  readonly err: () => string;
  stop(): Promise<number | null>;
}
const running: Running[] = [];
afterAll(async () => {
  await Promise.all(running.map((one) => one.stop()));
});

/** Starts a command that runs until it is stopped; waits for its JSON. */
async function start(
  args: string[],
  cwd: string,
): Promise<Running & { readonly facts: Record<string, unknown> }> {
  const env = { ...process.env, HULL_KEY_PASSWORD: PASSWORD, NO_COLOR: '1' };
  const child = spawn(process.execPath, [HULL, ...args, '--json'], { cwd, env });
  let [out, err] = ['', ''];
  child.stdout.on('data', (chunk: Buffer) => {
    out += chunk;
  });
  child.stderr.on('data', (chunk: Buffer) => {
    err += chunk;
  });
  const ended = new Promise<number | null>((resolve) => {
    child.on('close', resolve);
  });
  const one: Running = {
    out: () => out,
    err: () => err,
    stop: () => {
      child.kill('SIGTERM');
      return ended;
    },
  };
  running.push(one);
  for (let i = 0; i < 200 && !out.trimEnd().endsWith('}'); i += 1) await wait(50);
  return { ...one, facts: JSON.parse(out) };
}

/** Asks a server on loopback for a path as it is written, which a URL parser would clean. */
function get(port: number, path: string): Promise<{ status: number; type: string; body: string }> {
  return new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path }, (message) => {
      let body = '';
      message.on('data', (chunk: Buffer) => {
        body += chunk;
      });
      message.on('end', () =>
        resolve({ status: message.statusCode ?? 0, type: message.headers['content-type'] ?? '', body }),
      );
    })
      .on('error', reject)
      .end();
  });
}

describe('hull domains write', () => {
  it('writes every document, changes nothing the second time, and checks', async () => {
    const dir = project();
    const before = await hull(['domains', 'write', '--check'], { cwd: dir });
    expect(before.code).toBe(1);
    expect(before.out).toContain('missing');
    const wrote = await hull(['domains', 'write', '--verbose'], { cwd: dir });
    expect(wrote.code, wrote.err).toBe(0);
    expect(wrote.out).toContain(`applinks:${HOST}`);
    expect(wrote.out).toContain(`webcredentials:${HOST}?mode=developer`);
    expect(wrote.err).toContain('android.store_key');
    const [statement] = json(join(dir, WELL_KNOWN, 'assetlinks.json'));
    expect(statement.relation).toEqual([
      'delegate_permission/common.handle_all_urls',
      'delegate_permission/common.get_login_creds',
    ]);
    expect(statement.target.sha256_cert_fingerprints).toHaveLength(1);
    const apple = json(join(dir, WELL_KNOWN, 'apple-app-site-association'));
    expect(apple.applinks.details[0].components).toEqual([{ '/': '/admin/*', exclude: true }, { '/': '/*' }]);
    expect(apple.applinks.details[0].paths).toEqual(['NOT /admin/*', '/*']);
    expect(apple.appclips.apps).toEqual(['A1B2C3D4E5.example.saltmarsh.ferry.Clip']);
    const elsewhere = join(dir, 'out/domains/tickets.saltmarsh.example/.well-known');
    expect(json(join(elsewhere, 'web-app-origin-association'))).toEqual({ [`https://${HOST}/`]: {} });
    expect(json(join(elsewhere, 'apple-app-site-association')).applinks.details[0].components).toEqual([
      { '/': '/show', '?': { code: '?*' }, comment: 'a ticket from a mail' },
    ]);
    expect(json(join(dir, 'site/manifest.webmanifest')).scope_extensions).toEqual([
      { type: 'origin', origin: 'https://tickets.saltmarsh.example' },
    ]);
    const again = await hull(['domains', 'write', '--check', '--json'], { cwd: dir });
    expect(again.code).toBe(0);
    expect(JSON.parse(again.out).documents.map(({ state }: { state: string }) => state)).toEqual(
      Array(6).fill('same'),
    );
  });

  it('names every certificate that will sign, and asks for no password where the public part is there', async () => {
    const dir = project();
    const ran = await hull(['keys', 'new', 'next', '--yes', '--curve', 'P-256'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect((await hull(['keys', 'rotate', 'release', 'next', '--yes'], { cwd: dir })).code).toBe(0);
    const config = json(join(dir, 'hull.json'));
    config.android = { key: 'next', store_key: 'store' };
    config.keys.store = { certificate: 'keys/store.pem' };
    const { certificatePem } = await import('../../src/core/keys/certificate.js');
    const { createIdentity } = await import('../../src/core/keys/create.js');
    const store = await createIdentity({
      alias: 'store',
      key: { type: 'ec', curve: 'P-256' },
      commonName: 'Store',
      years: 30,
      from: new Date(),
    });
    writeFileSync(join(dir, 'keys/store.pem'), certificatePem(store.certificates[0] as Uint8Array));
    writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
    const wrote = await hull(['domains', 'write', '--json'], { cwd: dir });
    expect(wrote.code, wrote.err).toBe(0);
    expect(JSON.parse(wrote.out).certificates.map(({ role }: { role: string }) => role)).toEqual([
      'own',
      'former',
      'store',
    ]);
    config.keys.next = { certificate: 'keys/store.pem' };
    config.android = { key: 'next' };
    writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
    const silent = await hull(['domains', 'write'], { cwd: dir, env: { HULL_KEY_PASSWORD: undefined } });
    expect(silent.code, silent.err).toBe(0);
  });

  it.each([
    ['domains.none', { links: [] }],
    ['domains.one-document', { links: [{ host: 'a.example' }, { host: '*.a.example', paths: ['/x'] }] }],
    [
      'domains.one-document',
      { links: [{ host: HOST }, { host: 'www.saltmarsh.example', paths: ['/x'], folder: 'site' }] },
    ],
    ['links.bad-host', { links: [{ host: '192.0.2.7' }] }],
  ])('refuses with %s', async (code, config) => {
    const ran = await hull(['domains', 'write', '--json'], { cwd: project(config) });
    expect(ran.code).toBe(2);
    expect(JSON.parse(ran.out).error.code).toBe(code);
  });

  it('leaves what is no JSON as it is, and keeps what the file says of others', async () => {
    const dir = project();
    const file = join(dir, WELL_KNOWN, 'assetlinks.json');
    writeFiles(dir, { [`${WELL_KNOWN}/assetlinks.json`]: '<html>' });
    const refused = await hull(['domains', 'write'], { cwd: dir });
    expect(refused.code).toBe(2);
    expect(refused.err).toContain('domains.foreign-document');
    expect(readFileSync(file, 'utf8')).toBe('<html>');
    writeFileSync(
      file,
      '[ { "relation": ["x/y"], "target": { "namespace": "web", "site": "https://a.example" } } ]',
    );
    expect((await hull(['domains', 'write', '--out', 'elsewhere'], { cwd: dir })).code).toBe(0);
    expect(json(file)).toHaveLength(1);
    expect((await hull(['domains', 'write'], { cwd: dir })).code).toBe(0);
    expect(json(file)).toHaveLength(2);
    expect(json(join(dir, 'elsewhere', HOST, '.well-known/assetlinks.json'))).toHaveLength(1);
  });

  it('refuses a document that devices would not read to its end', async () => {
    const paths = Array.from({ length: 7000 }, (_none, index) => `/pier-${index}/*`);
    const ran = await hull(['domains', 'write'], { cwd: project({ links: [{ host: HOST, paths }] }) });
    expect(ran.code).toBe(2);
    expect(ran.err).toContain('domains.too-large');
  });

  it('names the debug key only where that is asked for, and tells how servers are told', async () => {
    const dir = project();
    const home = temporaryFolder();
    const ran = await hull(['domains', 'write', '--debug', '--serving'], {
      cwd: dir,
      env: { HOME: home, XDG_CONFIG_HOME: join(home, 'config') },
    });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.err).toContain('take it out before release');
    expect(ran.out).toContain('location ^~ /.well-known/');
    const ids = json(join(dir, WELL_KNOWN, 'assetlinks.json')).map(
      (item: { target: { package_name: string } }) => item.target.package_name,
    );
    expect(ids).toEqual(['example.saltmarsh.ferry', 'example.saltmarsh.ferry.debug']);
  });
});

describe('hull serve and hull domains verify', () => {
  it('prove hosts on loopback, and each fault', async () => {
    const dir = project();
    expect((await hull(['domains', 'write'], { cwd: dir })).code).toBe(0);
    expect((await hull(['pack', 'apk', '--quiet'], { cwd: dir })).code).toBe(0);
    const local = await hull(['domains', 'verify', '--local'], { cwd: dir });
    expect(local.code, local.out).toBe(0);
    const found = async (fault?: string) => {
      const serving = await start(['serve', '--https', ...(fault ? ['--fault', fault] : [])], dir);
      const { port } = serving.facts.https as { port: number };
      const hosts = [HOST, 'tickets.saltmarsh.example'];
      const options = hosts.flatMap((host) => ['--resolve', `${host}=127.0.0.1:${port}`]);
      const ran = await hull(['domains', 'verify', ...options, '--ca', '.hull/serve-ca.pem'], { cwd: dir });
      expect(await serving.stop()).not.toBe(70);
      return { ...ran, log: serving.err() };
    };
    const good = await found();
    expect(good.code, good.out + good.err).toBe(0);
    expect(good.out.match(/✓/g)).toHaveLength(5);
    expect(good.err).toContain('out/example.saltmarsh.ferry-1.0.0-1.apk');
    const asked = await hull(['domains', 'explain', `https://${HOST}/timetable/today`, '--steps'], {
      cwd: dir,
    });
    expect(asked.out).toContain('(out/example.saltmarsh.ferry-1.0.0-1.apk)');
    expect(good.log).toMatch(
      /200 GET tickets\.saltmarsh\.example\/\.well-known\/assetlinks\.json application\/json/,
    );
    for (const [fault, observed] of [
      ['redirect', 'redirects to'],
      ['404', 'not there'],
      ['500', 'status 500'],
      ['type', 'content type is text/html'],
      ['offline', 'did not answer'],
    ] as const) {
      const bad = await found(fault);
      expect(bad.code, fault).toBe(1);
      expect(bad.out, fault).toContain(observed);
    }
  });

  it('serves nothing outside of the folder, no dot file, and no link that leads out', async () => {
    const dir = project();
    writeFiles(dir, { 'secret.txt': 'secret', 'site/.env': 'secret', 'site/a b.html': 'spaced' });
    symlinkSync(join(dir, 'secret.txt'), join(dir, 'site/way-out.txt'));
    // What is packed may hold no such link; so the project is read before it is there.
    rmSync(join(dir, 'site/way-out.txt'));
    const serving = await start(['serve'], dir);
    symlinkSync(join(dir, 'secret.txt'), join(dir, 'site/way-out.txt'));
    const { port } = serving.facts.http as { port: number };
    for (const path of [
      '/../secret.txt',
      '/%2e%2e/secret.txt',
      '/..%2fsecret.txt',
      '/css/..%5c..%5csecret.txt',
      '/.env',
      '/%2Eenv',
      '/.well-known/../.env',
      '/.well-known/%2e%2e/%2e%2e/secret.txt',
      '/way-out.txt',
      '/%00',
      '/%zz',
      '//etc/passwd',
    ]) {
      const answer = await get(port, path);
      expect(answer.status, path).toBeGreaterThanOrEqual(400);
      expect(answer.body, path).not.toContain('secret');
    }
    expect(await get(port, '/a%20b.html')).toMatchObject({ status: 200, body: 'spaced' });
    expect(await get(port, '/pier')).toMatchObject({ status: 200, type: 'text/html' });
    expect((await get(port, '/sw.js')).type).toMatch(/javascript/);
    expect((await get(port, '/nowhere')).status).toBe(404);
  });

  it('says that a port is taken', async () => {
    const dir = project();
    const serving = await start(['serve'], dir);
    const { port } = serving.facts.http as { port: number };
    const ran = await hull(['serve', '--port', String(port)], { cwd: dir });
    expect(ran.code).toBe(2);
    expect(ran.err).toContain('serve.port-taken');
  });
});

describe('hull domains explain', () => {
  it('explains each platform by the rule that decides', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const urls = [
      `https://${HOST}/timetable/today`,
      `https://${HOST}/admin/`,
      'https://tickets.saltmarsh.example/show',
    ];
    const ran = await hull(['domains', 'explain', ...urls, '--json', '--steps'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const answers = JSON.parse(ran.out).answers;
    const openers = answers.map((one: Record<string, { opens: string }>) =>
      ['android', 'apple', 'web'].map((platform) => one[platform]?.opens),
    );
    expect(openers).toEqual([
      ['app', 'app', 'app'],
      ['browser', 'browser', 'app'],
      ['browser', 'browser', 'app'],
    ]);
    expect(answers[1].android.before).toEqual({ version: 'API 35', opens: 'app-hands-on' });
    expect(answers[1].apple.location).toMatchObject({ file: 'site/.well-known/apple-app-site-association' });
    const shown = await hull(['domains', 'explain', ...urls, '--steps'], { cwd: dir });
    expect(shown.out).toContain('first match: not /admin/*');
    expect(shown.out).toContain('the app itself hands it to the browser');
  });

  it('answers before anything is written, and without a password', async () => {
    const env = { HULL_KEY_PASSWORD: undefined };
    const ran = await hull(['domains', 'explain', `https://${HOST}/pier.html`], { cwd: project(), env });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toMatch(/Android +app .*as hull\.json would have it/);
  });

  it('goes by the hosts themselves where asked to, and by what their lists include', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const other = 'https://tickets.saltmarsh.example/.well-known/assetlinks.json';
    writeFiles(dir, { [`${WELL_KNOWN}/assetlinks.json`]: JSON.stringify([{ include: other }]) });
    const serving = await start(['serve', '--https'], dir);
    const { port } = serving.facts.https as { port: number };
    const options = [HOST, 'tickets.saltmarsh.example']
      .flatMap((host) => ['--resolve', `${host}=127.0.0.1:${port}`])
      .concat('--ca', '.hull/serve-ca.pem', '--live');
    const ran = await hull(['domains', 'explain', `https://${HOST}/show?code=1`, ...options, '--json'], {
      cwd: dir,
    });
    expect(ran.code, ran.err).toBe(0);
    const [{ android }] = JSON.parse(ran.out).answers;
    expect(android.opens).toBe('app');
    expect(android.location.url).toBe(`https://${HOST}/.well-known/assetlinks.json`);
  });

  it('reads the manifest and the pages of a hosted app from its host', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const serving = await start(['serve', '--https'], dir);
    const { port } = serving.facts.https as { port: number };
    const hosted = temporaryFolder();
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    const { folder: _folder, ...web } = config.web;
    writeFiles(hosted, { 'hull.json': JSON.stringify({ ...config, web, keys: {} }) });
    const ask = (...more: string[]) =>
      hull(['domains', 'explain', '--ca', join(dir, '.hull/serve-ca.pem'), ...more], { cwd: hosted });
    const here = [HOST, 'tickets.saltmarsh.example'].flatMap((host) => [
      '--resolve',
      `${host}=127.0.0.1:${port}`,
    ]);
    const one = await ask(`https://${HOST}/pier.html`, '--live', ...here);
    expect(one.code, one.err).toBe(0);
    expect(one.out).toMatch(/Installed web app +app +scope/);
    const all = await ask('--from-site', '--live', ...here);
    expect(all.code, all.err).toBe(0);
    expect(all.out).toContain(`https://${HOST}/pier.html\n`);
    // A host that cannot be had hinders nothing else.
    const gone = await ask(`https://${HOST}/pier.html`, '--live', '--resolve', `${HOST}=127.0.0.1:9`);
    expect(gone.code, gone.err).toBe(0);
    expect(gone.err).toContain(`https://${HOST}/ could not be read`);
    const still = await ask(`https://${HOST}/pier.html`);
    expect(still.err).toContain('read with --live');
    expect((await ask('--from-site')).err).toContain('--live');
  });

  it('takes lists, pages and the sitemap', async () => {
    const dir = project();
    writeFiles(dir, {
      'list.txt': `# links\nhttps://${HOST}/a?b&c\n\n  https://elsewhere.example/\n`,
      'site/sitemap.xml': `<urlset><url><loc>https://${HOST}/admin/a?x=1&amp;y=2</loc></url></urlset>`,
    });
    const list = await hull(['domains', 'explain', '--from', 'list.txt', '--json'], { cwd: dir });
    expect(
      JSON.parse(list.out).answers.map((one: { android: { opens: string } }) => one.android.opens),
    ).toEqual(['app', 'browser']);
    const site = await hull(['domains', 'explain', '--from-site'], { cwd: dir });
    expect(site.code, site.err).toBe(0);
    expect(site.out).toMatch(/pier\.html +app +app +app/);
    expect(site.out).toMatch(/admin\/a\?x=1&y=2 +browser/);
    const bad = await hull(['domains', 'explain', 'ferry'], { cwd: dir });
    expect([bad.code, bad.err.includes('domains.bad-url')]).toEqual([2, true]);
    const typed = await hull(['domains', 'explain', 'pier'], { cwd: dir });
    expect([typed.code, typed.err]).toEqual([2, expect.stringContaining('"pier" is not an address')]);
    expect(typed.err, 'no place, no line for it').not.toMatch(/^ *at *$/m);
    writeFiles(dir, { 'bad.txt': `https://${HOST}/\n\nferry\n` });
    const line = await hull(['domains', 'explain', '--from', 'bad.txt'], { cwd: dir });
    expect(line.err).toContain('bad.txt:3');
    const none = await hull(['domains', 'explain'], { cwd: dir });
    expect([none.code, none.err.includes('domains.bad-option')]).toEqual([2, true]);
  });
});

describe('a package of the browser engine', () => {
  it('is made only where its host names its key, or when told so', async () => {
    const dir = project({ android: { engine: 'browser' }, permissions: {} });
    const refused = await hull(['pack', 'apk', '--resolve', `${HOST}=127.0.0.1:9`], { cwd: dir });
    expect(refused.code).toBe(2);
    expect(refused.err).toContain('domains.not-named');
    expect((await hull(['pack', 'apk', '--quiet', '--skip-origin-check'], { cwd: dir })).code).toBe(0);
    expect((await hull(['domains', 'write'], { cwd: dir })).code).toBe(0);
    const packed = await hull(['pack', 'apk', '--quiet'], { cwd: dir });
    expect(packed.code, packed.err).toBe(0);
    await hull(['keys', 'new', 'other', '--yes', '--curve', 'P-256'], { cwd: dir });
    const other = await hull(['pack', 'apk', '--key', 'other'], { cwd: dir });
    expect(other.err).toContain('does not list the certificate');
  });
});

describe('hull drydock verifier', () => {
  it('keeps what it read, until the app is installed again or a day has gone by', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const serving = await start(['serve', '--https'], dir);
    const { port } = serving.facts.https as { port: number };
    const options = [HOST, 'tickets.saltmarsh.example']
      .flatMap((host) => ['--resolve', `${host}=127.0.0.1:${port}`])
      .concat('--ca', '.hull/serve-ca.pem');
    const verifier = await start(['drydock', 'verifier', ...options], dir);
    const address = verifier.facts.address as string;
    const headers = { authorization: `Bearer ${verifier.facts.token as string}` };
    const ask = async (path: string, method = 'GET') =>
      (await fetch(address + path, { method, headers })).json();
    const opens = async () => {
      const answer = (await ask(`/opens?url=${encodeURIComponent(`https://${HOST}/pier.html`)}`)) as never;
      const { android, apple } = answer as Record<string, { opens: string }>;
      return [android?.opens, apple?.opens];
    };
    await ask('/install', 'POST');
    expect(await opens()).toEqual(['app', 'app']);
    const config = json(join(dir, 'hull.json'));
    config.links[0].paths = ['/*', '!/pier.html'];
    writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
    expect((await hull(['domains', 'write'], { cwd: dir })).code).toBe(0);
    expect(await opens()).toEqual(['app', 'app']);
    const told = await hull(['domains', 'verify', ...options, '--verifier', address], { cwd: dir });
    expect(told.code, told.out).toBe(0);
    expect(told.out).toContain('The device still goes by what it read');
    expect(told.out).toContain('The vendor’s cache still answers');
    const developer = await fetch(`${address}/vendor/${HOST}?mode=developer`);
    expect(await developer.text()).toContain('/pier.html');
    expect(await (await fetch(`${address}/vendor/${HOST}`)).text()).not.toContain('/pier.html');
    await ask('/install', 'POST');
    expect(await opens()).toEqual(['browser', 'app']);
    await ask('/clock?hours=25', 'POST');
    await ask('/install', 'POST');
    expect(await opens()).toEqual(['browser', 'browser']);
    expect((await fetch(`${address}/clock?hours=x`, { method: 'POST', headers })).status).toBe(400);
    expect((await fetch(`${address}/clock?hours=2`, { method: 'POST' })).status).toBe(401);
  });
});

describe('hull survey', () => {
  it('proves what the folder serves, where there are links', async () => {
    const dir = project();
    const without = await hull(['survey', '--format', 'json'], { cwd: dir });
    const finding = (text: string) =>
      JSON.parse(text).findings.filter(({ code }: { code: string }) => code === 'link.association');
    expect(finding(without.out)).toHaveLength(2);
    await hull(['domains', 'write'], { cwd: dir });
    expect(finding((await hull(['survey', '--format', 'json'], { cwd: dir })).out)).toEqual([]);
    const file = join(dir, WELL_KNOWN, 'assetlinks.json');
    writeFileSync(file, readFileSync(file, 'utf8').replace('example.saltmarsh.ferry', 'example.other'));
    const [wrong] = finding((await hull(['survey', '--format', 'json'], { cwd: dir })).out);
    expect(JSON.stringify(wrong)).toContain('does not name example.saltmarsh.ferry');
  });
});
