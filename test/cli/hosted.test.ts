import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { verifyDomains } from '../../src/core/tasks/verify-domains.js';
import { DEMO_SITE, hull, PASSWORD } from '../support/hull.js';
import { get, HOST, project, start } from '../support/linked-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** An app that is hosted, and whose project has no folder of pages: everything is asked of its host. */

const PAGE = `<!doctype html><html lang="en"><head><title>Ferry</title><meta name="viewport" content="width=device-width">
<link rel="manifest" href="/app/ferry.webmanifest"><link rel="stylesheet" href="/app.css"></head>
<body><header class="bar">Ferry</header><main>Next boat at ten, the one after that at eleven.</main></body></html>`;
const STYLE = '.bar { position: fixed; inset: 0 0 auto 0; height: 50px } header.bar { padding: 8px }';
const MANIFEST = {
  id: '/?v=1',
  name: 'Saltmarsh Ferry',
  start_url: '/today',
  scope: '/',
  shortcuts: [{ name: 'Piers', url: '/piers' }],
  icons: [{ src: 'own.png', sizes: '192x192', type: 'image/png' }],
};

const stops: (() => void)[] = [];
afterAll(() => {
  for (const stop of stops) stop();
});

async function serve(listener: RequestListener): Promise<number> {
  const server = createServer(listener);
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  stops.push(() => server.close());
  return (server.address() as { port: number }).port;
}

function hostedProject(web: object): string {
  const dir = temporaryFolder();
  mkdirSync(join(dir, 'art'));
  cpSync(join(DEMO_SITE, 'icons/icon.svg'), join(dir, 'art/icon.svg'));
  const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
  writeFileSync(join(dir, 'hull.json'), JSON.stringify({ app, web, look: { icon: 'art/icon.svg' } }));
  return dir;
}

const answers: Readonly<Record<string, readonly [string, string]>> = {
  '/': ['text/html', PAGE],
  '/app.css': ['text/css', STYLE],
  '/app/ferry.webmanifest': ['application/manifest+json', JSON.stringify(MANIFEST)],
};
const host: RequestListener = (request, response) => {
  const [type, body] = answers[request.url ?? ''] ?? ['text/plain', ''];
  response.writeHead(body === '' ? 404 : 200, { 'content-type': type }).end(body);
};

