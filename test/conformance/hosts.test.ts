import { type ChildProcess, spawn } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, describe, expect } from 'vitest';
import { DEMO_SITE, hull } from '../support/hull.js';
import { reader, readerTest } from '../support/readers.js';
import { temporaryFolder } from '../support/temporary.js';
import { testCertificate } from '../support/tls.js';

/** The demo app behind a web server that others wrote, with TLS, and what such servers do to those who ask. */

const HOST = 'ferry.saltmarsh.example';
const running: ChildProcess[] = [];
afterAll(() => {
  for (const child of running) child.kill('SIGTERM');
});

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  const { port } = server.address() as { port: number };
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** Starts the server; gives the options by which it is found. */
async function nginx(
  { http = '', server = '', location = '' },
  change: (site: string) => void = () => undefined,
): Promise<{ readonly options: string[]; readonly log: string }> {
  const dir = temporaryFolder();
  const certificate = await testCertificate(HOST);
  writeFileSync(join(dir, 'key.pem'), certificate.key);
  writeFileSync(join(dir, 'cert.pem'), certificate.cert);
  const site = join(dir, 'site');
  cpSync(DEMO_SITE, site, { recursive: true });
  change(site);
  mkdirSync(join(dir, 'tmp'));
  const port = await freePort();
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi']
    .map((name) => `${name}_temp_path ${dir}/tmp/${name};`)
    .join(' ');
  writeFileSync(
    join(dir, 'nginx.conf'),
    `daemon off; pid ${dir}/pid; error_log ${dir}/error.log; worker_processes 1;
${process.getuid?.() === 0 ? 'user root;' : ''}
events { worker_connections 64; }
http {
  include /etc/nginx/mime.types; access_log off; ${temporary}
  types { application/manifest+json webmanifest; }
  ${http}
  server {
    listen 127.0.0.1:${port} ssl; server_name ${HOST}; root ${site}; error_page 404 /404.html;
    ssl_certificate ${dir}/cert.pem; ssl_certificate_key ${dir}/key.pem;
    ${server}
    location / { try_files $uri $uri/ =404; ${location} }
  }
}`,
  );
  const child = spawn(
    reader('nginx') as string,
    ['-c', join(dir, 'nginx.conf'), '-e', join(dir, 'error.log')],
    {
      stdio: ['ignore', 'ignore', 'pipe'],
    },
  );
  running.push(child);
  for (let tries = 0; tries < 50; tries += 1) {
    const isUp = await fetch(`https://127.0.0.1:${port}/`).then(
      () => true,
      // The certificate is not for this name: something answered.
      (error: { cause?: { code?: string } }) => error.cause?.code !== 'ECONNREFUSED',
    );
    if (isUp) {
      const options = ['--resolve', `${HOST}=127.0.0.1:${port}`, '--ca', certificate.ca];
      return { options, log: join(dir, 'error.log') };
    }
    await wait(100);
  }
  throw new Error(readFileSync(join(dir, 'error.log'), 'utf8'));
}

interface Report {
  readonly findings: readonly { readonly code: string; readonly observed: string }[];
  readonly site: { readonly pages: number };
}

async function survey(options: readonly string[], ...more: string[]): Promise<Report> {
  const ran = await hull(['survey', `https://${HOST}/`, '--json', '--fail-on', 'never', ...options, ...more]);
  expect(ran.code, ran.err).toBe(0);
  return JSON.parse(ran.out);
}

const readings = ({ findings }: Report) =>
  findings.filter(({ code }) => code.startsWith('read.')).map(({ code, observed }) => `${code} ${observed}`);

