// Sells what the app has in its catalog, through the payment of the store that the app came from: W3C Payment Request API, and the
// Digital Goods API (draft of the W3C's Web Platform Incubator Community Group). Made by Jolly Hull, without dependencies; yours to edit.

/** The payment method of the Android store. */
export const STORE = 'https://play.google.com/billing';

/**
 * The shop of this app; undefined where pages are shown by something else, as in a browser: then offer another way to pay, or none.
 *
 * @param {{ verify: string, method?: string }} options verify: address of your server, which checks a purchase and grants it
 * @returns {Promise<Shop | undefined>}
 */
export async function openShop({ verify, method = STORE }) {
  if (!('getDigitalGoodsService' in window) || !('PaymentRequest' in window)) return undefined;
  try {
    return new Shop(await window.getDigitalGoodsService(method), method, verify);
  } catch {
    // A browser that has the interface, and no store behind it.
    return undefined;
  }
}

export class Shop {
  #service;
  #method;
  #verify;

  constructor(service, method, verify) {
    this.#service = service;
    this.#method = method;
    this.#verify = verify;
  }

  /**
   * What is for sale, with texts and prices from the store, in the buyer's own currency.
   *
   * @param {string[]} ids product IDs; those that cannot be bought are left out
   */
  async items(ids) {
    const details = await this.#service.getDetails(ids);
    return details.map((one) => ({
      id: one.itemId,
      title: one.title,
      description: one.description ?? '',
      price: shown(one.price),
      isSubscription: one.type === 'subscription',
      period: one.subscriptionPeriod,
      trial: one.freeTrialPeriod,
      introduction: one.introductoryPrice && shown(one.introductoryPrice),
    }));
  }

  /**
   * Sells one item: the store's own sheet asks the buyer, then your server checks the purchase and grants it.
   *
   * @param {string} id product ID
   * @returns {Promise<{ is: 'granted' | 'pending' | 'cancelled' } | { is: 'failed', why: string }>}
   */
  async buy(id) {
    // The store has the price; what is asked for here is not shown.
    const total = { label: 'Total', amount: { currency: 'USD', value: '0' } };
    const request = new PaymentRequest([{ supportedMethods: this.#method, data: { sku: id } }], { total });
    let response;
    try {
      response = await request.show();
    } catch (error) {
      return error.name === 'AbortError' ? { is: 'cancelled' } : { is: 'failed', why: error.message };
    }
    const token = response.details.purchaseToken ?? response.details.token;
    const answer = await this.#grant(id, token);
    // Whatever the server says, the store has the purchase: it is asked again at the next start.
    await response.complete(answer.is === 'failed' ? 'fail' : 'success');
    return answer;
  }

  /**
   * Gives back what was bought before: on another device, or when a server did not answer. Call it at each start.
   *
   * @returns {Promise<string[]>} IDs of the items that the server granted
   */
  async restore() {
    const granted = [];
    for (const { itemId, purchaseToken } of await this.#service.listPurchases()) {
      const answer = await this.#grant(itemId, purchaseToken);
      if (answer.is === 'granted') granted.push(itemId);
    }
    return granted;
  }

  async #grant(id, token) {
    try {
      const answer = await fetch(this.#verify, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        credentials: 'include',
        body: JSON.stringify({ id, token }),
      });
      if (!answer.ok) return { is: 'failed', why: `The server answers ${answer.status}.` };
      const { granted, pending } = await answer.json();
      return granted
        ? { is: 'granted' }
        : pending
          ? { is: 'pending' }
          : { is: 'failed', why: 'The server does not grant it.' };
    } catch (error) {
      return { is: 'failed', why: error.message };
    }
  }
}

/** A price as the buyer's language writes it. */
function shown({ currency, value }) {
  return new Intl.NumberFormat(undefined, { style: 'currency', currency }).format(Number(value));
}
