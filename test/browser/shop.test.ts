import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Browser, chromium, type Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { purchaseServer } from '../../examples/purchase-server/server.mjs';
import { DEMO_SITE, hull, type Running, startHull } from '../support/hull.js';
import { reader } from '../support/readers.js';
import { ID } from '../support/ready-project.js';
import { type RunningStore, release, startStandIn } from '../support/store.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

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
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  cpSync(join(DEMO_SITE, '../catalog.json'), join(dir, 'catalog.json'));
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
    }),
  });
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
  address = new URL('/tickets.html', serving.document.http.url).href;
  browser = await chromium.launch({ executablePath: reader('chromium') as string, args: ['--no-sandbox'] });
  page = await browser.newPage({ locale: 'en-IE' });
}, 120_000);

afterAll(async () => {
  await browser?.close();
  await serving?.stop();
  await backend?.close();
  await store?.stop();
});

/** Waits for what the page says. */
const says = (words: string) =>
  expect.poll(() => page.locator('.sold').textContent(), { timeout: 10_000 }).toContain(words);
const offer = (title: string) => page.getByRole('listitem').filter({ hasText: title });

async function choose(title: string, choice: string): Promise<void> {
  await offer(title).getByRole('button').click();
  await page.getByRole('dialog').getByRole('button', { name: choice }).click();
}

it('sells from the demo’s page through the stand-in: details, cancelled, declined, pending, bought, restored, refunded', async () => {
  await page.goto(address);
  await expect.poll(() => page.getByRole('heading', { name: 'Buy' }).isVisible()).toBe(true);
  expect(await offer('Day ticket').textContent()).toContain('€4.50');
  expect(await offer('Season pass').textContent()).toContain('€29.00 a month, free at first');

  await offer('Season pass').getByRole('button').click();
  const sheet = page.getByRole('dialog');
  await expect.poll(() => sheet.textContent()).toContain('€29.00');
  expect(await sheet.textContent()).toContain('every P1M');
  // The sheet is left by the keyboard too.
  await page.keyboard.press('Escape');
  await says('Nothing was bought.');

  await choose('Day ticket', 'Card is declined');
  await says('The payment was declined.');

  await choose('Day ticket', 'Pay later');
  await says('on its way');

  await choose('Season pass', 'Buy');
  await says('Show it at the gate.');
  expect(await offer('Season pass').getByRole('button').isDisabled()).toBe(true);

  await page.reload();
  await expect.poll(() => offer('Season pass').getByRole('button').textContent()).toBe('Yours');

  // The page of the stand-in shows both orders; what is refunded there is not given back.
  const shop = await browser.newPage();
  await shop.goto(`${store.address}/app/${ID}`);
  const row = shop.getByRole('row').filter({ hasText: 'season_pass' }).filter({ hasText: 'acknowledged' });
  const answered = shop.waitForResponse(/\/orders$/);
  await row.getByRole('button', { name: 'Refund' }).click();
  expect(await (await answered).text()).toBe('{"done":true}');
  await expect.poll(() => shop.getByRole('row').filter({ hasText: 'refunded' }).count()).toBe(1);
  await page.reload();
  await expect.poll(() => offer('Season pass').getByRole('button').textContent()).toBe('Buy');
}, 120_000);

it('follows a subscription: renewed, in grace, expired', async () => {
  await choose('Season pass', 'Buy');
  await says('Show it at the gate.');
  const shop = await browser.newPage();
  await shop.goto(`${store.address}/app/${ID}`);
  const row = () =>
    shop
      .getByRole('row')
      .filter({ hasText: /DOCK\.\w+season_pass/ })
      .filter({ hasNotText: 'refunded' });
  const act = async (action: string, words: string, button: string) => {
    const answered = shop.waitForResponse(/\/orders$/);
    await row().getByRole('button', { name: action }).click();
    expect((await answered).status()).toBe(200);
    await expect.poll(() => row().textContent()).toContain(words);
    await page.reload();
    await expect.poll(() => offer('Season pass').getByRole('button').textContent()).toBe(button);
  };
  await act('Renew', 'bought', 'Yours');
  await act('Payment fails', 'grace', 'Yours');
  await act('Expire', 'expired', 'Buy');
}, 120_000);

it('offers nothing where pages are shown by something that cannot sell', async () => {
  const plain = await startHull<Served>(dir, 'serve');
  try {
    const other = await browser.newPage();
    await other.goto(new URL('/tickets.html', plain.document.http.url).href);
    await expect.poll(() => other.getByRole('heading', { name: 'Ticket wallet' }).isVisible()).toBe(true);
    await expect.poll(() => other.evaluate('document.readyState')).toBe('complete');
    expect(await other.getByRole('heading', { name: 'Buy' }).isVisible()).toBe(false);
  } finally {
    await plain.stop();
  }
}, 60_000);

it('is judged as paying through the store, and a module that was edited stays', async () => {
  const ran = await release(dir, ['survey', '--json', '--fail-on', 'never']);
  const { findings } = JSON.parse(ran.out) as { findings: { code: string }[] };
  expect(findings.map(({ code }) => code)).not.toContain('store.payment');
  // The demo has the module as it is made.
  const module = join(dir, 'site/js/shop.js');
  const made = await release(dir, ['catalog', 'module']);
  expect(made.code, made.err).toBe(0);
  expect(readFileSync(module, 'utf8')).toBe(readFileSync(join(dir, 'site/shop.js'), 'utf8'));
  const own = join(dir, 'site/shop.js');
  writeFileSync(own, `${readFileSync(own, 'utf8')}// mine\n`);
  const again = await release(dir, ['catalog', 'module']);
  expect(again.code).toBe(2);
  expect(again.err).toContain('disk.exists');
  expect(readFileSync(own, 'utf8')).toContain('// mine');
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

it('sells in the app too, as hull try runs it', async () => {
  const port = (backend.server.address() as { port: number }).port;
  const steps = join(dir, 'steps.json');
  writeFileSync(
    steps,
    JSON.stringify({
      steps: [
        { start: true, tap: 'Tickets', see: 'Season pass', within: 60_000 },
        { tap: 'Buy: Day ticket', see: 'nobody pays', within: 60_000 },
        { tap: 'Cancel', see: 'Nothing was bought.', within: 60_000 },
        { quiet: true },
      ],
    }),
  );
  const words = ['try', '--store', store.address, '--backend', `http://127.0.0.1:${port}`, '--steps', steps];
  const ran = await hull([...words, '--json'], { cwd: dir });
  expect(ran.code, ran.out + ran.err).toBe(0);
});
