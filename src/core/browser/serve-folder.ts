import { createReadStream } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { mayBeRoute } from '../site/files-for-path.js';
import type { WebFile } from '../site/folder.js';
import { FolderIndex } from '../site/folder-index.js';
import { extensionOf, MEDIA_TYPES } from '../site/media-types.js';
import { parseUrl } from '../util/url-path.js';

export interface ServedFolder {
  readonly origin: string;
  close(): Promise<void>;
}

/** Serves listed files on loopback, answering as the shell does on a device. Nothing outside the list can be requested. */
export async function serveFolder(base: URL, files: readonly WebFile[]): Promise<ServedFolder> {
  const index = new FolderIndex(base, files);
  const named = (name: string) => files.find(({ path }) => path === name);
  const find = (url: URL | undefined): { readonly file: WebFile; readonly status: number } | undefined => {
    const found = url && index.file(url);
    if (found) return { file: found, status: 200 };
    const lost = named('404.html');
    if (lost) return { file: lost, status: 404 };
    const start = named('index.html');
    return start && url && mayBeRoute(url.pathname) ? { file: start, status: 200 } : undefined;
  };
  const { default: fastify } = await import('fastify');
  const server = fastify({ logger: false, forceCloseConnections: true, exposeHeadRoutes: true });
  server.get('/*', (request, reply) => {
    const found = find(parseUrl(request.url, new URL(base.origin)));
    if (!found) return reply.code(404).type('text/plain').send('There is no such file.');
    const { file, status } = found;
    return reply
      .code(status)
      .type(MEDIA_TYPES[extensionOf(file.path)] ?? 'application/octet-stream')
      .header('content-length', file.size)
      .header('cache-control', 'no-cache')
      .send(createReadStream(file.file));
  });
  await server.listen({ host: '127.0.0.1', port: 0 });
  return {
    origin: `http://127.0.0.1:${(server.server.address() as AddressInfo).port}`,
    close: () => server.close(),
  };
}
