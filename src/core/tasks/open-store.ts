import { join } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import { type StoreName, storeLanguage } from '../listing/languages.js';
import { mainLanguage, type Project } from '../project/project.js';
import { isKeyContent, readServiceAccount } from '../store/android/account.js';
import type { AndroidStoreOptions } from '../store/android/api.js';
import { AndroidCatalog } from '../store/android/catalog.js';
import { ANDROID_ADDRESS, AndroidStore } from '../store/android/store.js';
import { readStoreKey } from '../store/apple/account.js';
import type { AppleStoreOptions } from '../store/apple/api.js';
import { APPLE_ADDRESS, AppleStore } from '../store/apple/store.js';
import type { StoreAccess } from '../store/http.js';
import { isOfStandIn, runningStandIn, type StandIn } from '../store/stand-in.js';
import type { CatalogStore, Store } from '../store/types.js';
import { isInside } from '../util/files.js';
import { isLoopback, parseUrl } from '../util/url-path.js';

/** How a store is reached, and as whom. */
export interface StoreOptions {
  /** By default the Android store. */
  readonly store?: StoreName | undefined;
  /** Base address of the store's API: of a proxy, a stand-in, or another store that speaks the same; by default the store itself. */
  readonly api?: string | undefined;
  /** File of the account's key, outside of the project: JSON of a service account, which can also be given itself, or Apple's `AuthKey_….p8`. */
  readonly account?: string | undefined;
  /** Files of keys by store, where none is named. */
  readonly accounts?: Readonly<Partial<Record<StoreName, string | undefined>>> | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called before a call is made again, with why and after how many milliseconds. */
  readonly onRetry?: ((why: string, delay: number) => void) | undefined;
}

export interface OpenedStore {
  readonly store: Store;
  /** Whether it is a stand-in on this computer: nothing is published for real. */
  readonly isStandIn: boolean;
}

/** A base address without its last slash. Throws `store.bad-address`. */
function addressOf(text: string): string {
  const url = parseUrl(text);
  if (url && (url.protocol === 'https:' || (url.protocol === 'http:' && isLoopback(url.hostname))))
    return url.href.replace(/\/$/, '');
  throw new HullError('store.bad-address', `"${text}" is not the address of a store.`, {
    location: { option: 'api' },
    fix: 'Write it with https://; plain http is for this computer alone.',
  });
}

/** A secret that lies in the project is packed, committed or deployed some day. */
function checkOutside(file: string, project: Project): void {
  if (!isInside(file, project.dir) || isInside(file, join(project.dir, '.hull'))) return;
  throw new HullError('store.account-in-project', 'The key of the store’s account is inside the project.', {
    location: { file },
    fix: 'Move it out, as into ~/.config/jolly-hull/, so that it is never committed or deployed. If it was, make a new one.',
  });
}

const nameOf = ({ store }: StoreOptions): StoreName => store ?? 'android';
const named = (options: StoreOptions): string | undefined =>
  options.account ?? options.accounts?.[nameOf(options)];

/** Whether there is an account to reach a store with. */
export const hasStore = (project: Project, options: StoreOptions): boolean =>
  named(options) !== undefined || runningStandIn(project.dir) !== undefined;

const NO_ACCOUNT: Readonly<Record<StoreName, string>> = {
  android: 'Name the JSON key of a service account that may release this app.',
  apple: 'Name the key of App Store Connect’s API that may release this app: AuthKey_….p8.',
};

/** Where a store is, and as whom it is reached. */
interface Reached {
  readonly file: string;
  /** As it is named; `undefined` for the store itself. */
  readonly address: string | undefined;
  readonly standIn: StandIn | undefined;
  readonly access: StoreAccess;
}

/** Throws HullError `store.no-account`, `store.account-in-project`, `store.bad-address`. */
function reach(project: Project, options: StoreOptions): Reached {
  const own = named(options);
  const running = runningStandIn(project.dir);
  const standIn = own === undefined || isOfStandIn(project.dir, own) ? running : undefined;
  const file = own ?? standIn?.accounts[nameOf(options)];
  if (file === undefined) {
    throw new HullError('store.no-account', 'No account of the store is named.', {
      location: { option: 'account' },
      fix: withTasks`${NO_ACCOUNT[nameOf(options)]} To try without one, start the stand-in: ${task('startStore')}`,
    });
  }
  if (!isKeyContent(file)) checkOutside(file, project);
  return {
    file,
    address: options.api === undefined ? standIn?.address : addressOf(options.api),
    standIn,
    access: { signal: options.signal, onRetry: options.onRetry },
  };
}

function reachAndroid(project: Project, options: StoreOptions): AndroidStoreOptions {
  const { file, address = ANDROID_ADDRESS, access } = reach(project, options);
  return { packageName: project.settings.android.id, account: readServiceAccount(file), address, access };
}

function reachApple(project: Project, options: StoreOptions): AppleStoreOptions {
  const { file, address = APPLE_ADDRESS, access, standIn } = reach(project, options);
  const { apple, app, release } = project.settings;
  return {
    bundleId: apple.id,
    version: app.version,
    privacy: release.privacy,
    key: readStoreKey(file, standIn?.issuer ?? release.apple.issuer, project.location('/release/apple')),
    address,
    access,
  };
}

const isStandIn = (address: string): boolean => address.startsWith('http:');

/**
 * Opens a store for a project: as the account that is named, else at the stand-in that runs for this project.
 *
 * @throws HullError `store.no-account`, `store.bad-account`, `store.account-in-project`, `store.bad-address`
 */
export function openStore(project: Project, options: StoreOptions): OpenedStore {
  const store =
    nameOf(options) === 'apple'
      ? new AppleStore(reachApple(project, options))
      : new AndroidStore(reachAndroid(project, options));
  return { store, isStandIn: isStandIn(store.address) };
}

/** The products of a project in the Android store. Throws as {@link openStore}. */
export function openCatalog(
  project: Project,
  options: StoreOptions,
  currency: string,
): {
  readonly catalog: CatalogStore;
  readonly address: string;
  readonly account: string;
  readonly isStandIn: boolean;
} {
  const own = reachAndroid(project, options);
  const language = storeLanguage('android', mainLanguage(project)) ?? 'en-US';
  return {
    catalog: new AndroidCatalog(own, currency, language),
    address: own.address,
    account: own.account.email,
    isStandIn: isStandIn(own.address),
  };
}
