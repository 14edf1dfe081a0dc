import type { HullError } from '../../errors.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import {
  callStore,
  jsonOf,
  type StoreAccess,
  type StoreAnswer,
  type StoreBody,
  type StoreCall,
} from '../http.js';
import { type ServiceAccount, TokenSource } from './account.js';
import { BATCH_MOST, readBatch, writeBatch } from './batch.js';
import { explainRefusal } from './refusals.js';

const API = '/androidpublisher/v3/applications';

export const listOf = (value: unknown): readonly JsonObject[] =>
  Array.isArray(value) ? value.filter(isObject) : [];
export const textOf = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);

export interface AndroidStoreOptions {
  readonly packageName: string;
  readonly account: ServiceAccount;
  readonly address: string;
  readonly access: StoreAccess;
}

/** Calls of the API for one app, as one account. */
export class Api {
  readonly options: AndroidStoreOptions;
  readonly #tokens: TokenSource;

  constructor(options: AndroidStoreOptions) {
    this.options = options;
    this.#tokens = new TokenSource(options.account, options.access);
  }

  get #app(): string {
    return `${API}/${encodeURIComponent(this.options.packageName)}`;
  }

  url(path: string): string {
    return `${this.options.address}${this.#app}${path}`;
  }

  uploadUrl(path: string, type: 'media' | 'resumable'): string {
    return `${this.options.address}/upload${this.#app}${path}?uploadType=${type}`;
  }

  headers = async (): Promise<Record<string, string>> => ({
    authorization: `Bearer ${await this.#tokens.token()}`,
  });

  refusal(answer: StoreAnswer, url: string): HullError {
    const { packageName, account } = this.options;
    // A page of a proxy has no words of the store in it.
    const body = answer.status >= 500 ? this.#bodyOrNothing(answer, url) : jsonOf(answer, url);
    return explainRefusal(answer, body, { packageName, account: account.email, location: { url } });
  }

  #bodyOrNothing(answer: StoreAnswer, url: string): unknown {
    try {
      return jsonOf(answer, url);
    } catch {
      return undefined;
    }
  }

  async answer(call: StoreCall): Promise<StoreAnswer> {
    const send = async () =>
      callStore({ ...call, headers: { ...(await this.headers()), ...call.headers } }, this.options.access);
    const first = await send();
    if (first.status !== 401) return first;
    // A token may end sooner than it was said to.
    this.#tokens.forget();
    return send();
  }

  async call(method: StoreCall['method'], path: string, body?: StoreBody): Promise<JsonObject> {
    const url = this.url(path);
    const answer = await this.answer({ method, url, body });
    if (answer.status >= 400) throw this.refusal(answer, url);
    const value = jsonOf(answer, url);
    return isObject(value) ? value : {};
  }

  /** Many readings in a few requests, each below the app's address; where the store takes no batch, one after the other. */
  async readMany(paths: readonly string[]): Promise<JsonObject[]> {
    const found: JsonObject[] = [];
    for (let at = 0; at < paths.length; at += BATCH_MOST) {
      const some = paths.slice(at, at + BATCH_MOST);
      found.push(...((await this.#batch(some)) ?? (await this.#oneByOne(some))));
    }
    return found;
  }

  async #batch(paths: readonly string[]): Promise<JsonObject[] | undefined> {
    const url = `${this.options.address}/batch`;
    const { type, bytes } = writeBatch(paths.map((path) => `${this.#app}${path}`));
    const answer = await this.answer({ method: 'POST', url, body: { bytes, type } });
    if (answer.status >= 400) return undefined;
    const parts = readBatch(answer);
    if (parts?.length !== paths.length || parts.some(({ status }) => status >= 400)) return undefined;
    return parts.map(({ body }) => (isObject(body) ? body : {}));
  }

  async #oneByOne(paths: readonly string[]): Promise<JsonObject[]> {
    const found: JsonObject[] = [];
    for (const path of paths) found.push(await this.call('GET', path));
    return found;
  }
}
