import type { ElementNode } from './elements.js';
import type { Position } from './positions.js';

/** What the head of a page says of the app. */
export interface PageHead {
  readonly title?: string;
  readonly manifest?: string;
  readonly canonical?: string;
  readonly themeColor?: string;
  /** `rel="icon"` and touch icons, in page order. */
  readonly icons: readonly { readonly href: string; readonly largest: number; readonly type?: string }[];
}

/** What an address in a page is for. */
export type ReferenceKind =
  | 'link'
  | 'script'
  | 'module'
  | 'style'
  | 'image'
  | 'media'
  | 'frame'
  | 'form'
  | 'manifest'
  | 'icon'
  | 'touch-icon'
  | 'startup-image'
  | 'preload'
  | 'canonical';

/** An address that a page names. */
export interface Reference extends Position {
  readonly kind: ReferenceKind;
  /** As written. */
  readonly text: string;
  /** Media query of a start-up image. */
  readonly media?: string;
}

export interface Meta extends Position {
  /** `name`, `property` or `http-equiv`, in lower case. */
  readonly name: string;
  readonly content: string;
  readonly media?: string;
}

/** A script or style sheet that is in the page itself. */
export interface InlineText extends Position {
  readonly text: string;
}

/** An element with its place. */
export interface LocatedElement extends Position {
  readonly tag: string;
  readonly node: ElementNode;
}

/** A field or button that matters to stores or permissions. */
export interface FieldFacts extends Position {
  readonly type: string;
  readonly autocomplete: string;
  /** `capture` attribute of a file field: opens the camera or microphone. */
  readonly capture: boolean;
  readonly accept: string;
}

/** What the survey needs to know of a page: its tree is not kept, so that thousands of pages fit into memory. */
export interface PageFacts {
  readonly head: PageHead;
  readonly lang?: string;
  /** `href` of `<base>`. */
  readonly base?: string;
  /** Place of `<head>`, or of the page's beginning. */
  readonly headPosition: Position;
  readonly metas: readonly Meta[];
  readonly references: readonly Reference[];
  readonly scripts: readonly (InlineText & { readonly module: boolean })[];
  readonly styles: readonly InlineText[];
  /** `style` attributes that could matter. */
  readonly styleAttributes: readonly InlineText[];
  /** The bar at the top of the page as it names itself: the first `header`, else `role=banner`. */
  readonly banner?: LocatedElement;
  /** Elements that content is in: `html`, `body`, `main`, the children of `body`, and what their content begins and ends with. */
  readonly frames: readonly ElementNode[];
  /** All elements that have a box, each kind once. */
  readonly elements: ReadonlySet<ElementNode>;
  readonly classes: ReadonlySet<string>;
  readonly tags: ReadonlySet<string>;
  readonly fields: readonly FieldFacts[];
  /** Places where the markup is broken, at most a few. */
  readonly faults: readonly (Position & { readonly code: string })[];
  /** Letters of text in the body, counted up to a small limit: tells an empty shell from a page. */
  readonly textLength: number;
  /** Texts of links, each address once a site, for those that say where the privacy page is. */
  readonly linkTexts: readonly { readonly href: string; readonly text: string }[];
}
