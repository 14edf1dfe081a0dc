import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';

/** Requests that a served host hands on to another server on loopback, as a host's own back end would answer them. */

const DROPPED = new Set(['host', 'connection', 'content-length', 'accept-encoding', 'transfer-encoding']);
const BACK = ['content-type', 'set-cookie', 'cache-control', 'location'];

/**
 * Hands everything below a path on.
 *
 * @param path with a slash at its end @param to address that takes its place, with one too
 */
export function forward(server: FastifyInstance, path: string, to: string): void {
  server.register(async (scope) => {
    scope.removeAllContentTypeParsers();
    scope.addContentTypeParser('*', { parseAs: 'buffer' }, (_request, body, done) => done(null, body));
    scope.all(`${path}*`, async (request: FastifyRequest, reply: FastifyReply) => {
      const headers = new Headers();
      for (const [name, value] of Object.entries(request.headers))
        if (typeof value === 'string' && !DROPPED.has(name)) headers.set(name, value);
      // It is this host that asks, not the page.
      headers.delete('origin');
      headers.delete('referer');
      for (const name of [...headers.keys()]) if (name.startsWith('sec-')) headers.delete(name);
      const hasBody = request.method !== 'GET' && request.method !== 'HEAD' && request.body !== undefined;
      let answer: Response;
      try {
        answer = await fetch(to + request.url.slice(path.length), {
          method: request.method,
          headers,
          redirect: 'manual',
          ...(hasBody ? { body: new Uint8Array(request.body as Buffer) } : {}),
        });
      } catch {
        return reply.code(502).send({ problem: `${new URL(to).host} does not answer.` });
      }
      for (const name of BACK) {
        const value = answer.headers.get(name);
        if (value !== null) reply.header(name, value);
      }
      return reply.code(answer.status).send(Buffer.from(await answer.arrayBuffer()));
    });
  });
}
