import { generateKeyPairSync, type KeyObject, randomUUID } from 'node:crypto';
import { exportJWK, SignJWT } from 'jose';
import type { JsonObject } from '../../core/util/json-object.js';

/**
 * The store's notifications as a push: a message around base64 of the notification, with a token (RS256) that says who sends it.
 */

const ISSUER = 'https://drydock.example';
const LIFETIME = 600;
const ATTEMPTS = 3;

export class Notifier {
  readonly #url: string | undefined;
  readonly #key: KeyObject;
  readonly #public: KeyObject;
  readonly #note: (text: string) => void;
  #last: Promise<void> = Promise.resolve();

  /** @param url of the app's server; `undefined` where nobody hears of it */
  constructor(url: string | undefined, note: (text: string) => void) {
    const { privateKey, publicKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
    this.#url = url;
    this.#key = privateKey;
    this.#public = publicKey;
    this.#note = note;
  }

  /** Public keys by which tokens are verified (RFC 7517). */
  async keys(): Promise<JsonObject> {
    return { keys: [{ ...(await exportJWK(this.#public)), kid: 'drydock', alg: 'RS256', use: 'sig' }] };
  }

  /** Sends one after the other; what is not taken is tried again, and then given up. */
  send(notification: JsonObject): void {
    if (this.#url === undefined) return;
    this.#last = this.#last.then(() => this.#push(notification)).catch(() => undefined);
  }

  /** Resolves when everything was sent. */
  idle(): Promise<void> {
    return this.#last;
  }

  async #push(notification: JsonObject): Promise<void> {
    const url = this.#url as string;
    const token = await new SignJWT({ email: 'notifications@drydock.example', email_verified: true })
      .setProtectedHeader({ alg: 'RS256', kid: 'drydock', typ: 'JWT' })
      .setIssuer(ISSUER)
      .setAudience(url)
      .setIssuedAt()
      .setExpirationTime(`${LIFETIME}s`)
      .sign(this.#key);
    const message = {
      data: Buffer.from(JSON.stringify(notification)).toString('base64'),
      messageId: randomUUID(),
      publishTime: new Date().toISOString(),
    };
    for (let attempt = 1; attempt <= ATTEMPTS; attempt += 1) {
      try {
        const answer = await fetch(url, {
          method: 'POST',
          headers: { 'content-type': 'application/json', authorization: `Bearer ${token}` },
          body: JSON.stringify({ message, subscription: 'projects/drydock/subscriptions/purchases' }),
          signal: AbortSignal.timeout(5000),
        });
        if (answer.ok) return;
        this.#note(`a notification is answered with ${answer.status}`);
      } catch (error) {
        this.#note(`a notification does not arrive: ${(error as Error).message}`);
      }
    }
  }
}
