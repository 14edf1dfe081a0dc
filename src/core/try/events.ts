import type { Trouble } from './trouble.js';

export interface ShownRequest {
  readonly method: string;
  readonly url: string;
  readonly from: 'package' | 'network' | 'store' | 'nobody';
  /** 0 where it is not known. */
  readonly status: number;
}

/** What the app asks its user: its own reason first, as the platform then asks. */
export interface Question {
  readonly id: number;
  readonly capability: string;
  readonly reason: string;
}

/** What a session does, for those who watch. */
export type TryEvent =
  /** A picture of the page: JPEG. */
  | { readonly is: 'frame'; readonly bytes: Buffer }
  /** The state has changed. */
  | { readonly is: 'state' }
  /** Another app is in front, or another version of it. */
  | { readonly is: 'app' }
  | { readonly is: 'request'; readonly request: ShownRequest }
  | { readonly is: 'console'; readonly level: 'error' | 'warning' | 'info'; readonly text: string }
  /** Left the app: an address that opens in a browser, a window, a download. */
  | { readonly is: 'outside'; readonly what: string; readonly url: string }
  /** The shell's own page is shown in place of another. */
  | { readonly is: 'trouble'; readonly why: Trouble; readonly url: string }
  | { readonly is: 'question'; readonly question: Question }
  /** The browser is gone. */
  | { readonly is: 'ended' };
