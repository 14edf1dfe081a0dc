import type { StoreName } from '../listing/languages.js';
import type { Money } from './catalog/money.js';
import type { Item } from './catalog/read.js';

/** Who gets a release: nobody yet, a share of the users, nobody else for now, everybody. */
export type ReleaseState = 'draft' | 'in progress' | 'halted' | 'completed';

/** How far the store is with it; `unknown` where its API does not say. */
export type ReviewState = 'not sent' | 'in review' | 'rejected' | 'approved' | 'published' | 'unknown';

export interface StoreRelease {
  readonly name: string | undefined;
  /** Version codes, or build numbers. */
  readonly builds: readonly number[];
  readonly state: ReleaseState;
  /** Part of the users that get it, above 0 and at most 1; `undefined` for all. */
  readonly share: number | undefined;
  /** Release notes by the store's language. */
  readonly notes: ReadonlyMap<string, string>;
  readonly review: ReviewState;
  /** What else the store has of it, as it gave it: countries, priorities. It is given back as it was. */
  readonly others?: Readonly<Record<string, unknown>> | undefined;
}

export interface StoreTrack {
  readonly name: string;
  readonly releases: readonly StoreRelease[];
  /** Where the store takes no release notes for it now: as for the first version of all. */
  readonly takesNotes?: false | undefined;
}

/** What a store shows in one of its languages. Texts by the name of the field in the listing. */
export interface StoreListing {
  readonly language: string;
  readonly texts: ReadonlyMap<string, string>;
}

export interface StorePicture {
  readonly id: string;
  /** Hexadecimal, of the store's {@link Store.digest}. */
  readonly digest: string;
}

export interface StoreContact {
  readonly email?: string | undefined;
  readonly website?: string | undefined;
  readonly phone?: string | undefined;
  /** Address of the privacy page. */
  readonly privacy?: string | undefined;
}

/** What a store has of an app now. */
export interface StoreState {
  readonly defaultLanguage: string | undefined;
  readonly contact: StoreContact;
  readonly tracks: readonly StoreTrack[];
  /** Everything that was ever uploaded, the oldest first. */
  readonly packages: readonly UploadedPackage[];
  readonly listings: readonly StoreListing[];
}

/** Pictures that are asked for: a class of one language. */
export interface PictureKey {
  readonly language: string;
  /** As the store calls the class. */
  readonly type: string;
}

export interface UploadedPackage {
  /** Version code, or build number. */
  readonly build: number;
  /** Hexadecimal, of the store's {@link Store.digest}; empty where the store does not say. */
  readonly digest: string;
}

/** A package on its way to a store. */
export interface SentPackage {
  readonly file: string;
  readonly kind: 'apk' | 'aab' | 'ipa';
  /** Bytes. */
  readonly size: number;
  readonly build: number;
  readonly version: string | undefined;
}

/** Changes of an app that are published together, or not at all where the store can do that. */
export interface StoreEdit {
  /** Says that nothing has to be changed: the edit is then taken back, not published. */
  leave(): void;
  state(): Promise<StoreState>;
  /** Pictures in the order of the keys. */
  pictures(keys: readonly PictureKey[]): Promise<readonly (readonly StorePicture[])[]>;
  testers(track: string): Promise<readonly string[]>;
  uploadPackage(
    sent: SentPackage,
    onProgress?: (sent: number, size: number) => void,
  ): Promise<UploadedPackage>;
  /** The map that turns names in reports of crashes back into those of the source. */
  uploadCrashMap(build: number, file: string): Promise<void>;
  setContact(contact: StoreContact & { readonly defaultLanguage: string }): Promise<void>;
  setListing(language: string, texts: ReadonlyMap<string, string>): Promise<void>;
  /** Replaces all pictures of a class. */
  setPictures(key: PictureKey, files: readonly string[]): Promise<void>;
  setTrack(track: StoreTrack): Promise<void>;
  setTesters(track: string, groups: readonly string[]): Promise<void>;
}

/** Whether the store is to review at once, or waits until somebody sends the changes for review in its console. */
export type ReviewWish = 'at once' | 'by hand';

/** A store, reached for one app. */
export interface Store {
  readonly name: StoreName;
  /** Base address of its API. */
  readonly address: string;
  /** Who acts: an account's name, never a secret. */
  readonly account: string;
  /** By which files are compared with what the store has. */
  readonly digest: 'sha256' | 'md5';
  /** Any share of the users, or days of growing shares that the store has chosen. */
  readonly shares: 'any' | 'phased';
  /** Part of {@link StoreContact} that the store has. */
  readonly contacts: readonly (keyof StoreContact)[];
  /** Whether the listing is released together with a track's builds. */
  hasListing(track: string): boolean;
  /** Looks, and changes nothing. */
  look<T>(work: (edit: StoreEdit) => Promise<T>): Promise<T>;
  /** Lets changes be made, has the store validate them, and publishes them at the end; where anything fails, nothing is. */
  change<T>(work: (edit: StoreEdit) => Promise<T>, review?: ReviewWish): Promise<T>;
  /** Where testers of a track join; `undefined` where they need no link. */
  testerLink(track: string): string | undefined;
}

/** What an app sells, in a store. Each call is published at once. */
export interface CatalogStore {
  items(): Promise<readonly Item[]>;
  /** Why the store takes no such price, in its own words; `undefined` where it does, or does not let this account ask. */
  priceFault(price: Money): Promise<string | undefined>;
  /** Makes an item that cannot be bought yet. */
  create(item: Item): Promise<void>;
  update(item: Item, before: Item): Promise<void>;
  setActive(item: Item, active: boolean): Promise<void>;
}
