import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { storeLanguages } from '../../src/core/listing/languages.js';
import { readListing } from '../../src/core/listing/read.js';
import { readServiceAccount, TokenSource } from '../../src/core/store/android/account.js';
import { AndroidCatalog } from '../../src/core/store/android/catalog.js';
import { AndroidStore } from '../../src/core/store/android/store.js';
import { readAmount } from '../../src/core/store/catalog/money.js';
import type { Item } from '../../src/core/store/catalog/read.js';
import { languagesIn, pictureChanges, textChanges } from '../../src/core/store/release/plan.js';
import { openDatabase } from '../../src/drydock/store/database.js';
import { type StandInStore, startStore } from '../../src/drydock/store/store.js';
import { temporaryFolder } from '../support/temporary.js';

const APP = 'example.saltmarsh.ferry';
let store: StandInStore;
const requests: string[] = [];
const notes: string[] = [];

beforeAll(async () => {
  store = await startStore({
    port: 0,
    folder: temporaryFolder(),
    apps: [APP],
    review: undefined,
    onEvent: (text) => notes.push(text),
    onRequest: (method, path) => requests.push(`${method} ${path}`),
  });
});
afterAll(() => store.close());

const clientOf = (account = 0, packageName = APP) =>
  new AndroidStore({
    packageName,
    account: readServiceAccount(store.accounts[account] as string),
    address: store.address,
    access: {},
  });

