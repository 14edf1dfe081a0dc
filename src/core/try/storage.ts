import type { BrowserContext, Page } from 'playwright-core';
import { isObject } from '../util/json-object.js';

/** Something that pages have stored on the device. */
export interface StoredItem {
  readonly kind: 'localStorage' | 'sessionStorage' | 'IndexedDB' | 'cache' | 'cookie' | 'worker';
  readonly name: string;
  /** Its beginning, or how much is in it. */
  readonly value: string;
}

const MOST = 200;
const LONGEST = 120;

/** Runs in the page: what its origin has stored. */
const READ = `(async () => {
  const items = [];
  const add = (kind, name, value) => items.length < ${MOST} && items.push({ kind, name: String(name), value: String(value).slice(0, ${LONGEST}) });
  const take = async (work) => { try { await work(); } catch {} };
  for (const kind of ['localStorage', 'sessionStorage'])
    await take(() => { const store = window[kind]; for (let i = 0; i < store.length; i++) add(kind, store.key(i), store.getItem(store.key(i))); });
  await take(async () => { for (const { name, version } of await indexedDB.databases()) add('IndexedDB', name, 'version ' + version); });
  await take(async () => {
    for (const name of await caches.keys()) { const all = await (await caches.open(name)).keys(); add('cache', name, all.length + (all.length === 1 ? ' answer' : ' answers')); }
  });
  await take(async () => {
    for (const one of await navigator.serviceWorker.getRegistrations()) add('worker', new URL(one.scope).pathname, (one.active || one.waiting || one.installing || {}).state || '');
  });
  return items;
})()`;

/** What the pages of an origin have stored; sorted by kind. Empty where the page does not answer. */
export async function storedBy(context: BrowserContext, page: Page): Promise<StoredItem[]> {
  const found: unknown = await page.evaluate(READ).catch(() => []);
  const items = (Array.isArray(found) ? found : []).filter(isObject) as unknown as StoredItem[];
  const cookies = await context.cookies(page.url()).catch(() => []);
  return [
    ...items,
    ...cookies
      .slice(0, MOST)
      .map(({ name, value }): StoredItem => ({ kind: 'cookie', name, value: value.slice(0, LONGEST) })),
  ];
}
