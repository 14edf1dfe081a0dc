import type { FastifyReply, FastifyRequest } from 'fastify';
import { storeLanguages } from '../../core/listing/languages.js';
import { listOf } from '../../core/store/android/api.js';
import { currencyDigits } from '../../core/store/catalog/money.js';
import { BILLING_PERIODS } from '../../core/store/catalog/period.js';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import type { Route } from './android-api.js';
import type { Books } from './books.js';
import type { Account, StoredProduct } from './model.js';
import { Refusal } from './refusal.js';

/** What apps sell: products of the publishing API, judged as the store does. */

const APP = '/androidpublisher/v3/applications/:app';
const PLAN = `${APP}/subscriptions/:id/basePlans/:plan`;
const ID = /^[a-z0-9][a-z0-9_.]{0,146}$/;

/** What one euro is in the money of some regions: made up, and always the same. */
const RATES: Readonly<Record<string, readonly [currency: string, rate: number]>> = {
  DE: ['EUR', 1],
  FR: ['EUR', 1],
  IE: ['EUR', 1],
  NL: ['EUR', 1],
  GB: ['GBP', 0.86],
  US: ['USD', 1.09],
  CA: ['CAD', 1.48],
  DK: ['DKK', 7.46],
  NO: ['NOK', 11.6],
  SE: ['SEK', 11.3],
  PL: ['PLN', 4.3],
  JP: ['JPY', 162],
  IN: ['INR', 91],
};
const MICROS = 1_000_000;
/** Limits of the stand-in: those of the store differ by country. */
const LEAST_EUROS = 0.05;
const MOST_EUROS = 1000;

export interface ProductsOptions {
  readonly books: Books;
  readonly note: (text: string) => void;
  readonly appOf: (request: FastifyRequest, rights: Account['rights']) => string;
}

interface Amount {
  readonly currency: string;
  readonly micros: number;
}

function amountOf(value: unknown): Amount {
  const { currencyCode, units = '0', nanos = 0, currency, priceMicros } = isObject(value) ? value : {};
  return {
    currency: String(currencyCode ?? currency),
    micros: priceMicros === undefined ? Number(units) * MICROS + Number(nanos) / 1000 : Number(priceMicros),
  };
}

/** Refuses what is not a price that buyers could pay. */
function judgePrice(value: unknown, where: string): void {
  const { currency, micros } = amountOf(value);
  const digits = currencyDigits(currency);
  if (digits === undefined)
    throw new Refusal(400, 'invalidPrice', `${where}: ${currency} is not a currency.`);
  if (micros % (MICROS / 10 ** digits) !== 0)
    throw new Refusal(
      400,
      'invalidPrice',
      `${where}: a price in ${currency} has at most ${digits} decimals.`,
    );
  const rate = Object.values(RATES).find(([one]) => one === currency)?.[1] ?? 1;
  const euros = micros / MICROS / rate;
  if (euros < LEAST_EUROS)
    throw new Refusal(400, 'invalidPrice', `${where}: the price is below the minimum, ${LEAST_EUROS} EUR.`);
  if (euros > MOST_EUROS)
    throw new Refusal(400, 'invalidPrice', `${where}: the price is above the maximum, ${MOST_EUROS} EUR.`);
}

function judgeLanguages(languages: readonly string[]): void {
  for (const language of languages) {
    if (!storeLanguages('android').includes(language))
      throw new Refusal(400, 'unsupportedLanguage', `The language ${language} is not supported.`);
  }
}

function judgeOneTime(value: JsonObject): void {
  judgePrice(value.defaultPrice, 'default price');
  for (const [region, price] of Object.entries(isObject(value.prices) ? value.prices : {}))
    judgePrice(price, region);
  const languages = Object.keys(isObject(value.listings) ? value.listings : {});
  judgeLanguages(languages);
  if (!languages.includes(String(value.defaultLanguage)))
    throw new Refusal(
      400,
      'noDefaultLanguage',
      `There is no listing in the default language ${value.defaultLanguage}.`,
    );
}

function judgeSubscription(value: JsonObject): void {
  judgeLanguages(listOf(value.listings).map(({ languageCode }) => String(languageCode)));
  for (const plan of listOf(value.basePlans)) {
    const renewing = isObject(plan.autoRenewingBasePlanType) ? plan.autoRenewingBasePlanType : {};
    if (!(BILLING_PERIODS as readonly unknown[]).includes(renewing.billingPeriodDuration))
      throw new Refusal(
        400,
        'invalidPeriod',
        `A billing period of ${renewing.billingPeriodDuration} is not supported.`,
      );
    for (const { regionCode, price } of listOf(plan.regionalConfigs)) judgePrice(price, String(regionCode));
  }
}

