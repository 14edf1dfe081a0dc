import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Browser, chromium, type Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { purchaseServer } from '../../examples/purchase-server/server.mjs';
import { type Running, startHull } from '../support/hull.js';
import { reader } from '../support/readers.js';
import { ID } from '../support/ready-project.js';
import { type RunningStore, release, startStandIn } from '../support/store.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

const PAGE = `<!doctype html><html lang="en"><head><title>Passes</title></head><body><h1>Passes</h1>
<ul id="items"></ul><p id="state" role="status"></p>
<script type="module">
import { openShop } from './shop.js';
const state = document.querySelector('#state');
const shop = await openShop({ verify: '/api/purchases' });
if (!shop) state.textContent = 'Passes are sold in the app.';
else {
  for (const item of await shop.items(['day_ticket', 'season_pass'])) {
    const button = document.createElement('button');
    button.id = item.id;
    button.textContent = item.title + ' ' + item.price;
    button.onclick = async () => {
      const answer = await shop.buy(item.id).catch((error) => ({ is: 'error', why: error.message }));
      state.textContent = answer.is + (answer.why ? ': ' + answer.why : '');
    };
    document.querySelector('#items').append(button);
  }
  state.textContent = 'restored: ' + (await shop.restore()).join();
}
</script></body></html>`;

interface Served {
  readonly http: { readonly url: string };
}

let dir: string;
let store: RunningStore;
let backend: ReturnType<typeof purchaseServer>;
let address: string;
let browser: Browser;
let page: Page;
let serving: Running<Served>;

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': PAGE,
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
    }),
    'catalog.json': JSON.stringify({
      currency: 'EUR',
      items: {
        day_ticket: {
          kind: 'one-time',
          texts: { en: { title: 'Day ticket', description: 'Until midnight.' } },
          price: '4.50',
        },
        season_pass: {
          kind: 'subscription',
          texts: { en: { title: 'Season pass' } },
          price: '29.00',
          period: 'P1M',
        },
      },
    }),
  });
  expect((await release(dir, ['catalog', 'module'])).code).toBe(0);
  store = await startStandIn(dir);
  const sent = await release(dir, ['catalog', 'send', '--yes', '--activate']);
  expect(sent.code, sent.err).toBe(0);
  backend = purchaseServer({
    accountFile: store.accounts[0] as string,
    address: store.address,
    packageName: ID,
    push: { keys: `${store.address}/certs`, issuer: '', audience: '', sender: '' },
  });
  await backend.listen({ host: '127.0.0.1', port: 0 });
  const own = backend.server.address();
  const port = typeof own === 'object' ? own?.port : 0;
  serving = await startHull(dir, 'serve', '--store', store.address, '--backend', `http://127.0.0.1:${port}`);
  address = serving.document.http.url;
  browser = await chromium.launch({ executablePath: reader('chromium') as string, args: ['--no-sandbox'] });
  page = await browser.newPage({ locale: 'en-IE' });
}, 120_000);

afterAll(async () => {
  await browser?.close();
  await serving?.stop();
  await backend?.close();
  await store?.stop();
});

const state = () => page.locator('#state');

async function choose(item: string, choice: string): Promise<void> {
  await page.click(`#${item}`);
  await page.getByRole('dialog').getByRole('button', { name: choice }).click();
}

