// Gives a page a payment method and the Digital Goods API, backed by the stand-in store: `hull serve --store` puts it into served pages.
(() => {
  const METHOD = 'https://play.google.com/billing';
  const BASE = '/.well-known/hull-shop/';

  const ask = async (path, body) => {
    const answer = await fetch(
      BASE + path,
      body === undefined
        ? {}
        : {
            method: 'POST',
            headers: { 'content-type': 'application/json' },
            body: JSON.stringify(body),
          },
    );
    const value = await answer.json();
    if (!answer.ok)
      throw new DOMException(
        value.error?.message ?? value.problem ?? String(answer.status),
        'OperationError',
      );
    return value;
  };

  const language = () => navigator.language;
  const service = {
    getDetails: (ids) =>
      ask(`items?ids=${encodeURIComponent(ids.join(','))}&language=${encodeURIComponent(language())}`),
    listPurchases: () => ask('purchases'),
    listPurchaseHistory: () => ask('purchases'),
    consume: async (token) => void (await ask('consume', { token })),
  };
  window.getDigitalGoodsService = async (method) => {
    if (method === METHOD) return service;
    throw new DOMException('This page has no such payment method.', 'OperationError');
  };

  const STYLE = `
    dialog { border: 0; border-radius: 18px 18px 0 0; margin: auto auto 0; padding: 20px 24px 28px; width: min(440px, 100%); max-width: 100%;
      box-sizing: border-box; font: 16px/1.45 system-ui, sans-serif; background: Canvas; color: CanvasText; color-scheme: light dark; }
    dialog::backdrop { background: rgb(0 0 0 / 45%); }
    h2 { margin: 0 0 4px; font-size: 1.2rem; }
    p { margin: 0 0 10px; }
    .price { font-size: 1.4rem; font-weight: 600; }
    .stand-in { border-left: 4px solid #b4552d; padding-left: 10px; font-size: .9rem; }
    .row { display: flex; flex-wrap: wrap; gap: 10px; margin-top: 16px; }
    button { font: inherit; min-height: 44px; padding: 0 16px; border-radius: 10px; border: 1px solid #0f5e7a; background: none; color: inherit; cursor: pointer; }
    button.go { background: #0f5e7a; color: #fff; flex: 1 1 100%; }
    button:focus-visible { outline: 3px solid #b4552d; outline-offset: 2px; }`;

  const money = ({ currency, value }) =>
    new Intl.NumberFormat(undefined, { style: 'currency', currency }).format(Number(value));

  /** The sheet on which a buyer decides, and a tester what becomes of it. */
  const decide = (item) =>
    new Promise((resolve) => {
      const host = document.createElement('div');
      const root = host.attachShadow({ mode: 'open' });
      root.innerHTML = `<style>${STYLE}</style><dialog aria-labelledby="title">
        <p class="stand-in">A stand-in for the store: nobody pays.</p><h2 id="title"></h2><p class="about"></p><p class="price"></p><p class="terms"></p>
        <div class="row"><button class="go" value="bought">Buy</button><button value="pending">Pay later</button>
        <button value="declined">Card is declined</button><button value="cancelled">Cancel</button></div></dialog>`;
      const find = (name) => root.querySelector(name);
      find('h2').textContent = item.title;
      find('.about').textContent = item.description ?? '';
      find('.price').textContent = money(item.price);
      find('.terms').textContent = [
        item.subscriptionPeriod && `every ${item.subscriptionPeriod}`,
        item.freeTrialPeriod && `${item.freeTrialPeriod} free first`,
        item.introductoryPrice && `${money(item.introductoryPrice)} at the beginning`,
      ]
        .filter(Boolean)
        .join(', ');
      const end = (choice) => {
        host.remove();
        resolve(choice);
      };
      root.addEventListener('click', (event) => event.target.value && end(event.target.value));
      find('dialog').addEventListener('cancel', () => end('cancelled'));
      document.body.append(host);
      find('dialog').showModal();
    });

  const Native = window.PaymentRequest;
  class StandInPaymentRequest extends EventTarget {
    #id;
    #native;

    constructor(methods, details, options) {
      super();
      const own = methods.find(({ supportedMethods }) => supportedMethods === METHOD);
      if (own) this.#id = own.data?.sku;
      else if (Native) this.#native = new Native(methods, details, options);
      else throw new TypeError('There is no such payment method.');
    }

    async canMakePayment() {
      return this.#native ? this.#native.canMakePayment() : true;
    }

    async abort() {
      return this.#native?.abort();
    }

    async show() {
      if (this.#native) return this.#native.show();
      const [item] = await ask(
        `items?ids=${encodeURIComponent(this.#id)}&language=${encodeURIComponent(language())}`,
      );
      if (!item) throw new DOMException(`${this.#id} cannot be bought.`, 'OperationError');
      const choice = await decide(item);
      if (choice === 'cancelled') throw new DOMException('The buyer has closed the sheet.', 'AbortError');
      if (choice === 'declined') throw new DOMException('The payment was declined.', 'OperationError');
      const { token } = await ask('buy', { id: this.#id, outcome: choice });
      return {
        methodName: METHOD,
        details: { purchaseToken: token, token },
        complete: async () => undefined,
        retry: async () => undefined,
      };
    }
  }
  window.PaymentRequest = StandInPaymentRequest;
})();