/** Prices of made-up regions for a price in one currency. */
function convert(value: unknown): JsonObject {
  judgePrice(value, 'price');
  const { currency, micros } = amountOf(value);
  const own = Object.values(RATES).find(([one]) => one === currency)?.[1];
  if (own === undefined)
    throw new Refusal(400, 'invalidPrice', `Prices in ${currency} cannot be converted here.`);
  const euros = micros / own;
  const money = (to: string, rate: number) => {
    const step = MICROS / 10 ** (currencyDigits(to) ?? 2);
    const rounded = to === currency ? micros : Math.max(step, Math.round((euros * rate) / step) * step);
    return {
      currencyCode: to,
      units: String(Math.floor(rounded / MICROS)),
      nanos: (rounded % MICROS) * 1000,
    };
  };
  return {
    convertedRegionPrices: Object.fromEntries(
      Object.entries(RATES).map(([regionCode, [to, rate]]) => [
        regionCode,
        { regionCode, price: money(to, rate) },
      ]),
    ),
    convertedOtherRegionsPrice: { usdPrice: money('USD', 1.09), eurPrice: money('EUR', 1) },
  };
}

/** Regions whose prices nobody gave get converted ones. */
function withAllPrices(value: JsonObject): JsonObject {
  const { currency, micros } = amountOf(value.defaultPrice);
  const converted = convert({
    currencyCode: currency,
    units: String(Math.floor(micros / MICROS)),
    nanos: (micros % MICROS) * 1000,
  });
  const all = Object.entries(converted.convertedRegionPrices as Record<string, { price: unknown }>).map(
    ([region, { price }]) => {
      const amount = amountOf(price);
      return [region, { priceMicros: String(amount.micros), currency: amount.currency }];
    },
  );
  return {
    ...value,
    prices: { ...Object.fromEntries(all), ...(isObject(value.prices) ? value.prices : {}) },
  };
}

interface Params {
  readonly app: string;
  readonly id: string;
  readonly plan: string;
  readonly offer: string;
}

