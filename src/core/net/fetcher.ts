import { createHash } from 'node:crypto';
import { lookup as dnsLookup } from 'node:dns';
import { type IncomingMessage, Agent as PlainAgent, request as requestPlain } from 'node:http';
import { request as requestTls, Agent as TlsAgent } from 'node:https';
import { BlockList, isIP, type LookupFunction } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import {
  createSecureContext,
  type PeerCertificate,
  rootCertificates,
  type SecureContext,
  type TLSSocket,
} from 'node:tls';
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib';
import { HullError, systemErrorCode } from '../errors.js';
import { debug } from '../util/debug.js';
import { parseUrl } from '../util/url-path.js';
import { isolates, type ResponseFacts } from './response.js';

/** How this program names itself to hosts. */
export const AGENT =
  'JollyHull (+command-line tool; looks through one web app at the request of its developer)';

export interface FetcherOptions {
  /** Hosts that the user named: these may have private addresses. */
  readonly named: readonly string[];
  /** `host:port` → `address:port`, for servers that are not in the public name system yet. */
  readonly resolve?: ReadonlyMap<string, string>;
  /** Further certificate authorities to trust, PEM. */
  readonly ca?: string;
  readonly signal?: AbortSignal;
  /** Header fields for one origin, and for no other: what is in them may be secret. */
  readonly headers?: { readonly for: URL; readonly fields: ReadonlyMap<string, string> };
  /** ms that may be spent in all on waiting for hosts that ask for it (429, 503); by default none. */
  readonly patience?: number;
  /** Requests a second, at most; by default as many as six connections take. */
  readonly rate?: number;
  /** ms for one whole answer. */
  readonly timeout?: number;
  /** Redirects that are followed. */
  readonly redirects?: number;
  /** Whether a redirect is the answer itself, as for those who follow none. */
  readonly atRedirect?: 'follow' | 'stop';
}

export interface Answer extends ResponseFacts {
  /** Address after redirects. */
  readonly at: URL;
  readonly bytes: Uint8Array;
  /** Where a redirect leads that was not followed. */
  readonly location?: string;
  /** ms to wait before asking again, where the host says so. */
  readonly retryAfter?: number;
}

export const TIMEOUT_MS = 15_000;
const MAX_REDIRECTS = 10;
const CONNECTIONS = 6;
/** Times that one address is asked for again, and ms before the first of them where the host names none. */
const RETRIES = 4;
const FIRST_WAIT = 1000;

