import { createHash } from 'node:crypto';
import { fastify } from 'fastify';
import { LinkResolver } from '../core/domains/explain.js';
import type { DocumentSource, FetchedDocument } from '../core/domains/fetch-documents.js';
import { askFactsOf, type GatherRequest } from '../core/domains/gather.js';
import { HullError } from '../core/errors.js';
import { APPLE_PATH } from '../core/links/document-names.js';
import { CONNECTION_LIMITS, guardLoopback, makeToken } from './guard.js';
import { listenOnLoopback } from './listen.js';

/** A stand-in for what fetches association documents: a device, at install; a vendor's cache, once a day. */
export interface VerifierOptions {
  readonly port: number;
  /** Hosts that may be asked about. */
  readonly hosts: readonly string[];
  /** Asks hosts as a verifier does. */
  readonly source: DocumentSource;
  /** The app as it is packed now: read again at each install. */
  readonly app: () => Promise<GatherRequest>;
  readonly onEvent: (text: string) => void;
}

export interface Verifier {
  readonly port: number;
  /** What requests that change something must send (`Authorization: Bearer …`). */
  readonly token: string;
  close(): Promise<void>;
}

/** ms for which the vendor's cache keeps a document (Apple, "Supporting associated domains": about a day). */
const VENDOR_KEEPS = 86_400_000;
const HOUR = 3_600_000;

/** A document that is kept, and since when. */
interface Kept {
  readonly fetched: FetchedDocument;
  readonly at: number;
}

/** What is known of a kept document. */
export interface KeptState {
  /** ISO 8601 by the stand-in's own clock. */
  readonly fetched: string;
  /** When it is asked for again; `null` where only a new install does. */
  readonly next: string | null;
  /** Whether the host answers something else by now. */
  readonly differs: boolean;
  readonly problem: string | null;
}

const hashOf = ({ bytes, faults }: FetchedDocument) =>
  bytes === undefined
    ? faults.map(({ observed }) => observed).join()
    : createHash('sha256').update(bytes).digest('hex');

/** One device with the app on it, and the vendor's cache that it asks. */
class World {
  readonly #options: VerifierOptions;
  readonly #vendor = new Map<string, Kept>();
  /** Documents as the device read them at the last install. */
  readonly #device = new Map<string, Kept>();
  #installed: GatherRequest | undefined;
  /** ms that its clock is ahead. */
  #ahead = 0;

  constructor(options: VerifierOptions) {
    this.#options = options;
  }

  now(): number {
    return Date.now() + this.#ahead;
  }

  passTime(hours: number): void {
    this.#ahead += hours * HOUR;
    this.#options.onEvent(`the clock goes ${hours} hours on`);
  }

