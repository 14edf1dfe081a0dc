import { createReadStream, readFileSync, realpathSync, type Stats, statSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import { join, sep } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { type FastifyInstance, type FastifyReply, type FastifyRequest, fastify } from 'fastify';
import { systemErrorCode } from '../core/errors.js';
import { type AnswerRules, answerOf, headersOf, movedTo } from '../core/site/answer.js';
import { extensionOf, MEDIA_TYPES } from '../core/site/media-types.js';
import { BACKEND_PATH, SHOP_PATH } from '../core/store/stand-in-paths.js';
import { packagedPath } from '../core/util/packaged.js';
import { decodePath } from '../core/util/url-path.js';
import type { ServerCertificate } from './authority.js';
import { forward } from './forward.js';
import { CONNECTION_LIMITS, guardLoopback } from './guard.js';
import { listenOnLoopback } from './listen.js';

/** What a host may do wrong on purpose. */
export type Fault = 'offline' | 'slow' | '404' | '500' | 'redirect' | 'type';

export interface WebHostOptions {
  /** The web folder; `undefined` where only {@link mounts} are served. */
  readonly folder: string | undefined;
  /** Folders that lie elsewhere, by the first step of their paths. */
  readonly mounts?: ReadonlyMap<string, string>;
  /** How its pages answer. */
  readonly answers: AnswerRules;
  /** Names that are answered for, beside those of loopback. */
  readonly names: readonly string[];
  /** The folder whose `.well-known` a host serves. */
  readonly documentsOf: (host: string) => string;
  readonly fault?: Fault;
  /** 0 for any that is free. */
  readonly port: number;
  readonly certificate?: ServerCertificate;
  /** Gives pages the payment of a stand-in store. */
  readonly shop?: {
    /** Base address of the stand-in. */
    readonly address: string;
    /** App ID. */
    readonly app: string;
  };
  /** Server that answers what is below `/api/`. */
  readonly backend?: string;
  readonly onRequest: (request: ServedRequest) => void;
}

export interface ServedRequest {
  readonly method: string;
  readonly host: string;
  readonly path: string;
  readonly status: number | 'closed';
  readonly type: string;
  /** ms */
  readonly took: number;
}

export interface WebHost {
  readonly port: number;
  close(): Promise<void>;
}

const WELL_KNOWN = '.well-known';
const SHOP_SCRIPT = `<script src="${SHOP_PATH}script.js"></script>`;
/** ms between two bytes of a slow answer. */
const DRIP = 500;

/** A path's steps, `undefined` where it may not be asked for: steps upwards, dot files, what no file is named. */
function safeSteps(pathname: string): string[] | undefined {
  const path = decodePath(pathname);
  if (path === undefined || /[\0\\]/.test(path)) return undefined;
  const steps = path.split('/').filter((step) => step !== '');
  const isHidden = (step: string, index: number) =>
    step.startsWith('.') && !(index === 0 && step === WELL_KNOWN);
  return steps.some(isHidden) ? undefined : steps;
}

interface Found {
  readonly file: string;
  readonly facts: Stats;
}

interface Answered extends Found {
  readonly status: number;
  readonly type: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** A file below a folder, `undefined` where there is none or a link leads out of the folder. */
function fileBelow(folder: string, steps: readonly string[]): Found | undefined {
  try {
    const root = realpathSync(folder);
    const file = realpathSync(join(root, ...steps));
    if (file !== root && !file.startsWith(root + sep)) return undefined;
    const facts = statSync(file);
    return facts.isFile() ? { file, facts } : undefined;
  } catch (error) {
    if (systemErrorCode(error) !== undefined) return undefined;
    throw error;
  }
}

class Host {
  readonly #options: WebHostOptions;

  constructor(options: WebHostOptions) {
    this.#options = options;
  }

  /** A file of the web folder, or of a folder that is mounted in it. */
  #file(path: string): Found | undefined {
    const { folder, mounts } = this.#options;
    const steps = path.split('/');
    const mounted = mounts?.get(steps[0] ?? '');
    if (mounted !== undefined) return fileBelow(mounted, steps.slice(1));
    return folder === undefined ? undefined : fileBelow(folder, steps);
  }

  /** What answers an address: a file, or where it is sent on to. */
  #find(host: string, url: URL, page: boolean): Answered | string | undefined {
    const { answers, documentsOf } = this.#options;
    const { pathname } = url;
    const steps = safeSteps(pathname);
    if (steps === undefined) return undefined;
    if (steps[0] === WELL_KNOWN) {
      const found = fileBelow(documentsOf(host), steps);
      // Two of the documents have no ending to tell their type by.
      return found && { ...found, status: 200, type: 'application/json', headers: {} };
    }
    const path = decodePath(pathname) ?? '';
    const has = (name: string) => this.#file(name) !== undefined;
    const answer = answerOf(answers, has, { method: 'GET', path, page });
    const moved = movedTo(answer, url);
    if (moved !== undefined) return moved;
    const found = answer.is === 'file' ? this.#file(answer.path) : undefined;
    if (found === undefined || answer.is !== 'file') return undefined;
    return {
      ...found,
      status: answer.status,
      type: MEDIA_TYPES[extensionOf(answer.path)] ?? 'application/octet-stream',
      headers: headersOf(answers, path.slice(answers.base.length)),
    };
  }

  async answer(request: FastifyRequest, reply: FastifyReply): Promise<FastifyReply> {
    const { fault } = this.#options;
    const host = request.hostname.toLowerCase();
    const url = new URL(request.url, 'http://host.invalid');
    if (fault === 'offline') {
      request.raw.socket.destroy();
      return reply.hijack();
    }
    if (fault === '404' || fault === '500') {
      const status = Number(fault);
      return reply
        .code(status)
        .type('text/plain; charset=utf-8')
        .send(`Status ${status}, as --fault asks for.\n`);
    }
    if (fault === 'redirect') return reply.redirect(`https://www.${host}${request.url}`, 301);
    const page = String(request.headers.accept ?? '').includes('text/html');
    const found = this.#find(host, url, page);
    if (typeof found === 'string') return reply.redirect(found, 307);
    if (found === undefined) {
      return reply.code(404).type('text/plain; charset=utf-8').send('There is no such file.\n');
    }
    const type = fault === 'type' ? 'text/html; charset=utf-8' : found.type;
    reply.code(found.status).headers(found.headers).header('cache-control', 'no-cache');
    if (fault === 'slow') {
      reply.hijack();
      await drip(reply.raw, found, type);
      return reply;
    }
    if (this.#options.shop && found.type.startsWith('text/html')) {
      return reply.type(type).send(withShop(readFileSync(found.file, 'utf8')));
    }
    return reply.type(type).header('content-length', found.facts.size).send(createReadStream(found.file));
  }
}

