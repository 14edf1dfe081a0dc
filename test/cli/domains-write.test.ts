import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { tlsHost } from '../support/host.js';
import { hull } from '../support/hull.js';
import { HOST, json, project, WELL_KNOWN } from '../support/linked-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';
import { testCertificate } from '../support/tls.js';

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

  it('merges into what a host serves now that serves no folder here, and loses nothing', async () => {
    const name = 'tickets.saltmarsh.example';
    const certificate = await testCertificate(name);
    const others = [
      {
        relation: ['delegate_permission/common.handle_all_urls'],
        target: {
          namespace: 'android_app',
          package_name: 'example.other.app',
          sha256_cert_fingerprints: ['AA:BB'],
        },
      },
    ];
    const apple = {
      applinks: { details: [{ appIDs: ['Z9Y8X7W6V5.example.other'], components: [{ '/': '/old' }] }] },
    };
    const paths: Record<string, unknown> = {
      '/.well-known/assetlinks.json': others,
      '/.well-known/apple-app-site-association': apple,
    };
    let broken = false;
    const port = await tlsHost(certificate, (request, response) => {
      const found = paths[request.url ?? ''];
      if (broken) response.writeHead(503).end();
      else if (found === undefined) response.writeHead(404).end();
      else response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(found));
    });
    const access = ['--resolve', `${name}=127.0.0.1:${port}`, '--ca', certificate.ca];
    const dir = project();
    const ran = await hull(['domains', 'write', ...access], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.err).toContain(`merged into what https://${name}/.well-known/assetlinks.json serves now`);
    const folder = join(dir, 'out/domains', name, '.well-known');
    const statements = json(join(folder, 'assetlinks.json'));
    expect(statements.map((one: { target: { package_name: string } }) => one.target.package_name)).toEqual([
      'example.other.app',
      'example.saltmarsh.ferry',
    ]);
    const { details } = json(join(folder, 'apple-app-site-association')).applinks;
    expect(details).toHaveLength(2);
    expect(details[0]).toEqual(apple.applinks.details[0]);
    // What was prepared here and is not deployed yet stays too.
    statements.push({ ...others[0], relation: ['delegate_permission/common.get_login_creds'] });
    writeFileSync(join(folder, 'assetlinks.json'), JSON.stringify(statements));
    expect((await hull(['domains', 'write', ...access], { cwd: dir })).code).toBe(0);
    expect(json(join(folder, 'assetlinks.json'))).toHaveLength(3);
    broken = true;
    const before = readFileSync(join(folder, 'assetlinks.json'), 'utf8');
    const refused = await hull(['domains', 'write', ...access], { cwd: dir });
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('domains.live-unreadable')]);
    expect(readFileSync(join(folder, 'assetlinks.json'), 'utf8')).toBe(before);
    expect((await hull(['domains', 'write', '--skip-live', ...access], { cwd: dir })).code).toBe(0);
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