/** Addresses that belong to no public host (RFC 6890, RFC 4193, RFC 4291). */
const PRIVATE = new BlockList();
for (const [net, bits] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['224.0.0.0', 3],
] as const) {
  PRIVATE.addSubnet(net, bits);
}
for (const [net, bits] of [
  ['::', 127],
  // Ways through which an IPv4 address is reached: NAT64 (RFC 6052, RFC 8215), Teredo (RFC 4380), 6to4 (RFC 3056).
  ['64:ff9b::', 96],
  ['64:ff9b:1::', 48],
  ['2001::', 32],
  ['2002::', 16],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const) {
  PRIVATE.addSubnet(net, bits, 'ipv6');
}

/** A host without the brackets of an IPv6 address, in lower case. */
export function bareHost(host: string): string {
  return host.replace(/^\[|\]$/g, '').toLowerCase();
}

export function isPrivateAddress(address: string): boolean {
  const plain = bareHost(address);
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(plain)?.[1];
  if (mapped) return isPrivateAddress(mapped);
  const family = isIP(plain);
  return family !== 0 && PRIVATE.check(plain, family === 4 ? 'ipv4' : 'ipv6');
}

const TLS_WORDS: Readonly<Record<string, string>> = {
  CERT_HAS_EXPIRED: 'its certificate has expired',
  CERT_NOT_YET_VALID: 'its certificate is not valid yet',
  DEPTH_ZERO_SELF_SIGNED_CERT: 'its certificate is self-signed',
  SELF_SIGNED_CERT_IN_CHAIN: 'its certificate comes from an authority that is not trusted',
  UNABLE_TO_VERIFY_LEAF_SIGNATURE:
    'its certificate comes from an authority that is not trusted, or the server leaves out those in between',
  UNABLE_TO_GET_ISSUER_CERT: 'its certificate comes from an authority that is not trusted',
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY: 'its certificate comes from an authority that is not trusted',
  ERR_TLS_CERT_ALTNAME_INVALID: 'its certificate is for another name',
};

class PrivateAddress extends Error {}

function failure(url: URL, error: unknown): HullError {
  if (error instanceof HullError) return error;
  const location = { url: url.href };
  if (error instanceof PrivateAddress) {
    return new HullError('net.private-address', `${url.hostname} has a private address, ${error.message}.`, {
      location,
      fix: 'Only a host that you name may have one; begin the survey at its own address.',
    });
  }
  const code = systemErrorCode(error) ?? '';
  const tls = TLS_WORDS[code];
  if (tls !== undefined || code.startsWith('ERR_SSL') || code === 'EPROTO') {
    return new HullError(
      'net.tls',
      `No secure connection: ${tls ?? (error instanceof Error ? error.message.split('\n')[0] : code)}.`,
      {
        location,
        fix: 'Fix the certificate on the server; phones refuse it as well. For a test server, name its authority.',
        cause: error,
      },
    );
  }
  const nested = error instanceof AggregateError ? error.errors[0] : error;
  const why = nested instanceof Error ? nested.message : String(nested);
  return new HullError('net.unreachable', `The host did not answer: ${why}.`, {
    location,
    fix: 'Check the address and the connection; or give the folder of built files instead.',
    cause: error,
  });
}

interface Received {
  readonly message: IncomingMessage;
  readonly tls: ResponseFacts['tls'];
}

/** Asks hosts, with limits on time, bytes and redirects. */
export class Fetcher {
  readonly #options: FetcherOptions;
  readonly #plain = new PlainAgent({ keepAlive: true, maxSockets: CONNECTIONS });
  readonly #tls: TlsAgent;
  readonly #named: ReadonlySet<string>;
  readonly #context: SecureContext | undefined;
  /** ms left for waiting. */
  #patience: number;
  /** When hosts may be asked again, on the clock of `performance`. */
  #resumeAt = 0;
  /** When the next request may be sent, on the same clock. */
  #nextTurn = 0;

  constructor(options: FetcherOptions) {
    this.#options = options;
    // Made once: reading all authorities takes longer than a handshake.
    this.#context = options.ca ? createSecureContext({ ca: [...rootCertificates, options.ca] }) : undefined;
    this.#named = new Set(options.named.map(bareHost));
    // A connection that takes up an earlier session does not show its certificate again.
    this.#tls = new TlsAgent({ keepAlive: true, maxSockets: CONNECTIONS, maxCachedSessions: 0 });
    this.#patience = options.patience ?? 0;
  }

  close(): void {
    this.#plain.destroy();
    this.#tls.destroy();
  }

  /** Of hosts that the user named, whether they had a private address when they were first looked up. */
  readonly #wasPrivate = new Map<string, boolean>();

  /** Whether a host may have a private address: one that the user named, and that had one from the start. */
  #mayBePrivate(host: string, isPrivate: boolean): boolean {
    if (!this.#named.has(host)) return false;
    const first = this.#wasPrivate.get(host);
    if (first === undefined) this.#wasPrivate.set(host, isPrivate);
    return first ?? isPrivate;
  }

  /** Resolves names, and refuses private addresses of hosts that the user did not name. */
  readonly #lookup: LookupFunction = (hostname, options, callback) => {
    dnsLookup(hostname, { ...options, all: true }, (error, addresses) => {
      if (error) return callback(error, '', 0);
      const found = addresses.find(({ address }) => isPrivateAddress(address));
      const mayBePrivate = this.#mayBePrivate(bareHost(hostname), found !== undefined);
      const bad = mayBePrivate ? undefined : found;
      const [first] = addresses;
      if (bad || first === undefined) callback(new PrivateAddress(bad?.address ?? 'none'), '', 0);
      else if (options.all) callback(null, addresses as never, 0);
      else callback(null, first.address, first.family);
    });
  };

  /** Header fields for an address of the origin that they are for, or of the same host with TLS; never without TLS instead. */
  #fieldsFor(url: URL): Record<string, string> {
    const { headers } = this.#options;
    if (headers === undefined) return {};
    const { for: owner, fields } = headers;
    const isSecured = url.protocol === 'https:' && owner.protocol === 'http:';
    const isOwn = url.origin === owner.origin || (isSecured && url.hostname === owner.hostname);
    return isOwn ? Object.fromEntries(fields) : {};
  }

  #send(url: URL, method: string, signal: AbortSignal): Promise<Received> {
    const isTls = url.protocol === 'https:';
    const host = bareHost(url.hostname);
    if (isPrivateAddress(host) && !this.#named.has(bareHost(host)))
      return Promise.reject(new PrivateAddress(host));
    const port = url.port === '' ? (isTls ? 443 : 80) : Number(url.port);
    const mapped = this.#options.resolve?.get(`${host.toLowerCase()}:${port}`);
    const to = mapped === undefined ? undefined : /^(.*):(\d+)$/.exec(mapped);
    return new Promise((resolve, reject) => {
      const request = (isTls ? requestTls : requestPlain)({
        method,
        host: to?.[1] === undefined ? host : bareHost(to[1]),
        port: to ? Number(to[2]) : port,
        path: `${url.pathname}${url.search}`,
        agent: isTls ? this.#tls : this.#plain,
        ...(mapped === undefined ? { lookup: this.#lookup } : {}),
        ...(isTls
          ? {
              servername: isIP(host) ? '' : host,
              ...(this.#context ? { secureContext: this.#context } : {}),
            }
          : {}),
        headers: {
          host: url.host,
          'user-agent': AGENT,
          accept: '*/*',
          'accept-encoding': 'gzip, deflate, br',
          ...this.#fieldsFor(url),
        },
        signal,
      });
      request.on('error', reject);
      request.on('response', (message) => resolve({ message, tls: tlsFacts(message) }));
      request.end();
    });
  }

  /**
   * One request; redirects are followed and recorded.
   *
   * @param limit bytes, unpacked
   * @throws HullError `net.unreachable`, `net.tls`, `net.timeout`, `net.redirect-loop`, `net.too-large`, `net.private-address`
   */
  async fetch(url: URL, limit: number, method: 'GET' | 'HEAD' = 'GET'): Promise<Answer> {
    for (let round = 0; ; round += 1) {
      await this.#untilResumed();
      await this.#turn();
      const answer = await this.#ask(url, limit, method);
      if ((answer.status !== 429 && answer.status !== 503) || round === RETRIES) return answer;
      const wait = answer.retryAfter ?? FIRST_WAIT * 2 ** round;
      if (wait > this.#patience) return answer;
      debug('%s: waits %d ms, as the host asks', url.href, wait);
      this.#patience -= wait;
      this.#resumeAt = Math.max(this.#resumeAt, performance.now() + wait);
    }
  }

  /** Waits for its turn, where requests have a rate. */
  async #turn(): Promise<void> {
    const { rate, signal } = this.#options;
    if (rate === undefined) return;
    const now = performance.now();
    const at = Math.max(now, this.#nextTurn);
    this.#nextTurn = at + 1000 / rate;
    if (at > now) await delay(at - now, undefined, signal ? { signal } : {});
  }

  /** Whether a host has asked to be asked less. */
  get isSlowed(): boolean {
    return this.#resumeAt > 0;
  }

  async #untilResumed(): Promise<void> {
    const wait = this.#resumeAt - performance.now();
    if (wait > 0) await delay(wait, undefined, this.#options.signal ? { signal: this.#options.signal } : {});
  }

  async #ask(url: URL, limit: number, method: 'GET' | 'HEAD'): Promise<Answer> {
    const started = performance.now();
    const redirects: { from: string; to: string; status: number }[] = [];
    const seen = new Set<string>();
    const timeout = AbortSignal.timeout(this.#options.timeout ?? TIMEOUT_MS);
    const signal = this.#options.signal ? AbortSignal.any([timeout, this.#options.signal]) : timeout;
    let at = url;
    try {
      for (;;) {
        seen.add(at.href);
        const { message, tls } = await this.#send(at, method, signal);
        const status = message.statusCode ?? 0;
        debug('%s %s: %d after %d ms', method, at.href, status, Math.round(performance.now() - started));
        const { location } = message.headers;
        const stops = this.#options.atRedirect === 'stop';
        if (status >= 300 && status < 400 && location !== undefined && !stops) {
          message.destroy();
          const next = this.#next(url, at, location, seen, redirects.length);
          redirects.push({ from: at.href, to: next.href, status });
          at = next;
          continue;
        }
        const bytes = method === 'HEAD' ? new Uint8Array() : await body(message, limit, at, signal);
        if (method === 'HEAD') message.destroy();
        return {
          url: url.href,
          at,
          status,
          type: message.headers['content-type'] ?? '',
          cacheControl: message.headers['cache-control'] ?? '',
          isolated: isolates(message.headers),
          redirects,
          ...(tls ? { tls } : {}),
          took: performance.now() - started,
          size: bytes.length,
          bytes,
          ...(location === undefined ? {} : { location }),
          ...retryAfterOf(message),
        };
      }
    } catch (error) {
      if (timeout.aborted && !(error instanceof HullError)) {
        const seconds = (this.#options.timeout ?? TIMEOUT_MS) / 1000;
        throw new HullError('net.timeout', `No whole answer came within ${seconds} seconds.`, {
          location: { url: at.href },
          fix: 'Open the address in a browser; a user on a weak network would wait as long.',
        });
      }
      throw failure(at, error);
    }
  }

  #next(first: URL, at: URL, location: string, seen: ReadonlySet<string>, hops: number): URL {
    const next = parseUrl(location, at);
    if (next?.protocol !== 'https:' && next?.protocol !== 'http:') {
      throw new HullError('net.unreachable', `It redirects to ${location}, which is no web page.`, {
        location: { url: at.href },
        fix: 'Correct the redirect on the server.',
      });
    }
    if (seen.has(next.href) || hops >= (this.#options.redirects ?? MAX_REDIRECTS)) {
      const what = seen.has(next.href) ? 'back to where it came from' : `more than ${MAX_REDIRECTS} times`;
      throw new HullError('net.redirect-loop', `The host redirects ${what}.`, {
        location: { url: first.href },
        fix: `The last step led from ${at.href} to ${next.href}; correct it on the server, or give the final address.`,
      });
    }
    return next;
  }
}

/** What `Retry-After` says (RFC 9110, section 10.2.3): seconds, or a date. */
function retryAfterOf({ headers }: IncomingMessage): { retryAfter?: number } {
  const text = headers['retry-after']?.trim();
  if (text === undefined) return {};
  const wait = /^\d+$/.test(text) ? Number(text) * 1000 : Date.parse(text) - Date.now();
  return Number.isFinite(wait) ? { retryAfter: Math.max(0, wait) } : {};
}

function tlsFacts({ socket }: IncomingMessage): ResponseFacts['tls'] {
  if (!('getPeerCertificate' in socket)) return undefined;
  const tls = socket as TLSSocket;
  const certificate = tls.getPeerCertificate() as PeerCertificate | undefined;
  const { CN, O } = certificate?.issuer ?? {};
  const notAfter = certificate?.valid_to ? new Date(certificate.valid_to).toISOString() : '';
  const leaf = tls.getPeerX509Certificate();
  const key = leaf?.publicKey.export({ type: 'spki', format: 'der' });
  return {
    protocol: tls.getProtocol() ?? '',
    issuer: [CN ?? O ?? ''].flat().join(', '),
    notAfter,
    ...(key ? { keyHash: createHash('sha256').update(key).digest('base64') } : {}),
  };
}

/** An answer's bytes, unpacked; unpacking stops at the limit, whatever the packed bytes claim. */
async function body(
  message: IncomingMessage,
  limit: number,
  url: URL,
  signal: AbortSignal,
): Promise<Uint8Array> {
  const encoding = (message.headers['content-encoding'] ?? '').toLowerCase().trim();
  const unpack =
    encoding === 'gzip' || encoding === 'x-gzip'
      ? createGunzip()
      : encoding === 'br'
        ? createBrotliDecompress()
        : encoding === 'deflate'
          ? createInflate()
          : undefined;
  const stream = unpack ? message.pipe(unpack) : message;
  if (unpack) message.on('error', (error) => unpack.destroy(error));
  const stop = () => {
    message.destroy();
    unpack?.destroy(new Error('stopped'));
  };
  signal.addEventListener('abort', stop, { once: true });
  const chunks: Uint8Array[] = [];
  let size = 0;
  try {
    for await (const chunk of stream) {
      size += (chunk as Uint8Array).length;
      if (size > limit) {
        message.destroy();
        throw new HullError(
          'net.too-large',
          `The answer is larger than ${limit / 1024 / 1024} MiB${unpack ? ' unpacked' : ''}.`,
          {
            location: { url: url.href },
            fix: 'Check that this is the address of the page itself.',
          },
        );
      }
      chunks.push(chunk as Uint8Array);
    }
  } finally {
    signal.removeEventListener('abort', stop);
  }
  return Buffer.concat(chunks);
}
