import type { FastifyInstance } from 'fastify';
import { listOf } from '../../core/store/android/api.js';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import type { Route } from './android-api.js';
import type { Books } from './books.js';
import type { Account, StoredProduct } from './model.js';
import { isOnSale, type Orders, periodOf, productPurchase, subscriptionPurchase } from './orders.js';
import { Refusal } from './refusal.js';

/** What a buyer's device asks of the stand-in, and what an app's server asks about purchases. */

const APP = '/androidpublisher/v3/applications/:app';

interface Money {
  readonly currency: string;
  readonly value: string;
}

function moneyOf(value: unknown): Money {
  const { currencyCode, units = '0', nanos = 0, currency, priceMicros } = isObject(value) ? value : {};
  const amount = priceMicros === undefined ? Number(units) + Number(nanos) / 1e9 : Number(priceMicros) / 1e6;
  return { currency: String(currencyCode ?? currency), value: amount.toFixed(2) };
}

/** Where the buyer is: the first region of the euro that prices are made for. */
const REGION = 'DE';

/** Details of a product as a page reads them (Digital Goods API, `ItemDetails`). */
export function itemDetails({ id, kind, value, offers }: StoredProduct, language: string): JsonObject {
  if (kind === 'one-time') {
    const listings = isObject(value.listings) ? value.listings : {};
    const texts = [
      listings[language],
      listings[String(value.defaultLanguage)],
      ...Object.values(listings),
    ].find(isObject);
    const prices = isObject(value.prices) ? value.prices : {};
    return {
      itemId: id,
      title: texts?.title ?? id,
      description: texts?.description ?? '',
      price: moneyOf(prices[REGION] ?? value.defaultPrice),
      type: 'product',
    };
  }
  const listings = listOf(value.listings);
  const texts = listings.find(({ languageCode }) => languageCode === language) ?? listings[0] ?? {};
  const [plan] = listOf(value.basePlans);
  const priceIn = (configs: unknown) => listOf(configs).find(({ regionCode }) => regionCode === REGION);
  const [offer] = offers.filter(({ state }) => state === 'ACTIVE');
  const phases = listOf(offer?.phases);
  const free = phases.find(({ regionalConfigs }) => isObject(priceIn(regionalConfigs)?.free));
  const paid = phases.find((phase) => phase !== free);
  return {
    itemId: id,
    title: texts.title ?? id,
    description: texts.description ?? '',
    price: moneyOf(priceIn(plan?.regionalConfigs)?.price),
    type: 'subscription',
    subscriptionPeriod: periodOf({ id, kind, value, offers }),
    ...(free ? { freeTrialPeriod: free.duration } : {}),
    ...(paid
      ? {
          introductoryPrice: moneyOf(priceIn(paid.regionalConfigs)?.price),
          introductoryPricePeriod: paid.duration,
          introductoryPriceCycles: paid.recurrenceCount,
        }
      : {}),
  };
}

/** Adds what devices ask: they have no account of the publishing API. */
export function addShop(
  server: FastifyInstance,
  { books, orders }: { readonly books: Books; readonly orders: Orders },
): void {
  const checkApp = (app: string) => {
    if (!books.app(app))
      throw new Refusal(404, 'applicationNotFound', `No application was found for ${app}.`);
  };
  server.get<{ Params: { app: string }; Querystring: { ids?: string; language?: string } }>(
    '/shop/:app/items',
    async ({ params: { app }, query }) => {
      checkApp(app);
      const wanted = (query.ids ?? '').split(',').filter((id) => id !== '');
      return books
        .products(app)
        .filter((one) => isOnSale(one) && (wanted.length === 0 || wanted.includes(one.id)))
        .map((one) => itemDetails(one, query.language ?? ''));
    },
  );
  server.get<{ Params: { app: string } }>('/shop/:app/purchases', async ({ params: { app } }) => {
    checkApp(app);
    return orders.owned(app).map(({ product, token }) => ({ itemId: product, purchaseToken: token }));
  });
  server.post<{ Params: { app: string }; Body: { id?: string; outcome?: string } }>(
    '/shop/:app/buy',
    async ({ params: { app }, body }) => {
      checkApp(app);
      const product = books.products(app).find(({ id }) => id === body.id);
      if (!product) throw new Refusal(404, 'productNotFound', `There is no product ${body.id}.`);
      const { token, state } = orders.buy(app, product, body.outcome === 'pending' ? 'pending' : 'bought');
      return { token, state };
    },
  );
  server.post<{ Params: { app: string }; Body: { token?: string } }>(
    '/shop/:app/consume',
    async ({ params: { app }, body }) => {
      checkApp(app);
      orders.consume(app, body.token ?? '');
      return {};
    },
  );
}

interface PurchaseParams {
  readonly app: string;
  readonly product: string;
  readonly token: string;
}

/** Adds what an app's server asks, with an account. */
export function addPurchases(
  route: Route,
  {
    orders,
    appOf,
  }: { readonly orders: Orders; readonly appOf: (request: never, rights: Account['rights']) => string },
): void {
  const on = (
    method: 'GET' | 'POST',
    url: string,
    operation: string,
    answer: (app: string, params: PurchaseParams) => unknown,
  ) =>
    route(method, `${APP}/purchases${url}`, operation, async (request, reply) => {
      const app = appOf(request as never, 'look');
      const body = answer(app, request.params as unknown as PurchaseParams);
      return body === undefined ? reply.code(204).send() : body;
    });
  const find = (app: string, { token, product }: PurchaseParams, kind: StoredProduct['kind']) => {
    const order = orders.find(app, token);
    if (order.kind === kind && (product === undefined || order.product === product)) return order;
    throw new Refusal(404, 'purchaseTokenNotFound', 'The purchase token does not belong to this product.');
  };
  on('GET', '/products/:product/tokens/:token', 'purchases.products.get', (app, params) =>
    productPurchase(find(app, params, 'one-time')),
  );
  on(
    'POST',
    '/products/:product/tokens/:token/acknowledge',
    'purchases.products.acknowledge',
    (app, params) => {
      orders.acknowledge(app, find(app, params, 'one-time').token);
    },
  );
  on('POST', '/products/:product/tokens/:token/consume', 'purchases.products.consume', (app, params) => {
    orders.consume(app, find(app, params, 'one-time').token);
  });
  on('GET', '/subscriptionsv2/tokens/:token', 'purchases.subscriptionsv2.get', (app, params) =>
    subscriptionPurchase(find(app, params, 'subscription')),
  );
  on(
    'POST',
    '/subscriptions/:product/tokens/:token/acknowledge',
    'purchases.subscriptions.acknowledge',
    (app, params) => {
      orders.acknowledge(app, find(app, params, 'subscription').token);
    },
  );
}
