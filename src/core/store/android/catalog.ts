import { storeLanguage } from '../../listing/languages.js';
import type { JsonObject } from '../../util/json-object.js';
import { isObject } from '../../util/json-object.js';
import { type Money, sameMoney } from '../catalog/money.js';
import type { Item, ItemTexts } from '../catalog/read.js';
import { jsonOf } from '../http.js';
import type { CatalogStore } from '../types.js';
import { type AndroidStoreOptions, Api, listOf, textOf } from './api.js';

/**
 * Products in the Android store's publishing API: `inappproducts` for what is bought once, `subscriptions` with one base plan and one
 * offer for the rest.
 */

/** Version of the store's list of regions and currencies that prices are given for. */
const REGIONS = 'regionsVersion.version=2022%2F02';
/** A subscription that is made here has one plan, and one offer for trial and introduction. */
const PLAN = 'main';
const OFFER = 'welcome';

const CONVERT = '/pricing:convertRegionPrices';

const NANOS_PER_MICRO = 1000n;
const MICROS = 1_000_000n;

/** Money as newer methods have it: whole units and billionths. */
const written = ({ currency, micros }: Money): JsonObject => ({
  currencyCode: currency,
  units: String(micros / MICROS),
  nanos: Number((micros % MICROS) * NANOS_PER_MICRO),
});

function moneyOf(value: unknown): Money | undefined {
  if (!isObject(value)) return undefined;
  const { currencyCode, units = '0', nanos = 0, priceMicros, currency } = value;
  if (typeof priceMicros === 'string' && typeof currency === 'string')
    return { currency, micros: BigInt(priceMicros) };
  if (typeof currencyCode !== 'string') return undefined;
  return {
    currency: currencyCode,
    micros: BigInt(String(units)) * MICROS + BigInt(Number(nanos)) / NANOS_PER_MICRO,
  };
}

const oldMoney = ({ currency, micros }: Money): JsonObject => ({ priceMicros: String(micros), currency });

/** Texts in the store's languages. */
function storeTexts(item: Item): [string, ItemTexts][] {
  return [...item.texts].flatMap(([tag, texts]): [string, ItemTexts][] => {
    const language = storeLanguage('android', tag);
    return language === undefined ? [] : [[language, texts]];
  });
}

function oneTimeOf(value: JsonObject): Item {
  const listings = isObject(value.listings) ? value.listings : {};
  const prices = isObject(value.prices) ? value.prices : {};
  return {
    id: textOf(value.sku) ?? '',
    kind: 'one-time',
    texts: new Map(
      Object.entries(listings).flatMap(([language, texts]): [string, ItemTexts][] =>
        isObject(texts)
          ? [
              [
                language,
                { title: textOf(texts.title) ?? '', description: textOf(texts.description), benefits: [] },
              ],
            ]
          : [],
      ),
    ),
    price: moneyOf(value.defaultPrice),
    prices: pricesOf(Object.entries(prices)),
    ...{ period: undefined, trial: undefined, introduction: undefined, grace: undefined },
    active: value.status === 'active',
  };
}

function pricesOf(entries: readonly (readonly [string, unknown])[]): Map<string, Money> {
  return new Map(
    entries.flatMap(([region, value]): [string, Money][] => {
      const money = moneyOf(value);
      return money ? [[region, money]] : [];
    }),
  );
}

/** The prices of a plan or phase by region. */
const regionalPrices = (configs: unknown): Map<string, Money> =>
  pricesOf(listOf(configs).map(({ regionCode, price }) => [textOf(regionCode) ?? '', price] as const));

