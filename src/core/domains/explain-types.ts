import type { Location } from '../errors.js';
import type { LinkFilter } from '../links/intent-filter.js';
import type { AppLink } from '../links/links.js';
import type { AppleAssociation } from './documents/apple-association.js';
import type { AssetLinks } from './documents/asset-links.js';
import type { OriginAssociation } from './documents/origin-association.js';
import type { WebApp } from './web-app.js';

/** A document as verifiers would read it, and where it came from. */
export interface LoadedDocument<D> {
  readonly location: Location;
  readonly document: D;
  /** Why it does not count, where it does not. */
  readonly broken?: string;
}

/** What is known of an app and of the documents about it. */
export interface AskFacts {
  readonly android:
    | {
        readonly packageName: string;
        /** Certificates that the app is signed with; `undefined` where none is known, and names alone are compared. */
        readonly certificates: readonly string[] | undefined;
        readonly filters: readonly LinkFilter[];
        /** Where the filters come from: a package, or `hull.json`. */
        readonly from: string;
        readonly minSdk: number;
        /** The shell's own rules, which it keeps where the platform cannot. */
        readonly links: readonly AppLink[];
        readonly documents: ReadonlyMap<string, LoadedDocument<AssetLinks>>;
      }
    | undefined;
  readonly apple:
    | {
        readonly appId: string;
        /** Hosts of the entitlement, `*.` for those below one. */
        readonly hosts: readonly string[];
        /** Whether devices before version 13 are meant too. */
        readonly older: boolean;
        readonly documents: ReadonlyMap<string, LoadedDocument<AppleAssociation>>;
      }
    | undefined;
  readonly web:
    | (WebApp & { readonly documents: ReadonlyMap<string, LoadedDocument<OriginAssociation>> })
    | undefined;
  /** Whether an address stays in the app; what does not opens the app at its start. */
  readonly staysInside: (url: URL) => boolean;
}

/** Who opens a link: the app; the browser; the app for a moment, which hands it on. */
export type Opener = 'app' | 'browser' | 'app-hands-on';

export interface Step {
  readonly holds: boolean;
  readonly text: string;
  readonly location?: Location;
}

export interface PlatformAnswer {
  readonly opens: Opener;
  /** Where older devices differ. */
  readonly before?: { readonly version: string; readonly opens: Opener };
  /** The rule that decided, in few words. */
  readonly rule: string;
  readonly location?: Location;
  /** Only where they were asked for. */
  readonly steps: readonly Step[];
}

export interface UrlAnswer {
  readonly url: string;
  readonly android?: PlatformAnswer;
  readonly apple?: PlatformAnswer;
  readonly web?: PlatformAnswer;
}

/** How much of the way to an answer is shown. */
export type Telling = 'answer' | 'steps';
