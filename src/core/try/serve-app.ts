import type { AddressInfo } from 'node:net';
import type { ChangeText } from '../browser/serve-folder.js';
import { type PageAnswer, packedAnswer } from './answer.js';
import type { ShownRequest } from './events.js';
import type { PackedApp } from './packed-app.js';

/** The pages of a package on loopback. */
export interface ServedApp {
  readonly origin: string;
  close(): Promise<void>;
}

/** Bytes of a page or style sheet that is changed on its way. */
const MOST_TEXT = 8 * 1024 * 1024;

/**
 * Serves the pages of a package on loopback, answering as its shell does, for an engine whose requests cannot be answered otherwise.
 *
 * @param change what is done to pages and style sheets on their way
 */
export async function serveApp(
  app: PackedApp,
  change: ChangeText,
  onRequest: (request: ShownRequest) => void,
): Promise<ServedApp> {
  const origin = app.settings.packed?.origin ?? '';
  const { default: fastify } = await import('fastify');
  const server = fastify({ logger: false, forceCloseConnections: true, exposeHeadRoutes: true });
  server.get('/*', async ({ url: path, method, headers }, reply) => {
    const fields = Object.entries(headers).flatMap(([name, value]) =>
      typeof value === 'string' ? [[name, value] as const] : [],
    );
    const url = new URL(path, origin);
    const answer = await packedAnswer(app, { method, url, headers: Object.fromEntries(fields) });
    // What is not in the package is nobody's here: the address on loopback has no host behind it.
    const found: PageAnswer =
      answer === 'network' ? { status: 404, headers: {}, body: new Uint8Array() } : answer;
    const { status, headers: own, body } = found;
    onRequest({ method, url: url.href, from: answer === 'network' ? 'nobody' : 'package', status });
    const type = /^text\/(?:html|css)\b/.exec(own['content-type'] ?? '')?.[0] as
      | 'text/html'
      | 'text/css'
      | undefined;
    const isChanged = type !== undefined && body.length > 0 && body.length <= MOST_TEXT;
    return reply
      .code(status)
      .headers({ ...own })
      .send(isChanged ? change(type, Buffer.from(body).toString('utf8')) : Buffer.from(body));
  });
  await server.listen({ host: '127.0.0.1', port: 0 });
  return {
    origin: `http://127.0.0.1:${(server.server.address() as AddressInfo).port}`,
    close: () => server.close(),
  };
}
