import { readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { hull } from '../support/hull.js';
import { get, HOST, json, project, start, WELL_KNOWN } from '../support/linked-project.js';
import { writeFiles } from '../support/temporary.js';

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
