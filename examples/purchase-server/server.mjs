// Checks purchases and grants them: the part that no page can be trusted with. An example: it keeps what it granted in memory, and knows one
// user by a cookie; put your own accounts and database in their place.
import { randomUUID } from 'node:crypto';
import { pathToFileURL } from 'node:url';
import { fastify } from 'fastify';
import { createRemoteJWKSet, jwtVerify } from 'jose';
import { StoreApi } from './store.mjs';

/** What the app sells, and what each is; the server's own list, never the page's word. */
const PRODUCTS = { day_ticket: 'product', season_pass: 'subscription' };

/**
 * @param {object} settings
 * @param {string} settings.accountFile key of a service account
 * @param {string} settings.address base address of the store's API
 * @param {string} settings.packageName
 * @param {{ keys: string, issuer: string, audience: string, sender: string }} settings.push who may send notifications
 */
export function purchaseServer({ accountFile, address, packageName, push }) {
  const store = new StoreApi({ accountFile, address, packageName });
  const keys = createRemoteJWKSet(new URL(push.keys));
  /** Token → who has it, for what, and whether it counts. A token belongs to the first who shows it. */
  const granted = new Map();
  const seen = new Set();
  const server = fastify({ bodyLimit: 64 * 1024 });

  const userOf = (request, reply) => {
    const known = /(?:^|;\s*)user=([\w-]{36})/.exec(request.headers.cookie ?? '')?.[1];
    const user = known ?? randomUUID();
    if (!known) reply.header('set-cookie', `user=${user}; HttpOnly; SameSite=Lax; Path=/`);
    return user;
  };

  /** Asks the store, and keeps what it says: whatever order pages and notifications come in, the end is the same. */
  async function settle(id, token, user) {
    const kind = PRODUCTS[id];
    const purchase = await store.purchase(kind, id, token);
    if (purchase === undefined) return undefined;
    const before = granted.get(token);
    const owner = before?.user ?? user;
    granted.set(token, { id, user: owner, state: purchase.state, until: purchase.until });
    if (purchase.state === 'bought' && owner !== undefined && !purchase.acknowledged)
      await store.acknowledge(kind, id, token);
    return granted.get(token);
  }

  server.post('/api/purchases', {
    schema: {
      body: {
        type: 'object',
        required: ['id', 'token'],
        additionalProperties: false,
        properties: {
          id: { type: 'string', enum: Object.keys(PRODUCTS) },
          token: { type: 'string', minLength: 1, maxLength: 1000 },
        },
      },
    },
    handler: async (request, reply) => {
      const user = userOf(request, reply);
      const { id, token } = request.body;
      const owner = granted.get(token)?.user;
      if (owner !== undefined && owner !== user)
        return reply.code(409).send({ problem: 'Somebody else has this purchase.' });
      const purchase = await settle(id, token, user);
      if (purchase === undefined)
        return reply.code(404).send({ problem: 'The store does not know this purchase.' });
      return {
        granted: purchase.state === 'bought',
        pending: purchase.state === 'pending',
        until: purchase.until,
      };
    },
  });

  /** What a user has: asked by pages before they show anything that is sold. */
  server.get('/api/purchases', async (request, reply) => {
    const user = userOf(request, reply);
    const own = [...granted.values()].filter((one) => one.user === user && one.state === 'bought');
    return own
      .filter(({ until }) => until === undefined || until > new Date())
      .map(({ id, until }) => ({ id, until }));
  });

  /** The store's notifications: only a reason to ask the store, never believed by themselves. */
  server.post('/api/store-notifications', async (request, reply) => {
    const bearer = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1] ?? '';
    try {
      const { payload } = await jwtVerify(bearer, keys, {
        issuer: push.issuer,
        audience: push.audience,
        algorithms: ['RS256'],
      });
      if (payload.email !== push.sender) throw new Error('another sender');
    } catch {
      return reply.code(401).send({ problem: 'This does not come from the store.' });
    }
    const { messageId, data } = request.body?.message ?? {};
    if (typeof data !== 'string') return reply.code(400).send({ problem: 'There is no message.' });
    if (seen.has(messageId)) return { done: 'before' };
    const notification = JSON.parse(Buffer.from(data, 'base64').toString('utf8'));
    if (notification.packageName !== packageName) return reply.code(400).send({ problem: 'Another app.' });
    const {
      subscriptionNotification: renewed,
      oneTimeProductNotification: once,
      voidedPurchaseNotification: voided,
    } = notification;
    const token = (renewed ?? once ?? voided)?.purchaseToken;
    const id = renewed?.subscriptionId ?? once?.sku ?? granted.get(token)?.id;
    if (token !== undefined && id in PRODUCTS) await settle(id, token, undefined);
    seen.add(messageId);
    return { done: 'now' };
  });

  return server;
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  const { PORT = '8100', STORE_ACCOUNT, STORE_API, PACKAGE = 'example.saltmarsh.ferry' } = process.env;
  if (!STORE_ACCOUNT || !STORE_API) {
    console.error(
      'Set STORE_ACCOUNT to the file of a service account’s key, and STORE_API to the address of the store’s API.',
    );
    process.exit(2);
  }
  const audience = `http://127.0.0.1:${PORT}/api/store-notifications`;
  const server = purchaseServer({
    accountFile: STORE_ACCOUNT,
    address: STORE_API,
    packageName: PACKAGE,
    push: {
      keys: `${STORE_API}/certs`,
      issuer: 'https://drydock.example',
      audience,
      sender: 'notifications@drydock.example',
    },
  });
  await server.listen({ host: '127.0.0.1', port: Number(PORT) });
  console.log(`Purchases are checked at http://127.0.0.1:${PORT}`);
}
