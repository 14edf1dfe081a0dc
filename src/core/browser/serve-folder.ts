import { createReadStream } from 'node:fs';
import { createServer, type ServerResponse } from 'node:http';
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

/** Serves listed files on loopback, answering as the shell does on a device. Nothing outside the list can be asked for. */
export async function serveFolder(base: URL, files: readonly WebFile[]): Promise<ServedFolder> {
  const index = new FolderIndex(base, files);
  const send = (response: ServerResponse, file: WebFile, status: number) => {
    const type = MEDIA_TYPES[extensionOf(file.path)] ?? 'application/octet-stream';
    response.writeHead(status, {
      'content-type': type,
      'content-length': file.size,
      'cache-control': 'no-cache',
    });
    createReadStream(file.file)
      .on('error', () => response.destroy())
      .pipe(response);
  };
  const server = createServer((request, response) => {
    const url = parseUrl(request.url ?? '/', new URL(base.origin));
    const found = url && index.file(url);
    if (found) return send(response, found, 200);
    const lost = files.find(({ path }) => path === '404.html');
    if (lost) return send(response, lost, 404);
    const start = files.find(({ path }) => path === 'index.html');
    if (start && url && mayBeRoute(url.pathname)) return send(response, start, 200);
    response.writeHead(404, { 'content-type': 'text/plain' }).end('There is no such file.');
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject).listen(0, '127.0.0.1', resolve);
  });
  return {
    origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  };
}
