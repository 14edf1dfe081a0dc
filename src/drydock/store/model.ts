import type { JsonObject } from '../../core/util/json-object.js';

/** What the stand-in keeps of an app. Names of members are those of the publishing API where it has them. */

export interface Release {
  readonly name?: string;
  readonly versionCodes: readonly string[];
  readonly status: 'draft' | 'inProgress' | 'halted' | 'completed';
  readonly userFraction?: number;
  readonly releaseNotes?: readonly { readonly language: string; readonly text: string }[];
}

export interface Artifact {
  readonly build: number;
  readonly kind: 'aab' | 'apk';
  readonly version: string | null;
  readonly sha1: string;
  readonly sha256: string;
  readonly size: number;
  /** SHA-256 of the certificate that signed it: `AA:BB:…`. */
  readonly certificate: string;
  readonly targetSdk: number;
  /** ms since 1970. */
  readonly at: number;
}

export interface Image {
  readonly id: string;
  readonly sha1: string;
  readonly sha256: string;
}

export interface ListingTexts {
  readonly title?: string;
  readonly shortDescription?: string;
  readonly fullDescription?: string;
  readonly video?: string;
}

/** An app as it is published, or as an edit would publish it. */
export interface AppState {
  readonly details: {
    readonly defaultLanguage?: string;
    readonly contactEmail?: string;
    readonly contactWebsite?: string;
    readonly contactPhone?: string;
  };
  readonly listings: Readonly<Record<string, ListingTexts>>;
  /** By `language/imageType`. */
  readonly images: Readonly<Record<string, readonly Image[]>>;
  readonly tracks: Readonly<Record<string, readonly Release[]>>;
  readonly testers: Readonly<Record<string, readonly string[]>>;
  readonly artifacts: readonly Artifact[];
  /** Crash-report maps by build: SHA-256 of each. */
  readonly crashMaps: Readonly<Record<string, string>>;
}

export const EMPTY_APP: AppState = {
  details: {},
  listings: {},
  images: {},
  tracks: { internal: [], alpha: [], beta: [], production: [] },
  testers: {},
  artifacts: [],
  crashMaps: {},
};

/** How far the store is with the builds on a track. */
export interface Review {
  readonly track: string;
  /** Version codes, with commas. */
  readonly builds: string;
  readonly state: 'not sent' | 'in review' | 'published' | 'rejected';
  /** When it began. */
  readonly since: number;
  /** When it ends by itself, ms since 1970; `null` where a person decides. */
  readonly due: number | null;
  readonly reason: string | null;
}

export interface StoredApp {
  readonly id: string;
  readonly owner: string;
  /** Rises with every commit. */
  readonly revision: number;
  readonly state: AppState;
}

export interface StoredEdit {
  readonly id: string;
  readonly app: string;
  readonly account: string;
  readonly revision: number;
  readonly expires: number;
  readonly state: AppState;
}

/** What an account may do with the apps of its owner. */
export type Rights = 'release' | 'look';

export interface Account {
  readonly email: string;
  readonly keyId: string;
  /** SPKI, PEM. */
  readonly publicKey: string;
  readonly owner: string;
  readonly rights: Rights;
}

export interface StoreEvent {
  readonly at: number;
  readonly text: string;
}

export const buildsKey = ({ versionCodes }: Pick<Release, 'versionCodes'>): string =>
  [...versionCodes]
    .map(Number)
    .sort((one, other) => one - other)
    .join();

/** What an app sells, in the form that the API has for its kind. */
export interface StoredProduct {
  readonly id: string;
  readonly kind: 'one-time' | 'subscription';
  readonly value: JsonObject;
  readonly offers: readonly JsonObject[];
}

/** A resource of Apple's store, without what follows from others. */
export interface StoredResource {
  readonly id: string;
  readonly type: string;
  /** ID of the app that it belongs to. */
  readonly app: string;
  readonly attributes: JsonObject;
  /** IDs of what it belongs to, or has, by the relationship's name. */
  readonly related: Readonly<Record<string, string | readonly string[]>>;
}
