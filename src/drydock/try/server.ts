import websocket from '@fastify/websocket';
import { fastify } from 'fastify';
import { HullError } from '../../core/errors.js';
import type { TryEvent, TrySession } from '../../core/try/session.js';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import { guardLoopback, makeToken } from '../guard.js';
import { listenOnLoopback } from '../listen.js';
import { tryPage } from './page.js';

/** The loopback page that shows a device, and passes on what is done with it. */
export interface TryServer {
  readonly address: string;
  /** Passes on what the session tells. */
  tell(event: TryEvent): void;
  close(): Promise<void>;
}

/** How much of what has happened a viewer that comes late still gets. */
const KEPT = 200;
/** Bytes that may wait for a viewer before frames are left out: it shows the newest, not all. */
const BACKLOG = 1_000_000;
const LONGEST_MESSAGE = 64 * 1024;

interface Viewer {
  readonly bufferedAmount: number;
  send(data: string | Buffer): void;
  on(event: 'message', listener: (data: Buffer) => void): void;
  on(event: 'close', listener: () => void): void;
  close(): void;
}

const number = (value: unknown): number => (typeof value === 'number' && Number.isFinite(value) ? value : 0);
const text = (value: unknown): string => (typeof value === 'string' ? value : '');
const oneOf = <T extends string>(value: unknown, all: readonly T[]): T | undefined =>
  all.find((one) => one === value);

/** Does what a viewer asks for. @returns what to say back */
async function carryOut(session: TrySession, message: JsonObject): Promise<JsonObject | undefined> {
  const { device, turn } = session.state();
  switch (message.do) {
    case 'start':
      await session.launchApp();
      return undefined;
    case 'resume':
      await session.resume();
      return undefined;
    case 'home':
      session.home();
      return undefined;
    case 'back':
      await session.back();
      return undefined;
    case 'touch': {
      const kind = oneOf(message.kind, ['start', 'move', 'end', 'cancel']);
      if (kind) await session.touch(kind, number(message.x), number(message.y));
      return undefined;
    }
    case 'wheel':
      await session.wheel(number(message.x), number(message.y), number(message.dx), number(message.dy));
      return undefined;
    case 'key':
      await session.key(text(message.key));
      return undefined;
    case 'text':
      await session.text(text(message.text));
      return undefined;
    case 'screen':
      await session.setScreen(
        oneOf(message.device, ['phone', 'tablet']) ?? device,
        oneOf(message.turn, ['portrait', 'landscape']) ?? turn,
      );
      return undefined;
    case 'scheme': {
      const scheme = oneOf(message.scheme, ['light', 'dark']);
      if (scheme) await session.setScheme(scheme);
      return undefined;
    }
    case 'network': {
      const network = oneOf(message.network, ['on', 'slow', 'off']);
      if (network) await session.setNetwork(network);
      return undefined;
    }
    case 'answer':
      session.answerQuestion(number(message.id), message.yes === true);
      return undefined;
    case 'link': {
      const { opens, why } = await session.openLink(text(message.url));
      return { is: 'link', url: text(message.url), opens, why };
    }
    default:
      return undefined;
  }
}

/**
 * Serves the page of a session on loopback.
 *
 * @param session starts with the server, whose token is in the address
 * @throws HullError `serve.port-taken`
 */
export async function startTryServer(session: TrySession, port: number): Promise<TryServer> {
  const token = makeToken();
  const viewers = new Set<Viewer>();
  const kept: string[] = [];
  let frame: Buffer | undefined;
  const server = fastify({ logger: false, forceCloseConnections: true });
  guardLoopback(server, { hosts: [], token });
  await server.register(websocket, { options: { maxPayload: LONGEST_MESSAGE } });
  const described = (): string =>
    JSON.stringify({ is: 'state', state: session.state(), plan: session.plan() });
  server.get<{ Querystring: { token?: string } }>('/', async ({ query }, reply) => {
    if (query.token !== token)
      return reply.code(401).type('text/plain').send('Open the address that hull try printed.');
    return reply
      .type('text/html; charset=utf-8')
      .header('cache-control', 'no-store')
      .header('referrer-policy', 'no-referrer')
      .send(tryPage(session.app, token));
  });
  server.register(async (scope) => {
    scope.get<{ Querystring: { token?: string } }>('/live', { websocket: true }, (socket, { query }) => {
      const viewer = socket as unknown as Viewer;
      if (query.token !== token) {
        viewer.close();
        return;
      }
      viewers.add(viewer);
      viewer.send(described());
      for (const one of kept) viewer.send(one);
      for (const question of session.open()) viewer.send(JSON.stringify({ is: 'question', question }));
      if (frame) viewer.send(frame);
      viewer.on('close', () => viewers.delete(viewer));
      viewer.on('message', (data) => {
        let message: unknown;
        try {
          message = JSON.parse(data.toString('utf8'));
        } catch {
          return;
        }
        if (!isObject(message)) return;
        carryOut(session, message).then(
          (said) => said && viewer.send(JSON.stringify(said)),
          (error: unknown) => {
            const words = error instanceof HullError ? error.message : String(error);
            viewer.send(JSON.stringify({ is: 'console', level: 'error', text: words }));
          },
        );
      });
    });
  });
  const own = await listenOnLoopback(server, port);
  return {
    address: `http://127.0.0.1:${own}/?token=${token}`,
    tell: (event) => {
      if (event.is === 'frame') {
        frame = event.bytes;
        for (const viewer of viewers) if (viewer.bufferedAmount < BACKLOG) viewer.send(event.bytes);
        return;
      }
      const message = event.is === 'state' ? described() : JSON.stringify(event);
      if (event.is === 'request' || event.is === 'console' || event.is === 'outside') {
        kept.push(message);
        if (kept.length > KEPT) kept.shift();
      }
      for (const viewer of viewers) viewer.send(message);
    },
    close: () => server.close(),
  };
}
