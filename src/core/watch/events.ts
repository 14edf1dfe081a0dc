import type { Vitals } from '../browser/vitals.js';

/** A place in a script or style: the file as the device has it, and the source that it was made from where a source map says so. */
export interface ScriptPlace {
  readonly url: string;
  /** From 1. */
  readonly line: number;
  readonly column: number;
  readonly source?: { readonly file: string; readonly line: number; readonly column: number };
  /** Function that was run there. */
  readonly name?: string;
}

/** Something that was seen of an app's pages. */
export type WatchFact =
  | {
      readonly is: 'app';
      readonly state: 'waiting' | 'attached' | 'ended' | 'device-gone' | 'no-socket';
      readonly process?: number;
    }
  | {
      readonly is: 'page';
      readonly state: 'opened' | 'worker' | 'went' | 'closed' | 'crashed';
      readonly page: string;
      /** For the browser's own tools. */
      readonly inspector: string;
    }
  | {
      readonly is: 'console';
      readonly level: 'error' | 'warning' | 'info';
      readonly page: string;
      readonly text: string;
      readonly place?: ScriptPlace;
    }
  | {
      readonly is: 'error';
      readonly page: string;
      readonly text: string;
      /** Innermost first. */
      readonly stack: readonly ScriptPlace[];
    }
  | {
      readonly is: 'request';
      readonly page: string;
      readonly method: string;
      readonly url: string;
      readonly why: string;
    }
  | { readonly is: 'vitals'; readonly page: string; readonly vitals: Vitals };

export type WatchEvent = WatchFact & { readonly at: Date };