/** A page with the script of the stand-in's shop before any other. */
export function withShop(page: string): string {
  const head = /<head(?:\s[^>]*)?>/i.exec(page);
  const at = head ? head.index + head[0].length : (/<!doctype[^>]*>/i.exec(page)?.[0].length ?? 0);
  return page.slice(0, at) + SHOP_SCRIPT + page.slice(at);
}

/** Sends a file a byte at a time, until it is done or nobody waits any more. */
async function drip(response: ServerResponse, { file, facts }: Found, type: string): Promise<void> {
  response.writeHead(200, { 'content-type': type, 'content-length': facts.size });
  for await (const chunk of createReadStream(file)) {
    for (const byte of chunk as Uint8Array) {
      if (response.destroyed) return;
      response.write(Uint8Array.of(byte));
      await wait(DRIP);
    }
  }
  response.end();
}

/**
 * Serves a web folder and its association documents on loopback. Nothing outside of the folder, no dot file but
 * `.well-known`, and no link that leads out is ever answered with.
 *
 * @throws HullError `serve.port-taken`
 */
export async function startWebHost(options: WebHostOptions): Promise<WebHost> {
  const host = new Host(options);
  const base = {
    ...CONNECTION_LIMITS,
    forceCloseConnections: true,
    logger: false,
    exposeHeadRoutes: true,
  } as const;
  const server: FastifyInstance = options.certificate
    ? (fastify({ ...base, https: { ...options.certificate } }) as unknown as FastifyInstance)
    : fastify(base);
  guardLoopback(server, {
    hosts: options.names,
    // Pages of this host alone get there: the guard looks where a request comes from.
    open: (path) => path.startsWith(SHOP_PATH) || path.startsWith(BACKEND_PATH),
  });
  if (options.shop) {
    server.get(`${SHOP_PATH}script.js`, (_request, reply) =>
      reply.type('text/javascript').send(readFileSync(packagedPath('pages/stand-in-shop.js'))),
    );
    forward(server, SHOP_PATH, `${options.shop.address}/shop/${options.shop.app}/`);
  }
  if (options.backend !== undefined) forward(server, BACKEND_PATH, `${options.backend}${BACKEND_PATH}`);
  server.get('/*', (request, reply) => host.answer(request, reply));
  const tell = (request: FastifyRequest, status: ServedRequest['status'], reply: FastifyReply) => {
    options.onRequest({
      method: request.method,
      host: request.hostname,
      path: request.url,
      status,
      type: String(reply.raw.getHeader('content-type') ?? '').split(';')[0] ?? '',
      took: reply.elapsedTime,
    });
  };
  server.addHook('onResponse', async (request, reply) => {
    // A connection that was cut on purpose had no answer.
    tell(request, reply.raw.headersSent ? reply.raw.statusCode : 'closed', reply);
  });
  const port = await listenOnLoopback(server, options.port);
  return { port, close: () => server.close() };
}
