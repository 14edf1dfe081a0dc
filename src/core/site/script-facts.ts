import { CAPABILITIES } from './capabilities.js';
import type { Position } from './positions.js';

/** One use of a capability in a script. */
export interface WebCapabilityUse extends Position {
  /** Names as in {@link CAPABILITIES}; several where the script does not show which of them it is. */
  readonly names: readonly string[];
  /** The call as it stands, shortened. */
  readonly text: string;
}

/** An address in a script. */
export interface ScriptAddress extends Position {
  /** As written, or its beginning where the rest is put together as the script runs. */
  readonly text: string;
  readonly complete: boolean;
  /** Whether it is relative to the script (`new URL(…, import.meta.url)`) rather than to the page. */
  readonly fromScript?: boolean;
}

export interface ScriptImport extends ScriptAddress {
  /** `module`: relative to the script; `worker`: a worker's `importScripts`. */
  readonly kind: 'module' | 'worker';
}

export interface WorkerRegistration extends Position {
  /** Address of the worker, `undefined` where the script puts it together as it runs. */
  readonly url: string | undefined;
  /** Whether the address is relative to the script (`new URL(…, import.meta.url)`) rather than to the page. */
  readonly fromScript: boolean;
  readonly scope: string | undefined;
}

/** What the survey needs to know of a script: its syntax tree is not kept. */
export interface ScriptFacts {
  /** Why it does not parse, where it does not. */
  readonly fault?: Position & { readonly message: string };
  readonly uses: readonly WebCapabilityUse[];
  readonly registrations: readonly WorkerRegistration[];
  readonly imports: readonly ScriptImport[];
  /** Whether a worker imports scripts whose addresses it puts together as it runs. */
  readonly hiddenImports: boolean;
  /** Addresses that are asked for: fetch, XMLHttpRequest, WebSocket, EventSource, beacons. */
  readonly requests: readonly ScriptAddress[];
  /** Where memory that threads share is made, which takes cross-origin isolation. */
  readonly sharedMemory: readonly Position[];
  /** Page that a service worker answers navigations with, where it names one. */
  readonly navigationFallback?: string;
  /** Whether it makes style rules (CSS Object Model): `insertRule`, `replaceSync`, `adoptedStyleSheets`. */
  readonly makesStyles: boolean;
  /** Words of its short texts that may be names of classes. */
  readonly words: ReadonlySet<string>;
  /** Events that the script's own global listens for. */
  readonly listens: ReadonlySet<string>;
  /** Whether it reads the cache: `caches.match`, or `match` of a cache. */
  readonly readsCache: boolean;
}

export const NO_SCRIPT: ScriptFacts = {
  uses: [],
  registrations: [],
  imports: [],
  hiddenImports: false,
  requests: [],
  sharedMemory: [],
  makesStyles: false,
  words: new Set(),
  listens: new Set(),
  readsCache: false,
};