it('sells from a page through the stand-in: details, cancelled, declined, pending, bought, restored, refunded', async () => {
  await page.goto(address);
  await expect.poll(() => state().textContent()).toBe('restored: ');
  expect(await page.locator('#items button').allTextContents()).toEqual([
    'Day ticket €4.50',
    'Season pass €29.00',
  ]);

  await page.click('#season_pass');
  const sheet = page.getByRole('dialog');
  await expect.poll(() => sheet.textContent()).toContain('€29.00');
  expect(await sheet.textContent()).toContain('every P1M');
  // The sheet is left by the keyboard too.
  await page.keyboard.press('Escape');
  await expect.poll(() => state().textContent()).toBe('cancelled');

  await choose('day_ticket', 'Card is declined');
  await expect.poll(() => state().textContent()).toBe('failed: The payment was declined.');

  await choose('day_ticket', 'Pay later');
  await expect.poll(() => state().textContent()).toBe('pending');

  await choose('season_pass', 'Buy');
  await expect.poll(() => state().textContent()).toBe('granted');
  await choose('season_pass', 'Buy');
  await expect.poll(() => state().textContent()).toContain('owned already');

  await page.reload();
  await expect.poll(() => state().textContent()).toBe('restored: season_pass');

  // The page of the stand-in shows both orders; what is refunded there is not given back.
  const shop = await browser.newPage();
  await shop.goto(`${store.address}/app/${ID}`);
  const row = shop.getByRole('row').filter({ hasText: 'season_pass' }).filter({ hasText: 'acknowledged' });
  const answered = shop.waitForResponse(/\/orders$/);
  await row.getByRole('button', { name: 'Refund' }).click();
  expect(await (await answered).text()).toBe('{"done":true}');
  await expect.poll(() => shop.getByRole('row').filter({ hasText: 'refunded' }).count()).toBe(1);
  await page.reload();
  await expect.poll(() => state().textContent()).toBe('restored: ');
}, 120_000);

it('offers nothing where pages are shown by something that cannot sell', async () => {
  const plain = await startHull<Served>(dir, 'serve');
  try {
    const other = await browser.newPage();
    await other.goto(plain.document.http.url);
    await expect.poll(() => other.locator('#state').textContent()).toBe('Passes are sold in the app.');
  } finally {
    await plain.stop();
  }
}, 60_000);

it('is judged as paying through the store, and a module that was edited stays', async () => {
  const ran = await release(dir, ['survey', '--json', '--fail-on', 'never']);
  const { findings } = JSON.parse(ran.out) as { findings: { code: string }[] };
  expect(findings.map(({ code }) => code)).not.toContain('store.payment');
  const module = join(dir, 'site/shop.js');
  writeFileSync(module, `${readFileSync(module, 'utf8')}// mine\n`);
  const again = await release(dir, ['catalog', 'module']);
  expect(again.code).toBe(2);
  expect(again.err).toContain('disk.exists');
  expect(readFileSync(module, 'utf8')).toContain('// mine');
});

it('shows tracks, review queue and log to everybody, by keyboard, and approves', async () => {
  const shop = await browser.newPage();
  await shop.goto(store.address);
  const faults: string[] = [];
  shop.on('pageerror', (error) => faults.push(error.message));
  await shop.getByLabel('Create an app of the Android store:').fill('example.saltmarsh.pier');
  await shop.keyboard.press('Enter');
  await expect.poll(() => shop.getByRole('link', { name: 'example.saltmarsh.pier' }).count()).toBe(1);
  await shop.keyboard.press('Tab');
  await shop.getByRole('link', { name: 'example.saltmarsh.pier' }).focus();
  await shop.keyboard.press('Enter');
  await expect
    .poll(() => shop.getByRole('heading', { level: 1 }).textContent())
    .toBe('example.saltmarsh.pier');
  expect(await shop.getByRole('region', { name: 'Track production' }).textContent()).toContain('no release');
  await checkHeadings(shop);
  await shop.goto(store.address);
  await shop.getByRole('link', { name: ID }).last().focus();
  await shop.keyboard.press('Enter');
  expect(await shop.getByRole('region', { name: 'Versions', exact: true }).textContent()).toContain(
    'being prepared',
  );
  expect(await shop.getByRole('region', { name: 'Group Crew' }).textContent()).toContain('no build');
  await checkHeadings(shop);
  expect(faults).toEqual([]);
}, 60_000);

/** Every heading is one level below the one before at most. */
async function checkHeadings(shop: Page): Promise<void> {
  const levels = await shop
    .locator('h1, h2, h3')
    .evaluateAll((all) => all.map((one) => Number(one.tagName[1])));
  levels.reduce((before, level) => {
    expect(level).toBeLessThanOrEqual(before + 1);
    return level;
  }, 0);
}
