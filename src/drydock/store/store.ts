import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { type FastifyInstance, fastify } from 'fastify';
import { HullError } from '../../core/errors.js';
import { VENDOR_ROOT } from '../../core/platforms/apple/signing/authority.js';
import { checkAppId } from '../../core/project/app-id.js';
import { replaceFile } from '../../core/util/files.js';
import { guardLoopback, makeToken } from '../guard.js';
import { listenOnLoopback } from '../listen.js';
import { accountFiles, makeAccounts, OWNER, Tokens } from './accounts.js';
import { AndroidApi } from './android-api.js';
import { ANDROID_DESCRIPTION } from './android-description.js';
import { AppleApi } from './apple-api.js';
import { APPLE_DESCRIPTION } from './apple-description.js';
import { type StoreKeys, storeKeys } from './apple-keys.js';
import { appleAppPage, appleBoats, appleImages, appleListingPage } from './apple-page.js';
import { type Shelf, textOf } from './apple-shelf.js';
import { Books } from './books.js';
import type { StoreFault } from './faults.js';
import { Notifier } from './notifications.js';
import { ORDER_ACTIONS, type OrderAction } from './orders.js';
import { appPage, frontPage, listingPage, testerPage } from './page.js';
import { Refusal } from './refusal.js';
import { Uploads } from './uploads.js';
import { World } from './world.js';

export interface StandInStoreOptions {
  readonly port: number;
  /** Folder that the state is kept in. */
  readonly folder: string;
  /** Apps that there are from the beginning: in a store, somebody creates them in the console. */
  readonly apps: readonly string[];
  /** The same of Apple's store, by their bundle IDs. */
  readonly appleApps?: readonly string[] | undefined;
  /** SHA-256 of the root that packages for Apple's store have to trust, in hexadecimal; by default the vendor's own. */
  readonly appleRoot?: string | undefined;
  /** ms that a review takes; `undefined` where a person decides on the page. */
  readonly review: number | undefined;
  /** Why every release is rejected. */
  readonly reject?: string | undefined;
  readonly fault?: StoreFault | undefined;
  /** Address of the app's server that hears of purchases. */
  readonly notify?: string | undefined;
  readonly onEvent: (text: string) => void;
  /** Told of each request to the API: for tests and for those who watch. */
  readonly onRequest?: ((method: string, path: string) => void) | undefined;
}

export interface StandInStore {
  readonly port: number;
  readonly address: string;
  /** Files of the service accounts' keys: one that releases, one that may only look, one of another developer. */
  readonly accounts: readonly string[];
  /** Keys of Apple's store, for the same three. */
  readonly apple: StoreKeys;
  /** What the page's own forms send. */
  readonly token: string;
  close(): Promise<void>;
}

/** The longest that one request may take: an upload of gigabytes on a slow disk. */
const REQUEST_TIMEOUT = 3_600_000;
const SLOW = 1500;
const DROP_AFTER = 200_000;
const API = /^\/(?:androidpublisher|upload|batch|token|shop|v1|apple-parts)\b/;

/** Writes the address that the stand-in has this time into the accounts' files. */
async function placeAccounts(folder: string, address: string): Promise<string[]> {
  const files = accountFiles().map((name) => join(folder, name));
  for (const file of files) {
    const account = JSON.parse(readFileSync(file, 'utf8'));
    await replaceFile(
      file,
      Buffer.from(`${JSON.stringify({ ...account, token_uri: `${address}/token` }, null, 2)}\n`),
      0o600,
    );
  }
  return files;
}

/** Makes one in four requests fail in its way. */
function addFault(server: FastifyInstance, fault: StoreFault): void {
  let count = 0;
  server.addHook('onRequest', async (request) => {
    count += 1;
    if (fault === 'slow') await wait(SLOW);
    if (count % 4 !== 1) return;
    if (fault === '429') throw new Refusal(429, 'rateLimitExceeded', 'Too many requests.', 1);
    if (fault === '500') throw new Refusal(500, 'backendError', 'Backend error.');
    if (fault !== 'drop') return;
    const { socket } = request.raw;
    let arrived = 0;
    if (Number(request.headers['content-length'] ?? 0) < DROP_AFTER) socket.destroy();
    else
      socket.on('data', (piece: Buffer) => {
        arrived += piece.length;
        if (arrived > DROP_AFTER) socket.destroy();
      });
  });
}

