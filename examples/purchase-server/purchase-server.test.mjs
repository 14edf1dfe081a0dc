import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { generateKeyPair, SignJWT } from 'jose';
import { purchaseServer } from './server.mjs';

const HULL = fileURLToPath(new URL('../../dist/cli/hull.cjs', import.meta.url));
const APP = 'example.saltmarsh.ferry';
const TEXT = (title) => ({ en: { title, description: 'On every ferry.' } });
const CATALOG = {
  currency: 'EUR',
  items: {
    day_ticket: { kind: 'one-time', texts: TEXT('Day ticket'), price: '4.50' },
    season_pass: { kind: 'subscription', texts: TEXT('Season pass'), price: '29.00', period: 'P1M' },
  },
};

let dir;
let store;
let server;
let storeAddress;
let runToken;
let address;

const freePort = () =>
  new Promise((resolve) => {
    const socket = createServer().listen(0, '127.0.0.1', () => {
      const { port } = socket.address();
      socket.close(() => resolve(port));
    });
  });

function hull(...args) {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [HULL, ...args], { cwd: dir, stdio: ['ignore', 'pipe', 'pipe'] });
    let out = '';
    const keep = (piece) => {
      out += piece;
    };
    child.stdout.on('data', keep);
    child.stderr.on('data', keep);
    child.on('close', (code) => (code === 0 ? resolve(out) : reject(new Error(out))));
  });
}

before(async () => {
  dir = mkdtempSync(join(tmpdir(), 'purchases-'));
  const config = { app: { id: APP, name: 'Ferry', version: '1.0.0', build: 1 }, web: { folder: 'site' } };
  writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
  writeFileSync(join(dir, 'catalog.json'), JSON.stringify(CATALOG));
  const port = await freePort();
  address = `http://127.0.0.1:${port}`;
  store = spawn(
    process.execPath,
    [HULL, 'drydock', 'store', '--json', '--notify', `${address}/api/store-notifications`],
    { cwd: dir },
  );
  storeAddress = await new Promise((resolve, reject) => {
    let text = '';
    store.stdout.on('data', (piece) => {
      text += piece;
      if (/\n}\s*$/.test(text)) resolve(JSON.parse(text).address);
    });
    store.once('exit', () => reject(new Error(text)));
  });
  const page = await (await fetch(storeAddress)).text();
  runToken = /name="token" content="([^"]+)"/.exec(page)[1];
  await hull('catalog', 'send', '--yes', '--activate');
  server = purchaseServer({
    accountFile: join(dir, '.hull/store/account.json'),
    address: storeAddress,
    packageName: APP,
    push: {
      keys: `${storeAddress}/certs`,
      issuer: 'https://drydock.example',
      audience: `${address}/api/store-notifications`,
      sender: 'notifications@drydock.example',
    },
  });
  await server.listen({ host: '127.0.0.1', port });
});

after(async () => {
  await server?.close();
  store?.kill('SIGINT');
  rmSync(dir, { recursive: true, force: true });
});

const post = (url, body, headers = {}) =>
  fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...headers },
    body: JSON.stringify(body),
  });

/** A user with a cookie of their own. */
async function newUser() {
  const answer = await fetch(`${address}/api/purchases`);
  const cookie = answer.headers.get('set-cookie').split(';')[0];
  return {
    show: async (id, token) => {
      const shown = await post(`${address}/api/purchases`, { id, token }, { cookie });
      return { status: shown.status, ...(await shown.json()) };
    },
    has: async () =>
      (await (await fetch(`${address}/api/purchases`, { headers: { cookie } })).json()).map(({ id }) => id),
  };
}

const buy = async (id, outcome = 'bought') =>
  (await (await post(`${storeAddress}/shop/${APP}/buy`, { id, outcome })).json()).token;
/** What somebody does with an order on the stand-in's page; returns when the server was told. */
async function happens(token, action) {
  const answer = await post(
    `${storeAddress}/orders`,
    { app: APP, token, action },
    { authorization: `Bearer ${runToken}` },
  );
  assert.equal(answer.status, 200, await answer.text());
}
const daysGoBy = (days) => post(`${storeAddress}/clock`, { days }, { authorization: `Bearer ${runToken}` });

test('a purchase is granted once, acknowledged, and stays its buyer’s', async () => {
  const [buyer, other] = [await newUser(), await newUser()];
  const token = await buy('day_ticket');
  assert.deepEqual(await buyer.show('day_ticket', token), { status: 200, granted: true, pending: false });
  assert.equal((await buyer.show('day_ticket', token)).granted, true);
  assert.deepEqual(await buyer.has(), ['day_ticket']);
  // The same token in another's hands.
  assert.equal((await other.show('day_ticket', token)).status, 409);
  assert.deepEqual(await other.has(), []);
  // What was acknowledged is not refunded.
  await daysGoBy(4);
  assert.equal((await buyer.show('day_ticket', token)).granted, true);
  await happens(token, 'refund');
  assert.deepEqual(await buyer.has(), []);
});

test('forged tokens, and those of another product, are not granted', async () => {
  const buyer = await newUser();
  assert.equal((await buyer.show('day_ticket', 'made-up')).status, 404);
  assert.equal((await buyer.show('boat', 'made-up')).status, 400);
  const token = await buy('day_ticket');
  assert.equal((await buyer.show('season_pass', token)).status, 404);
  assert.equal((await buyer.show('day_ticket', token)).granted, true);
  await happens(token, 'refund');
});

test('a pending purchase is granted when it is paid', async () => {
  const buyer = await newUser();
  const token = await buy('day_ticket', 'pending');
  assert.deepEqual(await buyer.show('day_ticket', token), { status: 200, granted: false, pending: true });
  await happens(token, 'complete');
  assert.deepEqual(await buyer.has(), ['day_ticket']);
  await happens(token, 'refund');
});

test('what nobody acknowledges is refunded after three days', async () => {
  const buyer = await newUser();
  const token = await buy('day_ticket');
  await daysGoBy(4);
  assert.equal((await buyer.show('day_ticket', token)).granted, false);
});

test('a subscription is renewed, kept in its grace period, and ends', async () => {
  const buyer = await newUser();
  const token = await buy('season_pass');
  const { granted, until } = await buyer.show('season_pass', token);
  assert.equal(granted, true);
  await happens(token, 'renew');
  assert.ok(new Date((await buyer.show('season_pass', token)).until) > new Date(until));
  await happens(token, 'fail');
  assert.deepEqual(await buyer.has(), ['season_pass']);
  await happens(token, 'expire');
  assert.deepEqual(await buyer.has(), []);
});

test('notifications are taken from the store alone, and once', async () => {
  const { privateKey } = await generateKeyPair('RS256');
  const forged = await new SignJWT({ email: 'notifications@drydock.example' })
    .setProtectedHeader({ alg: 'RS256', kid: 'drydock' })
    .setIssuer('https://drydock.example')
    .setAudience(`${address}/api/store-notifications`)
    .setIssuedAt()
    .setExpirationTime('5m')
    .sign(privateKey);
  const message = { message: { messageId: '1', data: Buffer.from('{}').toString('base64') } };
  for (const authorization of ['', 'Bearer nothing', `Bearer ${forged}`]) {
    const answer = await post(`${address}/api/store-notifications`, message, { authorization });
    assert.equal(answer.status, 401);
  }
});
