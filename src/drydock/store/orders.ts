import { randomBytes } from 'node:crypto';
import { listOf } from '../../core/store/android/api.js';
import { daysOf, readPeriod } from '../../core/store/catalog/period.js';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import type { Books } from './books.js';
import type { StoredProduct } from './model.js';
import { Refusal } from './refusal.js';

/** What buyers of an app have bought at the stand-in. */
export interface Order {
  readonly token: string;
  readonly app: string;
  readonly product: string;
  readonly kind: StoredProduct['kind'];
  readonly orderId: string;
  readonly state: 'bought' | 'pending' | 'cancelled' | 'refunded' | 'grace' | 'expired';
  readonly acknowledged: boolean;
  readonly consumed: boolean;
  /** ms since 1970. */
  readonly at: number;
  /** When a subscription has to be paid again; `null` for what is bought once. */
  readonly expires: number | null;
}

/** What happens to an order without its buyer: by time, or by hand on the page. */
export const ORDER_ACTIONS = ['complete', 'refund', 'renew', 'fail', 'expire', 'cancel'] as const;
export type OrderAction = (typeof ORDER_ACTIONS)[number];

/** Not acknowledged within three days: refunded (publishing API). */
export const ACKNOWLEDGE_WITHIN = 3 * 86_400_000;
const DAY = 86_400_000;

/** Numbers of notifications (the store's "Real-time developer notifications"). */
const ONE_TIME = { bought: 1, cancelled: 2 } as const;
const SUBSCRIPTION = { renewed: 2, cancelled: 3, bought: 4, grace: 6, refunded: 12, expired: 13 } as const;

export interface OrdersOptions {
  readonly books: Books;
  readonly now: () => number;
  readonly note: (text: string) => void;
  /** Told of each change, in the form of a notification. */
  readonly notify: (app: string, notification: JsonObject) => void;
}

export function periodOf({ value }: StoredProduct): string {
  const [plan] = listOf(value.basePlans);
  const renewing = isObject(plan?.autoRenewingBasePlanType) ? plan.autoRenewingBasePlanType : {};
  return String(renewing.billingPeriodDuration ?? 'P1M');
}

export function isOnSale({ kind, value }: StoredProduct): boolean {
  if (kind === 'one-time') return value.status === 'active';
  return listOf(value.basePlans).some(({ state }) => state === 'ACTIVE');
}

export class Orders {
  readonly #options: OrdersOptions;

  constructor(options: OrdersOptions) {
    this.#options = options;
  }

  all(app: string): Order[] {
    return this.#options.books.orders(app);
  }

  find(app: string, token: string): Order {
    const order = this.all(app).find((one) => one.token === token);
    if (order) return this.#settled(order);
    throw new Refusal(404, 'purchaseTokenNotFound', 'The purchase token was not found.');
  }

