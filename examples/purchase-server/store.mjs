// Asks the store about purchases, as a service account (publishing API; RFC 7523). The address of the API is a setting, so that a stand-in
// serves too.
import { createPrivateKey } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { SignJWT } from 'jose';

const SCOPE = 'https://www.googleapis.com/auth/androidpublisher';
const GRANT = 'urn:ietf:params:oauth:grant-type:jwt-bearer';

export class StoreApi {
  #account;
  #base;
  #token;

  /** @param {{ accountFile: string, address: string, packageName: string }} settings */
  constructor({ accountFile, address, packageName }) {
    this.#account = JSON.parse(readFileSync(accountFile, 'utf8'));
    this.#base = `${address}/androidpublisher/v3/applications/${encodeURIComponent(packageName)}/purchases`;
  }

  /**
   * What the store knows of a purchase; undefined for a token that it has never given out for this product.
   *
   * @param {'product' | 'subscription'} kind
   * @returns {Promise<{ state: 'bought' | 'pending' | 'gone', acknowledged: boolean, until?: Date } | undefined>}
   */
  async purchase(kind, id, token) {
    const path =
      kind === 'product'
        ? `/products/${encodeURIComponent(id)}/tokens/${encodeURIComponent(token)}`
        : `/subscriptionsv2/tokens/${encodeURIComponent(token)}`;
    const answer = await this.#call('GET', path);
    if (answer === undefined) return undefined;
    if (kind === 'product') {
      const state = ['bought', 'gone', 'pending'][answer.purchaseState] ?? 'gone';
      return { state, acknowledged: answer.acknowledgementState === 1 };
    }
    const line = answer.lineItems.find(({ productId }) => productId === id);
    if (!line) return undefined;
    const name = answer.subscriptionState.replace('SUBSCRIPTION_STATE_', '');
    const until = new Date(line.expiryTime);
    // A subscription that was cancelled is good until it ends; one in its grace period is good all the same.
    const isGood =
      ['ACTIVE', 'IN_GRACE_PERIOD'].includes(name) || (name === 'CANCELED' && until > new Date());
    return {
      state: name === 'PENDING' ? 'pending' : isGood ? 'bought' : 'gone',
      acknowledged: answer.acknowledgementState === 'ACKNOWLEDGEMENT_STATE_ACKNOWLEDGED',
      until,
    };
  }

  /** Tells the store that the purchase was granted; without it, the buyer gets the money back after three days. */
  async acknowledge(kind, id, token) {
    const path = kind === 'product' ? 'products' : 'subscriptions';
    await this.#call(
      'POST',
      `/${path}/${encodeURIComponent(id)}/tokens/${encodeURIComponent(token)}:acknowledge`,
      {},
    );
  }

  async #call(method, path, body, isAgain = false) {
    const answer = await fetch(this.#base + path, {
      method,
      headers: {
        authorization: `Bearer ${await this.#accessToken()}`,
        ...(body ? { 'content-type': 'application/json' } : {}),
      },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    if (answer.status === 401 && !isAgain) {
      // A token may end sooner than it was said to.
      this.#token = undefined;
      return this.#call(method, path, body, true);
    }
    if (answer.status === 404 || answer.status === 410) return undefined;
    if (!answer.ok) throw new Error(`the store answers ${answer.status}`);
    const text = await answer.text();
    return text === '' ? {} : JSON.parse(text);
  }

  async #accessToken() {
    if (this.#token && this.#token.until > Date.now()) return this.#token.text;
    const { client_email: email, private_key: key, private_key_id: kid, token_uri: url } = this.#account;
    const assertion = await new SignJWT({ scope: SCOPE })
      .setProtectedHeader({ alg: 'RS256', kid, typ: 'JWT' })
      .setIssuer(email)
      .setAudience(url)
      .setIssuedAt()
      .setExpirationTime('1h')
      .sign(createPrivateKey(key));
    const answer = await fetch(url, {
      method: 'POST',
      body: new URLSearchParams({ grant_type: GRANT, assertion }),
    });
    if (!answer.ok) throw new Error(`the store gives no token: ${await answer.text()}`);
    const { access_token: text, expires_in: seconds } = await answer.json();
    this.#token = { text, until: Date.now() + (seconds - 60) * 1000 };
    return text;
  }
}