  /** What the vendor's cache answers, asking the host where it keeps nothing or for too long. */
  async vendor(host: string, mode: 'cached' | 'developer'): Promise<Kept> {
    const kept = this.#vendor.get(host);
    if (mode === 'cached' && kept && this.now() - kept.at < VENDOR_KEEPS) return kept;
    const fetched = await this.#options.source.document(host, APPLE_PATH);
    const fresh = { fetched, at: this.now() };
    this.#options.onEvent(
      `${mode === 'developer' ? 'a device in developer mode' : 'the vendor’s cache'} asks ${host}`,
    );
    // A device that goes past the cache leaves it as it is.
    if (mode === 'cached') this.#vendor.set(host, fresh);
    return fresh;
  }

  /** Puts the app as it is packed now on the device, which asks every host once. */
  async install(): Promise<{ hosts: string[] }> {
    const app = await this.#options.app();
    this.#installed = app;
    this.#device.clear();
    const hosts = new Set<string>();
    for (const { host, documents } of app.plans) {
      for (const { kind, path } of documents) {
        hosts.add(host);
        const kept =
          kind === 'apple'
            ? await this.vendor(host, 'cached')
            : { fetched: await this.#options.source.document(host, path), at: this.now() };
        this.#device.set(`${host}${path}`, kept);
      }
    }
    this.#options.onEvent(`installed ${app.ids.android}; asked ${[...hosts].join(', ')}`);
    return { hosts: [...hosts] };
  }

  async #state(kept: Kept, host: string, path: string): Promise<KeptState> {
    const live = await this.#options.source.document(host, path);
    const isVendor = path === APPLE_PATH;
    return {
      fetched: new Date(kept.at).toISOString(),
      next: isVendor ? new Date(kept.at + VENDOR_KEEPS).toISOString() : null,
      differs: hashOf(live) !== hashOf(kept.fetched),
      problem: kept.fetched.faults[0]?.observed ?? null,
    };
  }

  /** What the device and the vendor's cache hold of a host. */
  async held(host: string): Promise<Record<string, KeptState>> {
    const states: Record<string, KeptState> = {};
    for (const [key, kept] of this.#device) {
      if (!key.startsWith(`${host}/`)) continue;
      const path = key.slice(host.length);
      states[path] = await this.#state(kept, host, path);
    }
    const vendor = this.#vendor.get(host);
    if (vendor) states[APPLE_PATH] = await this.#state(vendor, host, APPLE_PATH);
    return states;
  }

  /** Which app opens a link, by what the device holds. */
  async opens(url: string): Promise<unknown> {
    if (this.#installed === undefined) await this.install();
    const app = this.#installed as GatherRequest;
    const held: DocumentSource = {
      document: async (host, path) =>
        this.#device.get(`${host}${path}`)?.fetched ?? {
          location: { url: `https://${host}${path}` },
          bytes: undefined,
          faults: [
            {
              code: 'domains.document-missing',
              severity: 'error',
              impact: 'Links open in the browser.',
              location: {},
              observed: 'The device never asked for it.',
              fix: 'Install again.',
            },
          ],
        },
      include: (address) => this.#options.source.include(address),
    };
    return new LinkResolver(await askFactsOf(app, held)).ask(url, 'steps') ?? null;
  }
}

const GUIDE = {
  'Authorization: Bearer <token>': 'goes with every POST; the token is shown when the stand-in starts',
  'POST /install': 'puts the app as it is packed now on the device, which asks every host',
  'GET /opens?url=<URL>': 'which app opens a link, by what the device holds',
  'GET /held/<host>':
    'which documents device and vendor hold, since when, and whether the host has others by now',
  'GET /vendor/<host>': 'what the vendor’s cache answers; with ?mode=developer the host itself is asked',
  'POST /clock?hours=<number>': 'lets time pass',
};

/** Starts the stand-in on loopback. Throws `serve.port-taken`. */
export async function startVerifier(options: VerifierOptions): Promise<Verifier> {
  const world = new World(options);
  const server = fastify({ ...CONNECTION_LIMITS, logger: false, forceCloseConnections: true });
  const token = makeToken();
  guardLoopback(server, { hosts: [], token });
  server.get('/', async () => GUIDE);
  server.post('/install', () => world.install());
  server.get<{ Querystring: { url?: string } }>('/opens', ({ query }) => world.opens(query.url ?? ''));
  server.get<{ Params: { host: string } }>('/held/:host', ({ params }) => world.held(params.host));
  server.get<{ Params: { host: string }; Querystring: { mode?: string } }>(
    '/vendor/:host',
    async ({ params, query }, reply) => {
      if (!options.hosts.includes(params.host))
        return reply.code(404).send({ problem: 'hull.json names no such host.' });
      const mode = query.mode === 'developer' ? 'developer' : 'cached';
      const { fetched, at } = await world.vendor(params.host, mode);
      reply.header('age', Math.round((world.now() - at) / 1000));
      if (fetched.bytes === undefined)
        return reply.code(404).send({ problem: fetched.faults[0]?.observed ?? '' });
      return reply.type('application/json').send(Buffer.from(fetched.bytes));
    },
  );
  server.post<{ Querystring: { hours?: string } }>('/clock', async ({ query }, reply) => {
    const hours = Number(query.hours);
    if (!(hours > 0 && hours < 10_000))
      return reply.code(400).send({ problem: 'Name the hours: /clock?hours=25' });
    world.passTime(hours);
    return { now: new Date(world.now()).toISOString() };
  });
  server.setErrorHandler((error, _request, reply) => {
    const known = error instanceof HullError;
    reply.code(known ? 409 : 500).send({
      problem: error instanceof Error ? error.message : String(error),
      ...(known ? { code: error.code } : {}),
    });
  });
  const port = await listenOnLoopback(server, options.port);
  return { port, token, close: () => server.close() };
}
