import { createReadStream } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { type AnswerRules, headersOf, movedTo } from '../site/answer.js';
import type { WebFile } from '../site/folder.js';
import { FolderIndex } from '../site/folder-index.js';
import { extensionOf, MEDIA_TYPES } from '../site/media-types.js';
import { decodePath, parseUrl } from '../util/url-path.js';

export interface ServedFolder {
  readonly origin: string;
  close(): Promise<void>;
}

/** Serves listed files on loopback, answering as the shell does on a device. Nothing outside the list can be requested. */
export async function serveFolder(
  base: URL,
  files: readonly WebFile[],
  rules: AnswerRules,
): Promise<ServedFolder> {
  const index = new FolderIndex(base, files, rules);
  const { default: fastify } = await import('fastify');
  const server = fastify({ logger: false, forceCloseConnections: true, exposeHeadRoutes: true });
  server.get('/*', (request, reply) => {
    const url = parseUrl(request.url, new URL(base.origin));
    const path = url && decodePath(url.pathname);
    const page = String(request.headers.accept ?? '').includes('text/html');
    const found = path === undefined ? undefined : index.answer('GET', path, page);
    const moved = url && found && 'is' in found ? movedTo(found, url) : undefined;
    if (moved !== undefined) return reply.redirect(moved, 307);
    if (path === undefined || found === undefined || !('file' in found)) {
      return reply.code(404).type('text/plain').send('There is no such file.');
    }
    const { file, status } = found;
    return reply
      .code(status)
      .headers(headersOf(rules, path.slice(rules.base.length)))
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
