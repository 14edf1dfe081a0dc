import { join } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import { storeLanguage } from '../listing/languages.js';
import { mainLanguage, type Project } from '../project/project.js';
import { readServiceAccount } from '../store/android/account.js';
import type { AndroidStoreOptions } from '../store/android/api.js';
import { AndroidCatalog } from '../store/android/catalog.js';
import { ANDROID_ADDRESS, AndroidStore } from '../store/android/store.js';
import type { StoreAccess } from '../store/http.js';
import { runningStandIn } from '../store/stand-in.js';
import type { CatalogStore, Store } from '../store/types.js';
import { isInside } from '../util/files.js';
import { isLoopback, parseUrl } from '../util/url-path.js';

/** How a store is reached, and as whom. */
export interface StoreOptions {
  /** Base address of the store's API: of a proxy, a stand-in, or another store that speaks the same; by default the store itself. */
  readonly api?: string | undefined;
  /** File of the service account's key, outside of the project. */
  readonly account?: string | undefined;
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
  throw new HullError('store.account-in-project', 'The key of the service account is inside the project.', {
    location: { file },
    fix: 'Move it out, as into ~/.config/jolly-hull/, so that it is never committed or deployed. If it was, make a new one.',
  });
}

/** Whether there is an account to reach a store with. */
export const hasStore = (project: Project, options: StoreOptions): boolean =>
  options.account !== undefined || runningStandIn(project.dir) !== undefined;

/** Who asks, and where. */
interface Reached {
  readonly options: AndroidStoreOptions;
  readonly isStandIn: boolean;
}

/** Throws HullError `store.no-account`, `store.bad-account`, `store.account-in-project`, `store.bad-address`. */
function reach(project: Project, options: StoreOptions): Reached {
  const standIn = options.account === undefined ? runningStandIn(project.dir) : undefined;
  const file = options.account ?? standIn?.account;
  if (file === undefined) {
    throw new HullError('store.no-account', 'No account of the store is named.', {
      location: { option: 'account' },
      fix: withTasks`Name the JSON key of a service account that may release this app. To try without one, start the stand-in: ${task('startStore')}`,
    });
  }
  checkOutside(file, project);
  const access: StoreAccess = { signal: options.signal, onRetry: options.onRetry };
  const address = options.api === undefined ? (standIn?.address ?? ANDROID_ADDRESS) : addressOf(options.api);
  const packageName = project.settings.android.id;
  return {
    options: { packageName, account: readServiceAccount(file), address, access },
    isStandIn: /^http:\/\//.test(address),
  };
}

/**
 * Opens the Android store for a project: as the account that is named, else at the stand-in that runs for this project.
 *
 * @throws HullError `store.no-account`, `store.bad-account`, `store.account-in-project`, `store.bad-address`
 */
export function openStore(project: Project, options: StoreOptions): OpenedStore {
  const { options: own, isStandIn } = reach(project, options);
  return { store: new AndroidStore(own), isStandIn };
}

/** The products of a project in the store. Throws as {@link openStore}. */
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
  const { options: own, isStandIn } = reach(project, options);
  const language = storeLanguage('android', mainLanguage(project)) ?? 'en-US';
  return {
    catalog: new AndroidCatalog(own, currency, language),
    address: own.address,
    account: own.account.email,
    isStandIn,
  };
}
