import { HullError } from '../../errors.js';
import type { ReviewWish, Store, StoreEdit } from '../types.js';
import { AppleApi, type AppleStoreOptions, type Resource, textIn } from './api.js';
import { AppleEdit, PRODUCTION } from './edit.js';
import { Groups } from './groups.js';

/** App Store Connect's API, as publicly documented. */
export const APPLE_ADDRESS = 'https://api.appstoreconnect.apple.com';

/** Apple's store, for one app. */
export class AppleStore implements Store {
  readonly name = 'apple';
  readonly digest = 'md5';
  readonly shares = 'phased';
  readonly contacts = ['email', 'website', 'phone', 'privacy'] as const;
  readonly address: string;
  readonly account: string;
  readonly #api: AppleApi;
  #links: ReadonlyMap<string, string> = new Map();

  constructor(options: AppleStoreOptions) {
    this.address = options.address;
    this.account = `key ${options.key.keyId}`;
    this.#api = new AppleApi(options);
  }

  /** The listing belongs to the version that users get; testers see none. */
  hasListing(track: string): boolean {
    return track === PRODUCTION;
  }

  testerLink(track: string): string | undefined {
    return this.#links.get(track);
  }

  async #app(): Promise<Resource> {
    const { bundleId } = this.#api.options;
    const { data } = await this.#api.list('/v1/apps', { 'filter[bundleId]': bundleId, limit: '10' });
    const app = data.find((one) => textIn(one, 'bundleId') === bundleId);
    if (app) return app;
    throw new HullError('store.refused', `The store has no app ${bundleId}, or the key may not see it.`, {
      location: { url: this.#api.url('/v1/apps') },
      fix: 'Create the app in App Store Connect once, with this bundle ID. An API cannot do that.',
    });
  }

  async #open(): Promise<AppleEdit> {
    const app = await this.#app();
    const groups = new Groups(this.#api, app.id);
    this.#links = await groups.links();
    return new AppleEdit(this.#api, app, groups);
  }

  async look<T>(work: (edit: StoreEdit) => Promise<T>): Promise<T> {
    return work(await this.#open());
  }

  async change<T>(work: (edit: StoreEdit) => Promise<T>, review: ReviewWish = 'at once'): Promise<T> {
    const edit = await this.#open();
    try {
      const done = await work(edit);
      if (review === 'at once') await edit.commit();
      return done;
    } catch (error) {
      await edit.discard();
      throw error;
    }
  }
}
