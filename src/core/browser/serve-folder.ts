import { createReadStream } from 'node:fs';
import { readFile } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import { type AnswerRules, headersOf, movedTo } from '../site/answer.js';
import type { WebFile } from '../site/folder.js';
import { FolderIndex } from '../site/folder-index.js';
import { extensionOf, MEDIA_TYPES } from '../site/media-types.js';
import { decodePath, parseUrl } from '../util/url-path.js';

/** Bytes of a page or style sheet that is changed on its way. */
const MOST_TEXT = 8 * 1024 * 1024;

export interface ServedFolder {
  readonly origin: string;
  close(): Promise<void>;
}

/** What is done to pages and style sheets on their way to a browser. */
export type ChangeText = (type: 'text/html' | 'text/css', text: string) => string;

/**
 * Serves listed files on loopback, answering as the shell does on a device. Nothing outside the list can be requested.
 *
 * @param change for engines that cannot be told otherwise what an app's window is like
 */
export async function serveFolder(
  base: URL,
  files: readonly WebFile[],
  rules: AnswerRules,
  change?: ChangeText,
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
    const type = MEDIA_TYPES[extensionOf(file.path)] ?? 'application/octet-stream';
    const answer = reply
      .code(status)
      .headers(headersOf(rules, path.slice(rules.base.length)))
      .type(type)
      .header('cache-control', 'no-cache');
    const text = /^text\/(?:html|css)\b/.exec(type)?.[0] as Parameters<ChangeText>[0] | undefined;
    if (change && text && file.size <= MOST_TEXT) {
      return readFile(file.file, 'utf8').then((read) => answer.send(change(text, read)));
    }
    return answer.header('content-length', file.size).send(createReadStream(file.file));
  });
  await server.listen({ host: '127.0.0.1', port: 0 });
  return {
    origin: `http://127.0.0.1:${(server.server.address() as AddressInfo).port}`,
    close: () => server.close(),
  };
}