function subscriptionOf(value: JsonObject, offers: readonly JsonObject[], currency: string): Item {
  const plan = listOf(value.basePlans).find(({ basePlanId }) => basePlanId === PLAN) ?? {};
  const renewing = isObject(plan.autoRenewingBasePlanType) ? plan.autoRenewingBasePlanType : {};
  const prices = regionalPrices(plan.regionalConfigs);
  const offer = offers.find(({ offerId }) => offerId === OFFER);
  const phases = listOf(offer?.phases);
  const free = phases.find(({ regionalConfigs }) =>
    listOf(regionalConfigs).some((one) => isObject(one.free)),
  );
  const paid = phases.find((phase) => phase !== free);
  const inBase = (all: ReadonlyMap<string, Money>) =>
    [...all.values()].find((money) => money.currency === currency);
  const introduced = paid && inBase(regionalPrices(paid.regionalConfigs));
  return {
    id: textOf(value.productId) ?? '',
    kind: 'subscription',
    texts: new Map(
      listOf(value.listings).map(({ languageCode, title, description, benefits }) => [
        textOf(languageCode) ?? '',
        {
          title: textOf(title) ?? '',
          description: textOf(description),
          benefits: Array.isArray(benefits) ? benefits.map(String) : [],
        },
      ]),
    ),
    price: inBase(prices),
    prices,
    period: textOf(renewing.billingPeriodDuration),
    trial: textOf(free?.duration),
    introduction: paid && { price: introduced, periods: Number(paid.recurrenceCount ?? 1) },
    grace: textOf(renewing.gracePeriodDuration),
    active: plan.state === 'ACTIVE',
  };
}

/** Members of two lists by a key: those of the first alone stay, and each is the older one with what the newer one says. */
function merged(before: readonly JsonObject[], after: readonly JsonObject[], key: string): JsonObject[] {
  const find = (all: readonly JsonObject[], value: unknown) => all.find((one) => one[key] === value);
  return [
    ...before.filter((one) => !find(after, one[key])),
    ...after.map((one) => ({ ...find(before, one[key]), ...one })),
  ];
}

/** A subscription as the store has it, with what the catalog says: other plans, other languages and their settings stay. */
function mergedSubscription(there: JsonObject, own: JsonObject): JsonObject {
  const plans = listOf(there.basePlans);
  const before = plans.find(({ basePlanId }) => basePlanId === PLAN);
  const kept = (value: unknown) => (isObject(value) ? value : {});
  const regions = listOf(before?.regionalConfigs);
  const changed = listOf(own.basePlans).map((plan) => ({
    ...plan,
    autoRenewingBasePlanType: {
      ...kept(before?.autoRenewingBasePlanType),
      ...kept(plan.autoRenewingBasePlanType),
    },
    // Where it is offered is decided in the console, once it is there.
    regionalConfigs: merged(regions, listOf(plan.regionalConfigs), 'regionCode').map((one) => ({
      ...one,
      ...pick(
        regions.find(({ regionCode }) => regionCode === one.regionCode),
        'newSubscriberAvailability',
      ),
    })),
  }));
  return {
    ...own,
    listings: merged(listOf(there.listings), listOf(own.listings), 'languageCode'),
    basePlans: merged(plans, changed, 'basePlanId'),
  };
}

const pick = (value: JsonObject | undefined, key: string): JsonObject =>
  value !== undefined && key in value ? { [key]: value[key] } : {};

/** Products of one app. */
export class AndroidCatalog implements CatalogStore {
  readonly #api: Api;
  readonly #currency: string;
  readonly #language: string;

  /** @param currency of the catalog @param language of the app, as the store writes it */
  constructor(options: AndroidStoreOptions, currency: string, language: string) {
    this.#api = new Api(options);
    this.#currency = currency;
    this.#language = language;
  }

