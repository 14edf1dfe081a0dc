import { existsSync, readFileSync, statSync } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { AddressInfo, Server } from 'node:net';
import { join } from 'node:path';
import { afterAll } from 'vitest';
import { extensionOf, MEDIA_TYPES } from '../../src/core/site/media-types.js';

const running: (() => Promise<void>)[] = [];

afterAll(async () => {
  await Promise.all(running.map((stop) => stop()));
});

async function listen(server: Server & { closeAllConnections(): void }): Promise<number> {
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  running.push(
    () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  );
  return (server.address() as AddressInfo).port;
}

/** A web host on loopback for the tests of one file; gives its address with a slash at the end. */
export async function host(listener: RequestListener): Promise<string> {
  return `http://127.0.0.1:${await listen(createServer(listener))}/`;
}

/** A host with TLS; gives its port. */
export function tlsHost(
  certificate: { key: string; cert: string },
  listener: RequestListener,
): Promise<number> {
  return listen(createTlsServer(certificate, listener));
}

/** Serves a folder as web servers do: index pages, content types, and 404.html for what is not there. */
export function folderListener(
  dir: string,
  own: Readonly<Record<string, RequestListener>> = {},
): RequestListener {
  return (request, response) => {
    const path = decodeURIComponent(new URL(request.url ?? '/', 'http://x').pathname);
    const listener = own[path];
    if (listener) return listener(request, response);
    const file = join(dir, path.endsWith('/') ? `${path}index.html` : path);
    if (existsSync(file) && statSync(file).isFile()) {
      response.writeHead(200, { 'content-type': MEDIA_TYPES[extensionOf(file)] ?? 'text/plain' });
      response.end(readFileSync(file));
    } else if (existsSync(join(dir, '404.html'))) {
      response.writeHead(404, { 'content-type': 'text/html' }).end(readFileSync(join(dir, '404.html')));
    } else response.writeHead(404).end('Not Found');
  };
}
