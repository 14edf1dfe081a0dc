import type { Insets } from '../browser/app-display.js';
import type { SpeedFacts } from './speed/facts.js';

/** A screen that pages are shown on, with what covers its edges. */
export interface Device {
  readonly name: string;
  /** CSS px. */
  readonly width: number;
  readonly height: number;
  /** Device pixels a CSS px. */
  readonly scale: number;
  /** Cutout and gesture bar, in CSS px from each edge. */
  readonly insets: Insets;
}

/** An element as seen on a page: a short description, and its place in CSS px. */
export interface SeenElement {
  /** As in `nav.tabs a`. */
  readonly element: string;
  /** The beginning of its text or label. */
  readonly text: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Engines that pages are looked at in. */
export type ShownBy = 'chromium' | 'webkit';

/** One page on one device. */
export interface PageView {
  /** Address of the page in the site. */
  readonly url: string;
  readonly device: Device;
  readonly engine: ShownBy;
  /** JPEG; kept for the start page only. */
  readonly screenshot?: Uint8Array;
  /** Letters that can be read on it. */
  readonly textLength: number;
  /** Width of what can be scrolled to, CSS px. */
  readonly scrollWidth: number;
  /** Elements that reach beyond the right edge. */
  readonly wide: readonly SeenElement[];
  /** Controls smaller than a finger can hit. */
  readonly small: readonly SeenElement[];
  /** Texts and controls in fixed bars that the cutout or the gesture bar covers. */
  readonly underCutout: readonly (SeenElement & { readonly edge: 'top' | 'right' | 'bottom' | 'left' })[];
  /** Content that a fixed bar covers with nowhere to scroll to. */
  readonly underBar: readonly (SeenElement & { readonly bar: string })[];
}

/** What is measured in a page. */
export type Measured = Omit<PageView, 'url' | 'device' | 'engine' | 'screenshot'>;

/** A request that a page made. */
export interface SeenRequest {
  readonly page: string;
  readonly url: string;
  /** As in `script`, `image`, `fetch`. */
  readonly kind: string;
}

/** How the app answered when something failed. */
export interface FailureAnswer {
  /** Whether a page came at all. */
  readonly answered: boolean;
  /** Whether it is the app's own: from its origin, with its styles or words. */
  readonly own: boolean;
  readonly status?: number;
  readonly title?: string;
  readonly error?: string;
}

/** A page as it is once its scripts have drawn it. */
export interface RenderedPage {
  /** Address in the site. */
  readonly url: string;
  /** Its document, with the styles that scripts made. */
  readonly html: string;
  /** What the host sent. */
  readonly source: string;
}

/** What a real browser showed. */
export interface BrowserFacts {
  /** Name and version. */
  readonly browser: string;
  /** Whether a worker controls the start page once it is loaded again. */
  readonly workerControls: boolean | undefined;
  /** Whether the start page is cut off from other origins, so that its threads may share memory. */
  readonly isolated: boolean;
  /** The start page with the network cut. */
  readonly offline: FailureAnswer;
  /** A page that is not there. */
  readonly notFound: FailureAnswer;
  /** The start page while the server answers with 503. */
  readonly serverError: FailureAnswer;
  readonly views: readonly PageView[];
  readonly rendered: readonly RenderedPage[];
  /** How many more pages the shown ones lead to, which were not opened. */
  readonly notOpened: number;
  readonly errors: readonly { readonly page: string; readonly text: string; readonly at?: string }[];
  /** Requests to other origins, and requests without TLS. */
  readonly requests: readonly SeenRequest[];
  /** Capabilities that pages asked for while they loaded. */
  readonly asked: readonly { readonly page: string; readonly name: string }[];
  /** `undefined` where it was not measured. */
  readonly speed?: SpeedFacts | undefined;
}

/** What the engine of Apple's devices showed, as far as its driver can. */
export interface WebKitFacts {
  /** Name and version. */
  readonly browser: string;
  readonly views: readonly PageView[];
  /** Pages that did not load, with the reason. */
  readonly notLoaded: readonly { readonly page: string; readonly text: string }[];
  readonly rendered: readonly RenderedPage[];
  readonly notOpened: number;
  readonly requests: readonly SeenRequest[];
  /** What pages said while they loaded; `undefined` for hosted pages, of which the driver does not tell it. */
  readonly watched:
    | {
        readonly errors: BrowserFacts['errors'];
        readonly asked: BrowserFacts['asked'];
      }
    | undefined;
}
