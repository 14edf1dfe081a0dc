import type { LargestPaint, LongTask, ShiftedElement, SlowInteraction } from '../../browser/vitals.js';

/** How fast pages are, as a mid-range phone would see them. Times in ms, sizes in bytes unless said otherwise. */
export interface SpeedFacts {
  /** Visits of each page and kind that the medians are of. */
  readonly runs: number;
  readonly pages: readonly PageSpeed[];
}

/** How a page is reached. */
export type VisitKind =
  /** From the package: no network between page and files. */
  | 'package'
  /** From the package, once more. */
  | 'package-again'
  /** Over the network, with nothing cached. */
  | 'first'
  /** Over the network, after a first visit. */
  | 'again';

export interface PageSpeed {
  /** Address of the page in the site. */
  readonly url: string;
  readonly visits: readonly Visit[];
  /** What was seen in a visit of its own, which is in no median. */
  readonly closer: CloserLook | undefined;
}

/** The median of some runs, and the least and the most of them. */
export interface Spread {
  readonly median: number;
  readonly least: number;
  readonly most: number;
}

/** Names of what is measured of a visit. */
export const METRICS = [
  'firstByte',
  'firstPaint',
  'largestPaint',
  'shift',
  'blocked',
  'interaction',
] as const;
export type Metric = (typeof METRICS)[number];

export interface Visit {
  readonly kind: VisitKind;
  /** What no run has seen is left out: a page without a control has no interaction. */
  readonly metrics: Readonly<Partial<Record<Metric, Spread>>>;
  /** Of the median run by its largest paint: what the findings tell of. */
  readonly largest: LargestPaint | undefined;
  readonly shifted: readonly ShiftedElement[];
  readonly tasks: readonly LongTask[];
  readonly slowest: SlowInteraction | undefined;
  readonly requests: number;
  /** Bytes that came over the network, by kind: nothing of the package. */
  readonly bytes: Readonly<Record<ByteKind, number>>;
}

export type ByteKind = 'document' | 'script' | 'style' | 'image' | 'font' | 'media' | 'other';

/** A request of a visit. Times from the navigation's beginning. */
export interface TimedRequest {
  readonly url: string;
  readonly kind: ByteKind;
  readonly status: number;
  readonly start: number;
  /** First byte of the answer. */
  readonly answered: number;
  readonly end: number;
  /** As they came over the network, and as they were read. */
  readonly bytes: number;
  readonly unpacked: number;
  readonly from: 'network' | 'cache' | 'worker';
  /** Whether the page was not drawn before it had come (Resource Timing, `renderBlockingStatus`). */
  readonly isBlocking: boolean;
  /** How long it may be kept, in seconds; `undefined` where the answer does not say. */
  readonly keptFor: number | undefined;
  /** Which address asked for it, for what is not asked for by the page itself. */
  readonly by: string;
}

export interface Frame {
  readonly at: number;
  /** JPEG. */
  readonly image: Uint8Array;
}

/** A script or style of which a part was never used while the page loaded. */
export interface UnusedPart {
  readonly url: string;
  readonly kind: 'script' | 'style';
  /** Of its text. */
  readonly size: number;
  readonly unused: number;
}

/** A picture that holds more than what is shown of it, or that another format would hold in less. */
export interface HeavyPicture {
  readonly url: string;
  readonly element: string;
  readonly bytes: number;
  /** Its own size in px, and that of the place where it is shown, in device px. */
  readonly width: number;
  readonly height: number;
  readonly shownWidth: number;
  readonly shownHeight: number;
  /** Bytes as WebP of the shown size, where that was tried. */
  readonly better: number | undefined;
}

export interface CloserLook {
  readonly kind: VisitKind;
  readonly firstPaint: number | undefined;
  readonly largestPaint: number | undefined;
  readonly requests: readonly TimedRequest[];
  readonly frames: readonly Frame[];
  readonly unused: readonly UnusedPart[];
  readonly pictures: readonly HeavyPicture[];
}

/** The phone and network that are simulated. */
export const PROFILE = {
  /** How much slower than this computer's the processor is. */
  processor: 4,
  /** Bits a second and ms. */
  down: 4_000_000,
  up: 1_000_000,
  latency: 100,
} as const;

/** The profile in words. */
export const profileText = (): string =>
  `a processor ${PROFILE.processor} times slower than this computer's, a network of ${PROFILE.down / 1_000_000} Mbit/s with ${PROFILE.latency} ms delay`;