describe('hull tags, for a host', () => {
  it('prints what the live page and manifest lack, and keeps who the app is', async () => {
    const dir = hostedProject({ url: `http://127.0.0.1:${await serve(host)}/` });
    const ran = await hull(['tags', '--json'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const { head, style, manifest, live } = JSON.parse(ran.out);
    expect(live).toMatchObject({ manifest: 'patch', why: null, upload: { folder: 'art/web' } });
    expect(Object.keys(manifest)).not.toEqual(
      expect.arrayContaining(['id', 'start_url', 'shortcuts', 'name']),
    );
    for (const own of Object.keys(MANIFEST).filter((key) => key !== 'icons'))
      expect(manifest).not.toHaveProperty(own);
    expect(manifest.icons[0]).toEqual(MANIFEST.icons[0]);
    expect(manifest.icons[1].src).toMatch(/^\.\.\/art\//);
    expect(head.join('\n')).not.toMatch(/rel="manifest"|name="viewport"/);
    expect(head.join('\n')).toContain('apple-touch-icon');
    // The rule counts as much as the one that it adds to.
    expect(style).toContain('.bar:not(.none) { padding-top: calc(8px + env(safe-area-inset-top));');
    const shown = await hull(['tags'], { cwd: dir });
    expect(shown.err).toContain('lacks these members');
    expect(shown.err).toMatch(/upload art\/web\/ as http:\/\/127\.0\.0\.1:\d+\/art\//);
    expect(shown.err).not.toContain('--write');
  });

  it('prints everything where the host cannot be read, and warns of replacing a manifest', async () => {
    const dir = hostedProject({ url: 'http://127.0.0.1:9/' });
    const { out, err, code } = await hull(['tags'], { cwd: dir });
    expect(code, err).toBe(0);
    expect(out).toContain('rel="manifest"');
    expect(err.replaceAll(/\s+/g, ' ')).toContain('another id or start_url is another app');
  });

  it('never replaces a manifest that is there and broken', async () => {
    const port = await serve((request, response) =>
      request.url?.endsWith('.webmanifest') ? response.end('{ "id":') : host(request, response),
    );
    const ran = await hull(['tags'], { cwd: hostedProject({ url: `http://127.0.0.1:${port}/` }) });
    expect([ran.code, ran.err]).toEqual([2, expect.stringContaining('manifest.not-json')]);
  });
});

describe('how a host is reached', () => {
  it('is said once, in hull.json, for every command; options and environment count before it', async () => {
    const seen: (string | undefined)[] = [];
    const port = await serve((request, response) => {
      if (request.url === '/') seen.push(`${request.headers['accept-language']} ${request.headers.cookie}`);
      host(request, response);
    });
    const access = { resolve: { [`${HOST}:80`]: `127.0.0.1:${port}` }, headers: { 'Accept-Language': 'nl' } };
    const dir = hostedProject({ url: `http://${HOST}/`, access });
    const ran = async (args: string[], env: Record<string, string> = {}) => {
      seen.length = 0;
      const one = await hull(args, { cwd: dir, env });
      expect(one.code, one.err).toBe(0);
      return seen[0];
    };
    expect(await ran(['survey', '--fail-on', 'never'])).toBe('nl undefined');
    expect(await ran(['tags', '--json'])).toBe('nl undefined');
    expect(await ran(['survey', '--fail-on', 'never'], { HULL_HEADERS: 'Cookie: area=tests' })).toBe(
      'nl area=tests',
    );
    expect(await ran(['survey', '--fail-on', 'never', '--header', 'Accept-Language: en'])).toBe(
      'en undefined',
    );
  });

  it('may be slow, and give up sooner', async () => {
    const times: number[] = [];
    const port = await serve((request, response) => {
      times.push(performance.now());
      host(request, response);
    });
    const dir = hostedProject({ url: `http://127.0.0.1:${port}/` });
    await hull(['survey', '--fail-on', 'never', '--rate', '20'], { cwd: dir });
    expect(times.length).toBeGreaterThan(4);
    const took = (times.at(-1) ?? 0) - (times[0] ?? 0);
    expect(took).toBeGreaterThan((times.length - 1) * 50 * 0.8);
    const silent = await serve(() => undefined);
    const ran = await hull(['survey', `http://127.0.0.1:${silent}/`, '--timeout', '0.4'], { cwd: dir });
    expect([ran.code, ran.err]).toEqual([3, expect.stringContaining('within 0.4 seconds')]);
    const bad = await hull(['survey', '--rate', 'fast'], { cwd: dir });
    expect([bad.code, bad.err]).toEqual([2, expect.stringContaining('survey.bad-option')]);
  });

  it('is never a secret in hull.json', async () => {
    const dir = hostedProject({
      url: `https://${HOST}/`,
      access: { headers: { Authorization: 'Basic c2VjcmV0' } },
    });
    const ran = await hull(['survey'], { cwd: dir });
    expect([ran.code, ran.err]).toEqual([2, expect.stringContaining('HULL_HEADERS')]);
    expect(ran.err).not.toContain('c2VjcmV0');
  });
});

describe('hull serve, for a hosted app', () => {
  it('serves what is to be brought to the host: images and documents', async () => {
    const dir = project({ web: { url: `https://${HOST}/` } });
    writeFiles(dir, { 'art/web/icon-192.png': 'made', 'art/secret.txt': 'secret' });
    expect((await hull(['domains', 'write', '--skip-live'], { cwd: dir })).code).toBe(0);
    const serving = await start(['serve'], dir);
    const { port } = serving.facts.http as { port: number };
    expect(await get(port, '/art/icon-192.png')).toMatchObject({
      status: 200,
      body: 'made',
      type: 'image/png',
    });
    expect((await get(port, '/.well-known/assetlinks.json')).body).toContain('example.saltmarsh.ferry');
    for (const path of ['/', '/hull.json', '/art/../secret.txt', '/art/..%2fsecret.txt', '/keys/release.p12'])
      expect((await get(port, path)).status, path).toBe(404);
    expect(await serving.stop()).not.toBe(70);
  });
});

describe('hull domains verify --wait', () => {
  it('asks again until the documents are deployed', async () => {
    const dir = project();
    expect((await hull(['domains', 'write'], { cwd: dir })).code).toBe(0);
    const file = join(dir, 'site/.well-known/assetlinks.json');
    const document = readFileSync(file);
    writeFileSync(file, '[]');
    const waits: (readonly string[])[] = [];
    const { verified } = await verifyDomains({
      project: dir,
      local: true,
      password: () => PASSWORD,
      isKnown: () => true,
      wait: {
        most: 60_000,
        every: 10,
        onWait: (hosts) => {
          waits.push(hosts);
          writeFileSync(file, document);
        },
      },
    });
    expect([verified, waits]).toEqual([true, [[HOST]]]);
    const bad = await hull(['domains', 'verify', '--local', '--wait', 'long'], { cwd: dir });
    expect([bad.code, bad.err]).toEqual([2, expect.stringContaining('domains.bad-option')]);
    const { out } = await hull(['domains', 'verify', '--local'], { cwd: dir });
    expect(out).toMatch(/\d of \d associations on 2 hosts verified\.\n$/);
  });
});