  /** What a buyer has: what is not acknowledged in time has been refunded. */
  owned(app: string): Order[] {
    return this.all(app)
      .map((order) => this.#settled(order))
      .filter(({ state, consumed }) => (state === 'bought' || state === 'grace') && !consumed);
  }

  buy(app: string, product: StoredProduct, outcome: 'bought' | 'pending'): Order {
    if (!isOnSale(product)) throw new Refusal(400, 'itemUnavailable', `${product.id} cannot be bought.`);
    if (this.owned(app).some((one) => one.product === product.id))
      throw new Refusal(409, 'itemAlreadyOwned', `${product.id} is owned already.`);
    const now = this.#options.now();
    const order: Order = {
      token: randomBytes(20).toString('base64url'),
      app,
      product: product.id,
      kind: product.kind,
      orderId: `DOCK.${randomBytes(6).toString('hex').toUpperCase()}`,
      state: outcome,
      acknowledged: false,
      consumed: false,
      at: now,
      expires: product.kind === 'subscription' ? now + this.#length(product) : null,
    };
    this.#keep(order, outcome);
    return order;
  }

  acknowledge(app: string, token: string): void {
    const order = this.find(app, token);
    if (order.state === 'pending')
      throw new Refusal(400, 'purchasePending', 'A pending purchase cannot be acknowledged.');
    this.#keep({ ...order, acknowledged: true }, undefined);
  }

  consume(app: string, token: string): void {
    const order = this.find(app, token);
    if (order.kind !== 'one-time' || order.state !== 'bought')
      throw new Refusal(400, 'invalidPurchaseState', 'Only what was bought once can be consumed.');
    this.#keep({ ...order, acknowledged: true, consumed: true }, undefined);
  }

  /** Throws {@link Refusal} where it does not fit the order. */
  act(app: string, token: string, action: OrderAction): void {
    const order = this.find(app, token);
    const [changed, event] = this.#acted(order, action) ?? [];
    if (changed === undefined)
      throw new Refusal(409, 'invalidPurchaseState', `An order that is ${order.state} cannot ${action}.`);
    this.#keep(changed, event);
  }

  /** The order afterwards, and what has happened; `undefined` where it cannot. */
  #acted(order: Order, action: OrderAction): readonly [Order, Order['state'] | 'renewed'] | undefined {
    const { state, kind } = order;
    const isSubscription = kind === 'subscription';
    const becomes = (next: Order['state'], changes: Partial<Order> = {}) =>
      [{ ...order, state: next, ...changes }, next] as const;
    switch (action) {
      case 'complete':
        return state === 'pending' ? becomes('bought', { at: this.#options.now() }) : undefined;
      case 'cancel':
        return state === 'pending' || isSubscription ? becomes('cancelled') : undefined;
      case 'refund':
        return state === 'refunded' || state === 'pending' ? undefined : becomes('refunded');
      case 'fail':
        return isSubscription && state === 'bought' ? becomes('grace') : undefined;
      case 'expire':
        return isSubscription ? becomes('expired', { expires: this.#options.now() }) : undefined;
      case 'renew': {
        const product = this.#options.books.products(order.app).find(({ id }) => id === order.product);
        if (!isSubscription || !product) return undefined;
        const expires = (order.expires ?? this.#options.now()) + this.#length(product);
        return [{ ...order, state: 'bought', expires }, 'renewed'];
      }
    }
  }

  #length(product: StoredProduct): number {
    const period = readPeriod(periodOf(product));
    return (period ? daysOf(period) : 30) * DAY;
  }

  /** What time has done to an order. */
  #settled(order: Order): Order {
    const now = this.#options.now();
    if (order.state === 'bought' && !order.acknowledged && now - order.at > ACKNOWLEDGE_WITHIN) {
      const refunded: Order = { ...order, state: 'refunded' };
      this.#keep(refunded, 'refunded');
      return refunded;
    }
    if (
      order.expires !== null &&
      order.state !== 'expired' &&
      order.state !== 'refunded' &&
      now > order.expires
    ) {
      const expired: Order = { ...order, state: 'expired' };
      this.#keep(expired, 'expired');
      return expired;
    }
    return order;
  }

  #keep(order: Order, event: Order['state'] | 'renewed' | undefined): void {
    const { books, note, notify, now } = this.#options;
    books.keepOrder(order);
    if (event === undefined) return;
    const { app, product, token, kind, orderId } = order;
    note(`${app}: order ${orderId} of ${product} is ${event}`);
    const base = { version: '1.0', packageName: app, eventTimeMillis: String(now()) };
    if (event === 'refunded') {
      notify(app, {
        ...base,
        voidedPurchaseNotification: {
          purchaseToken: token,
          orderId,
          productType: kind === 'subscription' ? 1 : 2,
          refundType: 1,
        },
      });
    }
    if (kind === 'one-time') {
      const type = event === 'bought' || event === 'cancelled' ? ONE_TIME[event] : undefined;
      if (type !== undefined) {
        notify(app, {
          ...base,
          oneTimeProductNotification: {
            version: '1.0',
            notificationType: type,
            purchaseToken: token,
            sku: product,
          },
        });
      }
      return;
    }
    const type = event in SUBSCRIPTION ? SUBSCRIPTION[event as keyof typeof SUBSCRIPTION] : undefined;
    if (type === undefined) return;
    notify(app, {
      ...base,
      subscriptionNotification: {
        version: '1.0',
        notificationType: type,
        purchaseToken: token,
        subscriptionId: product,
      },
    });
  }
}

/** `purchases.products` of an order. */
export function productPurchase({ state, consumed, acknowledged, orderId, at }: Order): JsonObject {
  return {
    kind: 'androidpublisher#productPurchase',
    purchaseTimeMillis: String(at),
    purchaseState: state === 'pending' ? 2 : state === 'bought' ? 0 : 1,
    consumptionState: consumed ? 1 : 0,
    acknowledgementState: acknowledged ? 1 : 0,
    orderId,
  };
}

const SUBSCRIPTION_STATES: Readonly<Record<Order['state'], string>> = {
  bought: 'ACTIVE',
  pending: 'PENDING',
  cancelled: 'CANCELED',
  refunded: 'EXPIRED',
  grace: 'IN_GRACE_PERIOD',
  expired: 'EXPIRED',
};

/** `purchases.subscriptionsv2` of an order. */
export function subscriptionPurchase({
  state,
  acknowledged,
  orderId,
  at,
  expires,
  product,
}: Order): JsonObject {
  return {
    kind: 'androidpublisher#subscriptionPurchaseV2',
    startTime: new Date(at).toISOString(),
    subscriptionState: `SUBSCRIPTION_STATE_${SUBSCRIPTION_STATES[state]}`,
    acknowledgementState: `ACKNOWLEDGEMENT_STATE_${acknowledged ? 'ACKNOWLEDGED' : 'PENDING'}`,
    latestOrderId: orderId,
    lineItems: [{ productId: product, expiryTime: new Date(expires ?? at).toISOString() }],
  };
}