/** Adds the routes for products to those of the API. */
export function addProducts(route: Route, { books, note, appOf }: ProductsOptions): void {
  const on = (
    method: 'GET' | 'POST' | 'PUT' | 'PATCH',
    url: string,
    operation: string,
    answer: (app: string, params: Params, body: JsonObject, query: JsonObject) => unknown,
  ) =>
    route(method, url, operation, async (request: FastifyRequest, _reply: FastifyReply) => {
      // Prices are converted for anybody who may look.
      const app = appOf(request, method === 'GET' || url.includes('/pricing/') ? 'look' : 'release');
      return answer(
        app,
        request.params as Params,
        (request.body ?? {}) as JsonObject,
        request.query as JsonObject,
      );
    });
  const find = (app: string, id: string, kind: StoredProduct['kind']): StoredProduct => {
    const product = books.products(app).find((one) => one.id === id);
    if (product?.kind === kind) return product;
    throw new Refusal(404, 'productNotFound', `There is no ${kind} product ${id}.`);
  };
  const create = (app: string, product: StoredProduct): JsonObject => {
    if (!ID.test(product.id))
      throw new Refusal(400, 'invalidProductId', `${product.id} is not a product ID.`);
    if (books.products(app).some(({ id }) => id === product.id))
      throw new Refusal(409, 'productAlreadyExists', `The product ID ${product.id} is used already.`);
    books.keepProduct(app, product);
    note(`${app}: product ${product.id} is created`);
    return product.value;
  };
  const listed = (app: string, kind: StoredProduct['kind']) =>
    books
      .products(app)
      .filter((one) => one.kind === kind)
      .map(({ value }) => value);

  on('GET', `${APP}/inappproducts`, 'inappproducts.list', (app) => ({
    kind: 'androidpublisher#inappproductsListResponse',
    inappproduct: listed(app, 'one-time'),
  }));
  on(
    'GET',
    `${APP}/inappproducts/:id`,
    'inappproducts.get',
    (app, { id }) => find(app, id, 'one-time').value,
  );
  on('POST', `${APP}/inappproducts`, 'inappproducts.insert', (app, _params, body) => {
    judgeOneTime(body);
    return create(app, { id: String(body.sku), kind: 'one-time', value: withAllPrices(body), offers: [] });
  });
  on('PUT', `${APP}/inappproducts/:id`, 'inappproducts.update', (app, { id }, body) => {
    const product = find(app, id, 'one-time');
    if (body.sku !== id) throw new Refusal(400, 'invalidProductId', 'A product ID cannot be changed.');
    judgeOneTime(body);
    const value = withAllPrices(body);
    books.keepProduct(app, { ...product, value });
    note(`${app}: product ${id} is ${body.status}`);
    return value;
  });

  on('GET', `${APP}/subscriptions`, 'subscriptions.list', (app) => ({
    subscriptions: listed(app, 'subscription'),
  }));
  on(
    'GET',
    `${APP}/subscriptions/:id`,
    'subscriptions.get',
    (app, { id }) => find(app, id, 'subscription').value,
  );
  const drafted = (value: JsonObject, before: JsonObject = {}): JsonObject => ({
    ...value,
    basePlans: listOf(value.basePlans).map((plan) => ({
      ...plan,
      state:
        listOf(before.basePlans).find(({ basePlanId }) => basePlanId === plan.basePlanId)?.state ?? 'DRAFT',
    })),
  });
  on('POST', `${APP}/subscriptions`, 'subscriptions.create', (app, _params, body, { productId }) => {
    if (body.productId !== productId)
      throw new Refusal(400, 'invalidProductId', 'The product ID is given twice, and differs.');
    judgeSubscription(body);
    return create(app, { id: String(productId), kind: 'subscription', value: drafted(body), offers: [] });
  });
  on('PATCH', `${APP}/subscriptions/:id`, 'subscriptions.patch', (app, { id }, body) => {
    const product = find(app, id, 'subscription');
    judgeSubscription(body);
    for (const plan of listOf(body.basePlans)) {
      const was = listOf(product.value.basePlans).find(({ basePlanId }) => basePlanId === plan.basePlanId);
      const period = (one: JsonObject | undefined) =>
        isObject(one?.autoRenewingBasePlanType)
          ? one.autoRenewingBasePlanType.billingPeriodDuration
          : undefined;
      if (was && period(was) !== period(plan))
        throw new Refusal(400, 'invalidPeriod', 'The billing period of a base plan cannot be changed.');
    }
    const value = drafted({ ...product.value, ...body }, product.value);
    books.keepProduct(app, { ...product, value });
    note(`${app}: subscription ${id} is changed`);
    return value;
  });
  const setPlan =
    (state: string) =>
    (app: string, { id, plan }: Params) => {
      const product = find(app, id, 'subscription');
      if (!listOf(product.value.basePlans).some(({ basePlanId }) => basePlanId === plan))
        throw new Refusal(404, 'basePlanNotFound', `There is no base plan ${plan}.`);
      const value = {
        ...product.value,
        basePlans: listOf(product.value.basePlans).map((one) =>
          one.basePlanId === plan ? { ...one, state } : one,
        ),
      };
      books.keepProduct(app, { ...product, value });
      note(`${app}: subscription ${id} is ${state.toLowerCase()}`);
      return value;
    };
  on('POST', `${PLAN}/activate`, 'basePlans.activate', setPlan('ACTIVE'));
  on('POST', `${PLAN}/deactivate`, 'basePlans.deactivate', setPlan('INACTIVE'));
  on('GET', `${PLAN}/offers`, 'offers.list', (app, { id, plan }) => ({
    subscriptionOffers: find(app, id, 'subscription').offers.filter(
      (one) => plan === '-' || one.basePlanId === plan,
    ),
  }));
  on('POST', `${PLAN}/offers`, 'offers.create', (app, { id, plan }, body, { offerId }) => {
    const product = find(app, id, 'subscription');
    if (product.offers.some((one) => one.offerId === offerId))
      throw new Refusal(409, 'offerAlreadyExists', `The offer ID ${offerId} is used already.`);
    const offer = { ...body, basePlanId: plan, offerId, state: 'DRAFT' };
    books.keepProduct(app, { ...product, offers: [...product.offers, offer] });
    return offer;
  });
  const changeOffer = (app: string, { id, offer }: Params, change: JsonObject) => {
    const product = find(app, id, 'subscription');
    const own = product.offers.find((one) => one.offerId === offer);
    if (!own) throw new Refusal(404, 'offerNotFound', `There is no offer ${offer}.`);
    const changed = { ...own, ...change };
    books.keepProduct(app, {
      ...product,
      offers: product.offers.map((one) => (one === own ? changed : one)),
    });
    return changed;
  };
  on('PATCH', `${PLAN}/offers/:offer`, 'offers.patch', (app, params, { phases }) =>
    changeOffer(app, params, { phases }),
  );
  on('POST', `${PLAN}/offers/:offer/activate`, 'offers.activate', (app, params) =>
    changeOffer(app, params, { state: 'ACTIVE' }),
  );
  on('POST', `${APP}/pricing/convertRegionPrices`, 'pricing.convert', (_app, _params, { price }) =>
    convert(price),
  );
}