  async items(): Promise<Item[]> {
    const [oneTime, subscriptions] = await Promise.all([
      this.#pages('/inappproducts', 'inappproduct'),
      this.#pages('/subscriptions', 'subscriptions'),
    ]);
    const offers = await Promise.all(
      subscriptions.map(({ productId }) =>
        this.#api.call('GET', `/subscriptions/${encodeURIComponent(String(productId))}/basePlans/-/offers`),
      ),
    );
    return [
      // Subscriptions of older kinds are in this list too.
      ...oneTime.filter(({ purchaseType }) => purchaseType !== 'subscription').map(oneTimeOf),
      ...subscriptions.map((one, index) =>
        subscriptionOf(one, listOf(offers[index]?.subscriptionOffers), this.#currency),
      ),
    ];
  }

  async #pages(path: string, member: string): Promise<JsonObject[]> {
    const found: JsonObject[] = [];
    let token: string | undefined;
    do {
      const query: string = token === undefined ? '' : `?pageToken=${encodeURIComponent(token)}`;
      const answer = await this.#api.call('GET', path + query);
      found.push(...listOf(answer[member]));
      const older = isObject(answer.tokenPagination) ? answer.tokenPagination.nextPageToken : undefined;
      token = textOf(answer.nextPageToken ?? older);
    } while (token !== undefined && token !== '');
    return found;
  }

