import websocket from '@fastify/websocket';
import { fastify } from 'fastify';
import { HullError } from '../../core/errors.js';
import { type AppSession, TEXT_SIZES } from '../../core/try/app-session.js';
import type { TryEvent } from '../../core/try/events.js';
import { asNumber, asText, isObject, type JsonObject } from '../../core/util/json-object.js';
import { guardLoopback, makeToken } from '../guard.js';
import { listenOnLoopback } from '../listen.js';
import { describeApps, tryPage } from './page.js';
import type { Screen } from './screen.js';

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
/** A file that is shared comes in one message. */
const LONGEST_MESSAGE = 24 * 1024 * 1024;

interface Viewer {
  readonly bufferedAmount: number;
  send(data: string | Buffer): void;
  on(event: 'message', listener: (data: Buffer) => void): void;
  on(event: 'close', listener: () => void): void;
  close(): void;
}

const oneOf = <T extends string>(value: unknown, all: readonly T[]): T | undefined =>
  all.find((one) => one === value);

/** What is done with the app in front. @returns what to say back */
async function withApp(session: AppSession, message: JsonObject): Promise<JsonObject | undefined> {
  switch (message.do) {
    case 'home':
      session.home();
      return undefined;
    case 'back':
      await session.back();
      return undefined;
    case 'touch': {
      const kind = oneOf(message.kind, ['start', 'move', 'end', 'cancel']);
      if (kind) await session.touch(kind, asNumber(message.x), asNumber(message.y));
      return undefined;
    }
    case 'wheel':
      await session.wheel(
        asNumber(message.x),
        asNumber(message.y),
        asNumber(message.dx),
        asNumber(message.dy),
      );
      return undefined;
    case 'key':
      await session.key(asText(message.key));
      return undefined;
    case 'text':
      await session.text(asText(message.text));
      return undefined;
    case 'answer':
      session.answerQuestion(asNumber(message.id), message.yes === true);
      return undefined;
    case 'end':
      await session.endProcess();
      return undefined;
    case 'shortcut':
      await session.openShortcut(asText(message.name));
      return undefined;
    case 'share': {
      const { file } = message;
      const problem = await session.share({
        title: asText(message.title) || undefined,
        text: asText(message.text) || undefined,
        file: isObject(file)
          ? {
              name: asText(file.name),
              type: asText(file.type),
              bytes: Buffer.from(asText(file.bytes), 'base64'),
            }
          : undefined,
      });
      return { is: 'shared', problem: problem ?? null };
    }
    case 'stored':
      return { is: 'stored', items: await session.stored() };
    case 'link': {
      const { opens, why } = await session.openLink(asText(message.url));
      return { is: 'link', url: asText(message.url), opens, why };
    }
    default:
      return undefined;
  }
}

/** Does what a viewer asks for. @returns what to say back */
async function carryOut(screen: Screen, message: JsonObject): Promise<JsonObject | undefined> {
  switch (message.do) {
    case 'open':
      await screen.open(asText(message.id));
      return undefined;
    case 'update':
      await screen.update();
      return undefined;
    case 'set': {
      const device = oneOf(message.device, ['phone', 'tablet']);
      const turn = oneOf(message.turn, ['portrait', 'landscape']);
      const scheme = oneOf(message.scheme, ['light', 'dark']);
      const network = oneOf(message.network, ['on', 'slow', 'off']);
      const textSize = TEXT_SIZES.find((one) => one === message.textSize);
      const language = asText(message.language);
      await screen.set({
        ...(device && { device }),
        ...(turn && { turn }),
        ...(scheme && { scheme }),
        ...(network && { network }),
        ...(textSize && { textSize }),
        ...(language === '' ? {} : { language }),
      });
      return undefined;
    }
    default:
      return screen.session && withApp(screen.session, message);
  }
}

/**
 * Serves the page of a device on loopback; the token that opens it is in the address.
 *
 * @throws HullError `serve.port-taken`
 */
export async function startTryServer(screen: Screen, title: string, port: number): Promise<TryServer> {
  const token = makeToken();
  const viewers = new Set<Viewer>();
  const kept: string[] = [];
  let frame: Buffer | undefined;
  const server = fastify({ logger: false, forceCloseConnections: true });
  guardLoopback(server, { hosts: [], token });
  await server.register(websocket, { options: { maxPayload: LONGEST_MESSAGE } });
  const described = (): string => JSON.stringify({ is: 'state', state: screen.state, plan: screen.plan });
  const apps = (): string => JSON.stringify(describeApps(screen));
  server.get<{ Querystring: { token?: string } }>('/', async ({ query }, reply) => {
    if (query.token !== token)
      return reply.code(401).type('text/plain').send('Open the address that hull printed.');
    return reply
      .type('text/html; charset=utf-8')
      .header('cache-control', 'no-store')
      .header('referrer-policy', 'no-referrer')
      .send(tryPage(title, token));
  });
  server.register(async (scope) => {
    scope.get<{ Querystring: { token?: string } }>('/live', { websocket: true }, (socket, { query }) => {
      const viewer = socket as unknown as Viewer;
      if (query.token !== token) {
        viewer.close();
        return;
      }
      viewers.add(viewer);
      viewer.send(apps());
      viewer.send(described());
      for (const one of kept) viewer.send(one);
      for (const question of screen.session?.open() ?? [])
        viewer.send(JSON.stringify({ is: 'question', question }));
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
        carryOut(screen, message).then(
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
      if (event.is === 'app') frame = undefined;
      const message =
        event.is === 'state' ? described() : event.is === 'app' ? apps() : JSON.stringify(event);
      if (event.is === 'request' || event.is === 'console' || event.is === 'outside') {
        kept.push(message);
        if (kept.length > KEPT) kept.shift();
      }
      for (const viewer of viewers) viewer.send(message);
    },
    close: () => server.close(),
  };
}