describe('a host behind a real web server', () => {
  readerTest('nginx', 'is read as it is', async () => {
    const report = await survey((await nginx({})).options);
    expect(report.site.pages).toBe(5);
    expect(readings(report)).toEqual([]);
    const certificate = report.findings.filter(({ code }) => code === 'secure.certificate');
    expect(certificate.filter(({ observed }) => /NaN/.test(observed))).toEqual([]);
  });

  readerTest('nginx', 'is waited for where it limits requests', async () => {
    const { options, log } = await nginx({
      http: 'limit_req_zone $server_name zone=all:1m rate=4r/s; limit_req_status 429;',
      location: 'limit_req zone=all burst=2 nodelay;',
    });
    const report = await survey(options);
    expect(readFileSync(log, 'utf8')).toContain('limiting requests');
    expect(report.site.pages).toBe(5);
    expect(readings(report)).toEqual([]);
  });

  readerTest('nginx', 'has its refusals reported, until it is given what it asks for', async () => {
    // A name and password as that server keeps them: ferry, kept.
    const { options } = await nginx(
      {
        server:
          'location = /tickets.html { auth_basic "crew"; auth_basic_user_file $document_root/../users; }\n    location = /alerts.html { return 403; }',
      },
      (site) => writeFileSync(join(site, '../users'), 'ferry:{PLAIN}kept\n'),
    );
    const report = await survey(options);
    expect(report.site.pages).toBe(3);
    expect(readings(report).sort()).toEqual([
      'read.refused 1 page refused with status 401',
      'read.refused 1 page refused with status 403',
    ]);
    const basic = Buffer.from('ferry:kept').toString('base64');
    const signed = await survey(options, '--header', `Authorization: Basic ${basic}`);
    expect(signed.site.pages).toBe(4);
  });

  readerTest('nginx', 'that is in trouble is waited for, and then said to be', async () => {
    const { options } = await nginx({
      server: 'location = /tickets.html { add_header Retry-After 1 always; return 503; }',
    });
    const report = await survey(options);
    expect(report.site.pages).toBe(4);
    expect(readings(report)).toEqual(['read.refused 1 page refused with status 503']);
  });

  readerTest('nginx', 'is read as its robots.txt asks, and as its sitemap says', async () => {
    const { options } = await nginx({}, (site) => {
      writeFileSync(
        join(site, 'robots.txt'),
        `User-agent: *\nDisallow: /tickets.html\nSitemap: https://${HOST}/pages.xml\n`,
      );
      writeFileSync(
        join(site, 'pages.xml'),
        `<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://${HOST}/winter.html</loc></url></urlset>`,
      );
      // No page has a link to it.
      writeFileSync(
        join(site, 'winter.html'),
        '<!doctype html><html lang="en"><head><title>Winter</title></head><body><p>Two boats a day in winter.</p></body></html>',
      );
    });
    const report = await survey(options);
    expect(report.site.pages).toBe(5);
    expect(readings(report).join()).toContain('robots.txt asks not to read');
    const all = await survey(options, '--ignore-robots');
    expect(all.site.pages).toBe(6);
    expect(JSON.stringify(report.findings)).toContain('winter.html');
  });

  readerTest('nginx', 'is signed in to by its address, by hull.json, and in the browser too', async () => {
    const { options } = await nginx(
      { server: 'auth_basic "crew"; auth_basic_user_file $document_root/../users;' },
      (site) => writeFileSync(join(site, '../users'), 'ferry:{PLAIN}kept\n'),
    );
    const [, at = '', , ca = ''] = options;
    const named = await hull([
      'survey',
      `https://ferry:kept@${HOST}/`,
      '--json',
      '--fail-on',
      'never',
      ...options,
    ]);
    expect(JSON.parse(named.out).site.pages).toBe(5);
    expect(named.out + named.err).not.toContain('kept');
    // The same, said once for every command: only what is secret comes from the environment.
    const dir = temporaryFolder();
    const [host = '', address = ''] = at.split('=');
    const web = { url: `https://${HOST}/`, access: { resolve: { [host]: address }, ca } };
    const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
    writeFileSync(join(dir, 'hull.json'), JSON.stringify({ app, web }));
    const env = { HULL_HEADERS: `Authorization: Basic ${Buffer.from('ferry:kept').toString('base64')}` };
    const seen = await hull(['survey', '--browser', '--no-speed', '--json', '--fail-on', 'never'], {
      cwd: dir,
      env,
    });
    expect(seen.code, seen.err).toBe(0);
    const report = JSON.parse(seen.out);
    expect(report.site.pages).toBeGreaterThanOrEqual(5);
    expect(report.browser).toMatch(/chromium/);
    expect(JSON.stringify(report.findings)).not.toContain('401');
    const refused = await hull(['survey', '--json', '--fail-on', 'never'], { cwd: dir });
    expect([refused.code, refused.out]).toEqual([3, expect.stringContaining('status 401')]);
  });

  readerTest('nginx', 'with an authority that is not known is said to be so', async () => {
    const { options } = await nginx({});
    const [, at = ''] = options;
    const ran = await hull(['survey', `https://${HOST}/`, '--resolve', at]);
    expect(ran.code).toBe(3);
    expect(ran.err).toMatch(/an authority that is not trusted/);
  });
});