  async create(item: Item): Promise<void> {
    if (item.kind === 'one-time') {
      await this.#api.call('POST', '/inappproducts?autoConvertMissingPrices=true', {
        json: this.#oneTime(item, false),
      });
      return;
    }
    const id = encodeURIComponent(item.id);
    await this.#api.call('POST', `/subscriptions?productId=${id}&${REGIONS}`, {
      json: await this.#subscription(item),
    });
    if (item.trial !== undefined || item.introduction) await this.#makeOffer(item);
  }

  async update(item: Item, before: Item): Promise<void> {
    const id = encodeURIComponent(item.id);
    const hasNewPrice = !sameMoney(item.price, before.price);
    if (item.kind === 'one-time') {
      await this.#putOneTime(item, before.active, hasNewPrice);
      return;
    }
    const there = await this.#api.call('GET', `/subscriptions/${id}`);
    await this.#api.call('PATCH', `/subscriptions/${id}?updateMask=listings,basePlans&${REGIONS}`, {
      json: mergedSubscription(
        there,
        await this.#subscription(item, hasNewPrice ? undefined : before.prices),
      ),
    });
    if (item.trial === undefined && !item.introduction) return;
    if (before.trial === undefined && !before.introduction) await this.#makeOffer(item);
    else {
      await this.#api.call('PATCH', `${this.#plan(item)}/offers/${OFFER}?updateMask=phases&${REGIONS}`, {
        json: await this.#offer(item),
      });
    }
  }

  /** What the catalog does not name stays as it is: texts in other languages, taxes, prices that the store has converted. */
  async #putOneTime(item: Item, active: boolean, hasNewPrice: boolean): Promise<void> {
    const path = `/inappproducts/${encodeURIComponent(item.id)}`;
    const there = await this.#api.call('GET', path);
    const own = this.#oneTime(item, active);
    const kept = (value: unknown) => (isObject(value) ? value : {});
    await this.#api.call('PUT', `${path}?autoConvertMissingPrices=true`, {
      json: {
        ...there,
        ...own,
        listings: { ...kept(there.listings), ...kept(own.listings) },
        prices: { ...(hasNewPrice ? {} : kept(there.prices)), ...kept(own.prices) },
      },
    });
  }

  async setActive(item: Item, active: boolean): Promise<void> {
    if (item.kind === 'one-time') {
      await this.#putOneTime(item, active, false);
      return;
    }
    await this.#api.call('POST', `${this.#plan(item)}:${active ? 'activate' : 'deactivate'}`, { json: {} });
    if (active && (item.trial !== undefined || item.introduction))
      await this.#api.call('POST', `${this.#plan(item)}/offers/${OFFER}:activate`, { json: {} });
  }

  #plan({ id }: Item): string {
    return `/subscriptions/${encodeURIComponent(id)}/basePlans/${PLAN}`;
  }

  #oneTime(item: Item, active: boolean): JsonObject {
    const texts = storeTexts(item).map(([language, { title, description = '' }]) => [
      language,
      { title, description },
    ]);
    return {
      packageName: this.#api.options.packageName,
      sku: item.id,
      status: active ? 'active' : 'inactive',
      purchaseType: 'managedUser',
      defaultLanguage: this.#language,
      ...(item.price ? { defaultPrice: oldMoney(item.price) } : {}),
      prices: Object.fromEntries([...item.prices].map(([region, money]) => [region, oldMoney(money)])),
      listings: Object.fromEntries(texts),
    };
  }

  /** The store converts only prices that are within its limits. */
  async priceFault(price: Money): Promise<string | undefined> {
    const url = this.#api.url(CONVERT);
    const answer = await this.#api.answer({ method: 'POST', url, body: { json: { price: written(price) } } });
    if (answer.status < 400 || answer.status === 403) return undefined;
    if (answer.status !== 400) throw this.#api.refusal(answer, url);
    const body = jsonOf(answer, url);
    const error = isObject(body) && isObject(body.error) ? body.error : {};
    return textOf(error.message) ?? 'the store refuses it';
  }

  /** Prices for every region that the store has: its own where the catalog names one, else converted by the store. */
  async #everywhere(
    price: Money,
    own: ReadonlyMap<string, Money>,
  ): Promise<{ readonly regions: Map<string, Money>; readonly others: JsonObject }> {
    const answer = await this.#api.call('POST', CONVERT, {
      json: { price: written(price) },
    });
    const converted = isObject(answer.convertedRegionPrices) ? answer.convertedRegionPrices : {};
    const regions = pricesOf(
      Object.entries(converted).map(
        ([region, value]) => [region, isObject(value) ? value.price : undefined] as const,
      ),
    );
    for (const [region, money] of own) regions.set(region, money);
    const others = isObject(answer.convertedOtherRegionsPrice) ? answer.convertedOtherRegionsPrice : {};
    return { regions, others };
  }

  /** @param prices that the store has, where the base price is still the same; else they are converted */
  async #subscription(item: Item, prices?: ReadonlyMap<string, Money>): Promise<JsonObject> {
    const { regions, others } = prices
      ? { regions: new Map([...prices, ...item.prices]), others: undefined }
      : await this.#everywhere(item.price as Money, item.prices);
    return {
      packageName: this.#api.options.packageName,
      productId: item.id,
      listings: storeTexts(item).map(([languageCode, { title, description, benefits }]) => ({
        languageCode,
        title,
        ...(description === undefined ? {} : { description }),
        ...(benefits.length === 0 ? {} : { benefits }),
      })),
      basePlans: [
        {
          basePlanId: PLAN,
          autoRenewingBasePlanType: {
            billingPeriodDuration: item.period,
            ...(item.grace === undefined ? {} : { gracePeriodDuration: item.grace }),
          },
          regionalConfigs: [...regions].map(([regionCode, price]) => ({
            regionCode,
            newSubscriberAvailability: true,
            price: written(price),
          })),
          ...(others ? { otherRegionsConfig: { ...others, newSubscriberAvailability: true } } : {}),
        },
      ],
    };
  }

  async #makeOffer(item: Item): Promise<void> {
    await this.#api.call('POST', `${this.#plan(item)}/offers?offerId=${OFFER}&${REGIONS}`, {
      json: await this.#offer(item),
    });
  }

  async #offer(item: Item): Promise<JsonObject> {
    const { introduction, trial, period } = item;
    const { regions } = await this.#everywhere(introduction?.price ?? (item.price as Money), new Map());
    const codes = [...regions.keys()];
    const phases: JsonObject[] = [];
    if (trial !== undefined) {
      phases.push({
        recurrenceCount: 1,
        duration: trial,
        regionalConfigs: codes.map((regionCode) => ({ regionCode, free: {} })),
        otherRegionsConfig: { free: {} },
      });
    }
    if (introduction) {
      phases.push({
        recurrenceCount: introduction.periods,
        duration: period,
        regionalConfigs: [...regions].map(([regionCode, price]) => ({ regionCode, price: written(price) })),
      });
    }
    return {
      packageName: this.#api.options.packageName,
      productId: item.id,
      basePlanId: PLAN,
      offerId: OFFER,
      phases,
      regionalConfigs: codes.map((regionCode) => ({ regionCode, newSubscriberAvailability: true })),
    };
  }
}
