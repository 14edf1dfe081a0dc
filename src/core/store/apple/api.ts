import type { HullError } from '../../errors.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { callStore, jsonOf, type StoreAccess, type StoreAnswer, type StoreCall } from '../http.js';
import { type StoreKey, StoreTokens } from './account.js';
import { explainRefusal, explainToken } from './refusals.js';

export interface AppleStoreOptions {
  readonly bundleId: string;
  /** Version of the project: that of the next release. */
  readonly version: string;
  /** Address of the privacy page, as the project says. */
  readonly privacy: string | undefined;
  readonly key: StoreKey;
  readonly address: string;
  readonly access: StoreAccess;
}

/** A resource object (JSON:API 1.0, "Resource Objects"). */
export interface Resource {
  readonly type: string;
  readonly id: string;
  readonly attributes: JsonObject;
  readonly relationships: JsonObject;
}

/** A document: its primary data, and what came with it. */
export interface Document {
  readonly data: readonly Resource[];
  readonly included: readonly Resource[];
}

export type Query = Readonly<Record<string, string>>;

/** What a resource that is made belongs to: type and ID by the relationship's name; in a list where it can be several. */
export type Related = Readonly<
  Record<string, readonly [type: string, id: string] | readonly [readonly [type: string, id: string]]>
>;

/** Pages that are read of a list at most. */
const MOST_PAGES = 50;

function resourceOf(value: unknown): Resource[] {
  if (!isObject(value) || typeof value.type !== 'string' || typeof value.id !== 'string') return [];
  const { type, id, attributes, relationships } = value;
  return [
    {
      type,
      id,
      attributes: isObject(attributes) ? attributes : {},
      relationships: isObject(relationships) ? relationships : {},
    },
  ];
}

const resourcesOf = (value: unknown): Resource[] =>
  Array.isArray(value) ? value.flatMap(resourceOf) : resourceOf(value);

/** Text of an attribute; `undefined` where there is none. */
export function textIn({ attributes }: Pick<Resource, 'attributes'>, name: string): string | undefined {
  const value = attributes[name];
  return typeof value === 'string' && value !== '' ? value : undefined;
}

/** IDs that a relationship names. */
export function relatedIds({ relationships }: Resource, name: string): string[] {
  const relationship = relationships[name];
  const data = isObject(relationship) ? relationship.data : undefined;
  return (Array.isArray(data) ? data : [data]).flatMap((one) =>
    isObject(one) && typeof one.id === 'string' ? [one.id] : [],
  );
}

/** Resources of a document that one of them names. */
export function relatedIn({ included }: Document, resource: Resource, name: string): Resource[] {
  const ids = new Set(relatedIds(resource, name));
  return included.filter(({ id }) => ids.has(id));
}

/** Calls of App Store Connect's API, as one key. */
export class AppleApi {
  readonly options: AppleStoreOptions;
  readonly #tokens: StoreTokens;

  constructor(options: AppleStoreOptions) {
    this.options = options;
    this.#tokens = new StoreTokens(options.key);
  }

  /** @throws HullError `store.refused`, `store.clock`, `store.account-refused`, `store.not-json`, `store.unreachable` */
  async #call(method: StoreCall['method'], url: string, json?: unknown): Promise<JsonObject> {
    const { access, key } = this.options;
    const headers = { authorization: `Bearer ${await this.#tokens.token()}` };
    const body = json === undefined ? undefined : { json };
    const answer = await callStore({ method, url, headers, body }, access);
    if (answer.status === 401) throw explainToken(answer, key.keyId, key.file);
    if (answer.status >= 400) throw this.#refusal(answer, url);
    const value = jsonOf(answer, url);
    return isObject(value) ? value : {};
  }

  #refusal(answer: StoreAnswer, url: string): HullError {
    const { bundleId, key } = this.options;
    let body: unknown;
    try {
      body = jsonOf(answer, url);
    } catch (error) {
      // A page of a proxy has no words of the store in it.
      if (answer.status < 500) throw error;
    }
    return explainRefusal(answer, body, { bundleId, account: key.keyId, location: { url } });
  }

  url(path: string, query: Query = {}): string {
    const text = new URLSearchParams(query).toString();
    return `${this.options.address}${path}${text === '' ? '' : `?${text}`}`;
  }

  /** A list, page after page. */
  async list(path: string, query: Query = {}): Promise<Document> {
    const data: Resource[] = [];
    const included: Resource[] = [];
    let url: string | undefined = this.url(path, query);
    for (let page = 0; url !== undefined && page < MOST_PAGES; page += 1) {
      const body: JsonObject = await this.#call('GET', url);
      data.push(...resourcesOf(body.data));
      included.push(...resourcesOf(body.included));
      const next: unknown = isObject(body.links) ? body.links.next : undefined;
      // The key is for this store alone, wherever a link leads.
      url = typeof next === 'string' && next.startsWith(`${this.options.address}/`) ? next : undefined;
    }
    return { data, included };
  }

  async get(path: string, query: Query = {}): Promise<Resource | undefined> {
    return resourcesOf((await this.#call('GET', this.url(path, query))).data)[0];
  }

  async create(type: string, attributes: JsonObject, related: Related): Promise<Resource> {
    const relationships = Object.fromEntries(
      Object.entries(related).map(([name, to]) => {
        const [first] = to;
        const [type, id] = typeof first === 'string' ? to : first;
        const one = { type, id };
        return [name, { data: typeof first === 'string' ? one : [one] }];
      }),
    );
    const data = {
      type,
      ...(Object.keys(attributes).length === 0 ? {} : { attributes }),
      relationships,
    };
    const url = this.url(`/v1/${type}`);
    const [made] = resourcesOf((await this.#call('POST', url, { data })).data);
    return made ?? { type, id: '', attributes: {}, relationships: {} };
  }

  async update(type: string, id: string, attributes: JsonObject): Promise<Resource | undefined> {
    const url = this.url(`/v1/${type}/${encodeURIComponent(id)}`);
    return resourcesOf((await this.#call('PATCH', url, { data: { type, id, attributes } })).data)[0];
  }

  async remove(type: string, id: string): Promise<void> {
    await this.#call('DELETE', this.url(`/v1/${type}/${encodeURIComponent(id)}`));
  }

  /** Changes what a resource is related to. */
  async relate(
    method: 'POST' | 'PATCH' | 'DELETE',
    path: string,
    data:
      | { readonly type: string; readonly id: string }
      | readonly { readonly type: string; readonly id: string }[],
  ): Promise<void> {
    await this.#call(method, this.url(path), { data });
  }
}