function addPages(
  server: FastifyInstance,
  { world, shelf, token, notifier }: { world: World; shelf: Shelf; token: string; notifier: Notifier },
): void {
  const { books } = world;
  const send = (text: string | undefined) => ({ text });
  const get = (url: string, answer: (params: Record<string, string>) => { text: string | undefined }) =>
    server.get<{ Params: Record<string, string> }>(url, async ({ params }, reply) => {
      const { text } = answer(params);
      if (text === undefined) return reply.code(404).type('text/plain').send('There is no such page.');
      return reply.type('text/html; charset=utf-8').header('cache-control', 'no-store').send(text);
    });
  const appOf = (params: Record<string, string>) => books.app(params.app ?? '');
  get('/', () => send(frontPage(books, token, appleBoats(shelf))));
  const appleOf = (params: Record<string, string>) =>
    shelf.all('apps').find((app) => textOf(app, 'bundleId') === params.app);
  get('/apple/:app', (params) => {
    const app = appleOf(params);
    return send(app && appleAppPage(shelf, app, token));
  });
  get('/apple/:app/listing/:language', (params) => {
    const app = appleOf(params);
    return send(app && appleListingPage(shelf, app, params.language ?? '', token));
  });
  get('/app/:app', (params) => {
    const app = appOf(params);
    return send(app && appPage(books, app, token, world.now()));
  });
  get('/app/:app/listing/:language', (params) => {
    const app = appOf(params);
    return send(app && listingPage(app, params.language ?? '', token));
  });
  get('/apps/testing/:app', (params) => {
    const app = appOf(params);
    return send(app && testerPage(app, token));
  });
  server.get<{ Params: { sha256: string } }>('/images/:sha256', async ({ params: { sha256 } }, reply) => {
    const images = books.apps().flatMap(({ state }) => Object.values(state.images).flat());
    const isKnown = images.some((one) => one.sha256 === sha256) || appleImages(shelf).includes(sha256);
    if (!isKnown) return reply.code(404).send();
    const bytes = books.read(sha256);
    return reply.type(bytes[0] === 0x89 ? 'image/png' : 'image/jpeg').send(bytes);
  });
  server.get('/certs', () => notifier.keys());
  server.post<{ Body: Record<string, string> }>('/orders', async ({ body }, reply) => {
    const { app = '', token: order = '', action } = body;
    if (!ORDER_ACTIONS.includes(action as OrderAction)) return reply.code(400).send('Name an action.');
    try {
      world.orders.act(app, order, action as OrderAction);
    } catch (error) {
      if (error instanceof Refusal) return reply.code(error.status).send(error.message);
      throw error;
    }
    await notifier.idle();
    return { done: true };
  });
  server.post<{ Body: Record<string, string> }>('/clock', async ({ body }, reply) => {
    const days = Number(body.days);
    if (!(days > 0 && days < 1000)) return reply.code(400).send('Name the days.');
    world.passTime(days);
    await notifier.idle();
    return { done: true };
  });
  server.get('/openapi/android.json', async () => ANDROID_DESCRIPTION);
  server.get('/openapi/apple.json', async () => APPLE_DESCRIPTION);
  server.post<{ Body: Record<string, string> }>('/review', async ({ body }, reply) => {
    const { app = '', track = '', builds = '', decision, reason = '' } = body;
    const isWaiting = books
      .waiting()
      .some((one) => one.app === app && one.track === track && one.builds === builds);
    if (!isWaiting) return reply.code(409).send('It does not wait for review any more.');
    if (decision === 'reject' && reason.trim() === '') return reply.code(400).send('Give a reason.');
    world.decide(app, track, builds, decision === 'reject' ? reason.trim() : null);
    return { done: true };
  });
  server.post<{ Body: Record<string, string> }>('/apps', async ({ body }, reply) => {
    const id = body.id ?? '';
    try {
      checkAppId(id, {}, 'android');
    } catch (error) {
      if (error instanceof HullError) return reply.code(400).send(error.message);
      throw error;
    }
    books.createApp(id, OWNER);
    world.note(`${id} is created`);
    return { done: true };
  });
}

/**
 * Starts a stand-in for the Android store and Apple's on loopback.
 *
 * @throws HullError `serve.port-taken`, `disk.*`
 */
export async function startStore(options: StandInStoreOptions): Promise<StandInStore> {
  const books = await Books.open(options.folder);
  await makeAccounts(books);
  for (const id of options.apps) books.createApp(id, OWNER);
  const notifier = new Notifier(options.notify, (text) => world.note(text));
  const world: World = new World({
    books,
    notifier,
    review: options.review,
    reject: options.reject,
    onEvent: options.onEvent,
  });
  const uploads = new Uploads(books);
  const keys = await storeKeys(books);
  const apple = new AppleApi({ world, uploads, root: options.appleRoot ?? VENDOR_ROOT });
  for (const id of options.appleApps ?? []) apple.createApp(id);
  const token = makeToken();
  const server = fastify({
    logger: false,
    forceCloseConnections: true,
    requestTimeout: REQUEST_TIMEOUT,
    // Operations behind a colon, as the protocol writes them.
    rewriteUrl: ({ url = '/' }) =>
      url.replace(
        /^(\/androidpublisher\/[^?]*[^/?:]):(validate|commit|activate|deactivate|convertRegionPrices|acknowledge|consume)/,
        '$1/$2',
      ),
  });
  // The API has its own way to know who asks; what the page's forms change takes the run's token.
  guardLoopback(server, { hosts: [], token, open: (url) => API.test(url) });
  addPages(server, { world, shelf: apple.shelf, token, notifier });
  await server.register(async (scope) => {
    if (options.fault) addFault(scope, options.fault);
    scope.addHook('onRequest', async ({ method, url }) => options.onRequest?.(method, url));
    new AndroidApi(world, new Tokens(books, Date.now), uploads).register(scope);
  });
  await server.register(async (scope) => {
    if (options.fault) addFault(scope, options.fault);
    scope.addHook('onRequest', async ({ method, url }) => options.onRequest?.(method, url));
    apple.register(scope);
  });
  let port: number;
  try {
    port = await listenOnLoopback(server, options.port);
  } catch (error) {
    world.close();
    books.close();
    throw error;
  }
  const address = `http://127.0.0.1:${port}`;
  const accounts = await placeAccounts(options.folder, address);
  return {
    port,
    address,
    accounts,
    apple: keys,
    token,
    close: async () => {
      world.close();
      await server.close();
      await apple.assets.idle();
      await uploads.close();
      books.close();
    },
  };
}
