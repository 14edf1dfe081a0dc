import { randomBytes, timingSafeEqual } from 'node:crypto';
import type { FastifyInstance, FastifyServerOptions } from 'fastify';
import { isLoopback } from '../core/util/url-path.js';

/**
 * Who may ask a server on loopback. Any website that the user has open can send requests there, and a name that it
 * controls can lead there (DNS rebinding): so that a request must name a host that is served, must not come from
 * another site's page, and must have this run's token where it changes something.
 */
export interface GuardOptions {
  /** Names that the server answers for, beside those of loopback; with `*.` for every name below. */
  readonly hosts: readonly string[];
  /** What a request that changes something has to send as `Authorization: Bearer …`; where undefined, nothing changes. */
  readonly token?: string;
  /** Paths that know by themselves who asks: the token of this run is not asked for there. */
  readonly open?: (url: string) => boolean;
}

/** How long connections may be idle, and requests may take to arrive: milliseconds. */
export const CONNECTION_LIMITS = {
  keepAliveTimeout: 5000,
  connectionTimeout: 30_000,
  requestTimeout: 15_000,
} as const satisfies FastifyServerOptions;

/** A token for one run. */
export function makeToken(): string {
  return randomBytes(24).toString('base64url');
}

const SAFE_METHODS = new Set(['GET', 'HEAD', 'OPTIONS']);

function isServed(host: string, hosts: readonly string[]): boolean {
  const name = host.toLowerCase();
  return (
    isLoopback(name) ||
    hosts.some((one) => (one.startsWith('*.') ? name.endsWith(one.slice(1)) : name === one.toLowerCase()))
  );
}

function hostOf(text: string): string | undefined {
  try {
    return new URL(text).hostname;
  } catch {
    return undefined;
  }
}

function hasToken(header: string | undefined, token: string): boolean {
  const [given, wanted] = [Buffer.from(header ?? ''), Buffer.from(`Bearer ${token}`)];
  return given.length === wanted.length && timingSafeEqual(given, wanted);
}

/** Has a server refuse what does not come from this machine's user. */
export function guardLoopback(server: FastifyInstance, { hosts, token, open }: GuardOptions): void {
  server.addHook('onRequest', async (request, reply) => {
    const refuse = (status: number, problem: string) => reply.code(status).send({ problem });
    const host = hostOf(`http://${request.headers.host ?? ''}`);
    if (host === undefined || !isServed(host, hosts)) {
      return refuse(421, 'This server does not answer for the host of the request.');
    }
    const { origin } = request.headers;
    const from = origin === undefined ? undefined : (hostOf(origin) ?? '');
    if (
      (from !== undefined && !isServed(from, hosts)) ||
      request.headers['sec-fetch-site'] === 'cross-site'
    ) {
      return refuse(403, 'This server does not answer pages of other sites.');
    }
    if (SAFE_METHODS.has(request.method) || open?.(request.url) === true) return undefined;
    if (token !== undefined && hasToken(request.headers.authorization, token)) return undefined;
    return refuse(401, 'Send the token of this run: Authorization: Bearer <token>');
  });
}
