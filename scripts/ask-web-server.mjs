// What a web server that others wrote answers for a folder: requests, and status, type, range and bytes of each answer.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const PAGE = 'text/html,application/xhtml+xml,*/*;q=0.8';

/** Requests as [path, Accept, Range]; none whose range is wrong, which may be ignored or refused (RFC 9110 section 14.2). */
const REQUESTS = [
  ...[
    '/',
    '/?from=app',
    '/index.html',
    '/islands/',
    '/islands/index.html',
    '/islands',
    '/islands?day=1',
    '/tickets',
    '/tickets.html',
    '/tickets?code=1',
    '/caf%C3%A9.html',
    '/caf%C3%A9',
    '/piers/north',
    '/piers/north/',
    '/piers/north.html',
    '/piers/',
    '/nowhere',
    '/nowhere/',
    '/deep/er/nowhere',
    '/404.html',
    '/Tickets.html',
    '/tickets.html/',
  ].map((path) => [path, PAGE, '']),
  ...[
    '/js/app.js',
    '/sw.js',
    '/style.css',
    '/sailings.json',
    '/sailings.json?day=2026-11-23',
    '/words.txt',
    '/module.wasm',
    '/lantern.woff2',
    '/icon.svg',
    '/manifest.webmanifest',
    '/crossing.mp4',
  ].map((path) => [path, '*/*', '']),
  ...[
    'bytes=0-',
    'bytes=2-5',
    'bytes=0-0',
    'bytes=9-9',
    'bytes=-3',
    'bytes=-100',
    'bytes=5-100',
    'bytes=10-',
    'bytes=99-100',
    'lines=1-2',
    'bytes=',
  ].flatMap((range) => [
    ['/crossing.mp4', '*/*', range],
    ['/lantern.woff2', '*/*', range],
  ]),
];

async function freePort() {
  const server = createServer();
  await new Promise((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  const { port } = server.address();
  await new Promise((resolve) => {
    server.close(resolve);
  });
  return port;
}

/** A path with a page of its name, or a folder with a start page; else the folder's own page for what is missing. */
const configuration = (folder, own, port) => `
${process.getuid?.() === 0 ? 'user root; ' : ''}daemon off; worker_processes 1; pid ${own}/pid; error_log ${own}/error.log;
events { worker_connections 64; }
http {
  include /etc/nginx/mime.types; default_type application/octet-stream; access_log off;
  client_body_temp_path ${own}/body; proxy_temp_path ${own}/proxy; fastcgi_temp_path ${own}/fastcgi;
  uwsgi_temp_path ${own}/uwsgi; scgi_temp_path ${own}/scgi;
  server {
    listen 127.0.0.1:${port}; root ${folder}; index index.html; absolute_redirect off;
    location / { try_files $uri $uri.html $uri/index.html =404; }
    location ~ ^(.*[^/])$ { try_files $uri $uri.html @folder; }
    location ~ /$ { try_files \${uri}index.html =404; }
    location @folder { if (-d $request_filename) { return 301 $uri/$is_args$args; } return 404; }
    error_page 404 /404.html;
  }
}
`;

function answerOf(port, [path, accept, range]) {
  return new Promise((resolve, reject) => {
    const headers = { Accept: accept, ...(range === '' ? {} : { Range: range }) };
    request({ host: '127.0.0.1', port, path, headers }, (response) => {
      const hash = createHash('sha256');
      response.on('data', (chunk) => hash.update(chunk));
      response.on('end', () => {
        const { 'content-type': type = '', 'content-range': part = '' } = response.headers;
        resolve([path, accept, range, response.statusCode, type.split(';')[0], part, hash.digest('hex')]);
      });
      response.on('error', reject);
    })
      .on('error', reject)
      .end();
  });
}

/** The answers, a line each with tabs between what belongs together; `undefined` where there is no such server. */
export async function webServerAnswers(folder) {
  if (spawnSync('nginx', ['-v'], { stdio: 'ignore' }).status !== 0) return undefined;
  const own = mkdtempSync(join(tmpdir(), 'hull-web-server-'));
  const port = await freePort();
  writeFileSync(join(own, 'server.conf'), configuration(folder, own, port));
  const log = join(own, 'error.log');
  const server = spawn('nginx', ['-p', own, '-e', log, '-c', join(own, 'server.conf')], { stdio: 'inherit' });
  const closed = new Promise((resolve) => {
    server.once('close', resolve);
  });
  try {
    for (let tries = 0; ; tries += 1) {
      try {
        await answerOf(port, ['/', '*/*', '']);
        break;
      } catch (error) {
        if (tries > 50) throw error;
        await new Promise((resolve) => {
          setTimeout(resolve, 100);
        });
      }
    }
    const answers = [];
    for (const one of REQUESTS) answers.push(await answerOf(port, one));
    return answers.map((answer) => `${answer.join('\t')}\n`).join('');
  } finally {
    server.kill();
    await closed;
    rmSync(own, { recursive: true, force: true });
  }
}