/** A call as anybody could make it. */
async function call(method: string, path: string, body?: unknown, headers: Record<string, string> = {}) {
  const answer = await fetch(`${store.address}${path}`, {
    method,
    headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const text = await answer.text();
  return { status: answer.status, text, json: text.startsWith('{') ? JSON.parse(text) : undefined };
}

describe('the stand-in store', () => {
  it('knows nobody without a token, and answers in the protocol’s words', async () => {
    const { status, json } = await call('POST', `/androidpublisher/v3/applications/${APP}/edits`, {});
    expect(status).toBe(401);
    expect(json.error).toMatchObject({ code: 401, errors: [{ reason: 'authError' }] });
    expect((await call('POST', `/androidpublisher/v3/applications/${APP}/nothing`, {})).status).toBe(404);
  });

  it('blames no request on itself', async () => {
    const answer = await fetch(`${store.address}/androidpublisher/v3/applications/${APP}/edits`, {
      method: 'POST',
      headers: { 'content-type': 'application/x-ferry' },
      body: 'x',
    });
    expect(answer.status).toBe(415);
    expect(
      (await call('POST', '/v1/betaGroups', undefined, { 'content-type': 'application/x-ferry' })).status,
    ).not.toBe(500);
  });

  it('refuses forged tokens', async () => {
    const form = new URLSearchParams({
      grant_type: 'urn:ietf:params:oauth:grant-type:jwt-bearer',
      assertion: `${Buffer.from('{"alg":"none"}').toString('base64url')}.${Buffer.from('{"iss":"harbour-master@drydock.example"}').toString('base64url')}.`,
    });
    const answer = await fetch(`${store.address}/token`, { method: 'POST', body: form });
    expect(answer.status).toBe(400);
    expect(await answer.json()).toMatchObject({ error: 'invalid_grant' });
  });

  it('lets only its own page change anything but the API', async () => {
    const review = { app: APP, track: 'internal', builds: '1', decision: 'approve' };
    expect((await call('POST', '/review', review)).status).toBe(401);
    expect((await call('POST', '/review', review, { authorization: `Bearer ${store.token}` })).status).toBe(
      409,
    );
    expect((await call('GET', '/', undefined, { 'sec-fetch-site': 'cross-site' })).status).toBe(403);
    expect(
      (await call('POST', '/apps', { id: '1.2' }, { authorization: `Bearer ${store.token}` })).status,
    ).toBe(400);
  });

  it('ends an edit when somebody else commits one', async () => {
    const change = clientOf().change(async (edit) => {
      await edit.setContact({ defaultLanguage: 'en-US', email: 'one@ferry.saltmarsh.example' });
      // Nobody else may do that in this account’s name; another edit of it ends the first.
      await clientOf().change((other) =>
        other.setContact({ defaultLanguage: 'en-US', email: 'two@ferry.saltmarsh.example' }),
      );
      await edit.setContact({ defaultLanguage: 'en-US', phone: '+44 20 7946 0000' });
    });
    await expect(change).rejects.toMatchObject({ code: 'store.refused' });
    const state = await clientOf().look((edit) => edit.state());
    expect(state.contact.email).toBe('two@ferry.saltmarsh.example');
  });

  it('refuses texts that are too long, and languages that it does not have', async () => {
    const set = (language: string, title: string) =>
      clientOf().change((edit) => edit.setListing(language, new Map([['name', title]])));
    await expect(set('en-US', 'x'.repeat(31))).rejects.toThrow(/must NOT have more than 30 characters/);
    await expect(set('xx-XX', 'Ferry')).rejects.toThrow(/not supported/);
  });

  it('refuses an app of another developer, and one that it does not have', async () => {
    await expect(clientOf(2).look((edit) => edit.state())).rejects.toThrow(/may not do this/);
    await expect(clientOf(0, 'example.other').look((edit) => edit.state())).rejects.toThrow(
      /has no app example.other/,
    );
  });

  it('keeps what was set in the console, and nobody here names', async () => {
    const account = readServiceAccount(store.accounts[0] as string);
    const authorization = `Bearer ${await new TokenSource(account, {}).token()}`;
    const api = (method: string, path: string, body?: unknown) =>
      call(method, `/androidpublisher/v3/applications/${APP}${path}`, body, { authorization });
    const item = (price: string, title: string): Item => ({
      id: 'season_pass',
      kind: 'subscription',
      texts: new Map([['en', { title, description: undefined, benefits: [] }]]),
      price: readAmount(price, 'EUR'),
      prices: new Map(),
      period: 'P1M',
      ...{ trial: undefined, introduction: undefined, grace: undefined },
      active: true,
    });
    const catalog = new AndroidCatalog(
      { packageName: APP, account, address: store.address, access: {} },
      'EUR',
      'en-US',
    );
    await catalog.create(item('29.00', 'Pass'));
    const { json: made } = await api('GET', '/subscriptions/season_pass');
    const [plan] = made.basePlans;
    const yearly = { basePlanId: 'yearly', autoRenewingBasePlanType: { billingPeriodDuration: 'P1Y' } };
    const listings = [...made.listings, { languageCode: 'de-DE', title: 'Saisonkarte' }];
    const regions = plan.regionalConfigs.map((one: { regionCode: string }) =>
      one.regionCode === 'GB'
        ? { ...one, price: { currencyCode: 'GBP', units: '21', nanos: 0 }, newSubscriberAvailability: false }
        : one,
    );
    const held = { ...plan.autoRenewingBasePlanType, accountHoldDuration: 'P30D' };
    const changed = await api('PATCH', '/subscriptions/season_pass', {
      ...made,
      listings,
      basePlans: [{ ...plan, regionalConfigs: regions, autoRenewingBasePlanType: held }, yearly],
    });
    expect(changed.status, changed.text).toBe(200);
    const [before] = await catalog.items();
    await catalog.update(item('29.00', 'Season pass'), before as Item);
    const { json: after } = await api('GET', '/subscriptions/season_pass');
    expect(after.listings).toEqual([
      { languageCode: 'de-DE', title: 'Saisonkarte' },
      { languageCode: 'en-US', title: 'Season pass' },
    ]);
    expect(after.basePlans.map(({ basePlanId }: { basePlanId: string }) => basePlanId)).toEqual([
      'yearly',
      'main',
    ]);
    const own = after.basePlans[1];
    expect(own.autoRenewingBasePlanType).toMatchObject({ accountHoldDuration: 'P30D' });
    const gb = own.regionalConfigs.find(({ regionCode }: { regionCode: string }) => regionCode === 'GB');
    // The base price is the same: what the store has in other currencies is not converted again.
    expect(gb).toMatchObject({ newSubscriberAvailability: false, price: { units: '21' } });
  });

  it('needs few requests where nothing has changed: 30 languages, 200 pictures', async () => {
    const folder = temporaryFolder();
    const languages = storeLanguages('android')
      .filter((one) => one.length < 6)
      .slice(0, 30);
    const picture = async (width: number, height: number) =>
      sharp({ create: { width, height, channels: 3, background: '#0b4f6c' } })
        .png()
        .toBuffer();
    const [shot, icon] = [await picture(320, 640), await picture(512, 512)];
    for (const language of languages) {
      const text = `---\nname: Ferry ${language}\nsummary: Sailings\n---\n\n# Description\n\nEvery sailing.\n`;
      writeFileSync(join(folder, `${language}.md`), text);
      const files = ['phone/1', 'phone/2', 'phone/3', 'tablet-7/1', 'tablet-10/1', 'tablet-10/2'];
      for (const name of ['icon', ...files]) {
        const file = join(folder, 'pictures', language, `${name}.png`);
        mkdirSync(dirname(file), { recursive: true });
        writeFileSync(file, name === 'icon' ? icon : shot);
      }
    }
    const listing = readListing(folder);
    expect(languagesIn(listing, 'android').size).toBe(30);
    const plan = async (client: AndroidStore) =>
      client.look(async (edit) => {
        const state = await edit.state();
        return [
          ...textChanges(listing, state, 'android'),
          ...(await pictureChanges(listing, edit, state, client)),
        ];
      });
    await clientOf().change(async (edit) => {
      const state = await edit.state();
      for (const change of textChanges(listing, state, 'android')) await change.make(edit);
      for (const change of await pictureChanges(listing, edit, await edit.state(), clientOf()))
        await change.make(edit);
    });
    requests.length = 0;
    expect(await plan(clientOf())).toEqual([]);
    const sent = requests.filter((one) => !/^GET .*\/listings\/[^/]+\/[^/]+$/.test(one));
    expect(sent.length, sent.join('\n')).toBeLessThan(20);
    expect(sent.some((one) => one.includes('/upload/'))).toBe(false);
    expect(notes.filter((text) => text.includes('not as described'))).toEqual([]);
  }, 120_000);
});

describe('its database', () => {
  it('keeps what was written, and nothing of what failed', async () => {
    const file = join(temporaryFolder(), 'store.sqlite');
    const first = await openDatabase(file);
    first.run('CREATE TABLE ships (name TEXT PRIMARY KEY, decks INTEGER)');
    first.run('INSERT INTO ships VALUES (?, ?)', 'Heron', 2);
    expect(() =>
      first.transaction(() => {
        first.run('INSERT INTO ships VALUES (?, ?)', 'Tern', 1);
        first.run('INSERT INTO ships VALUES (?, ?)', 'Heron', 3);
      }),
    ).toThrow();
    first.close();
    const again = await openDatabase(file);
    expect(again.all('SELECT * FROM ships')).toEqual([{ name: 'Heron', decks: 2 }]);
    again.close();
  });
});
