import type { Insets } from '../browser/app-display.js';

/** A home screen: how much room a label has. */
export interface HomeScreen {
  readonly name: string;
  readonly platform: 'android' | 'apple';
  /** dp or pt. */
  readonly icon: number;
  readonly labelRoom: number;
  readonly labelSize: number;
}

/**
 * Grids that launchers in use have; makers and users change them. A cell is the screen without its margins, by the
 * number of columns; a label has the cell without a gap of 4 dp at each side.
 */
export const HOME_SCREENS: readonly HomeScreen[] = [
  { name: 'Android phone, 5 columns', platform: 'android', icon: 52, labelRoom: 67, labelSize: 12 },
  { name: 'Android phone, 4 columns', platform: 'android', icon: 60, labelRoom: 78, labelSize: 13 },
  { name: 'Android tablet', platform: 'android', icon: 64, labelRoom: 104, labelSize: 14 },
  { name: 'Apple phone', platform: 'apple', icon: 60, labelRoom: 78, labelSize: 12 },
  { name: 'Apple tablet', platform: 'apple', icon: 68, labelRoom: 104, labelSize: 12 },
];

/** A device that pages are shown on, in CSS px, portrait. */
export interface Device {
  readonly key: string;
  readonly platform: 'android' | 'apple';
  readonly kind: 'phone' | 'tablet';
  readonly width: number;
  readonly height: number;
  /** Device pixels a CSS px. */
  readonly ratio: number;
  /** Radius of the screen's corners. */
  readonly corner: number;
  /** What the system covers, portrait and landscape. */
  readonly insets: { readonly portrait: Insets; readonly landscape: Insets };
  /** The cutout, in portrait: centre and size. */
  readonly cutout?: { readonly y: number; readonly width: number; readonly height: number };
}

const none: Insets = { top: 0, right: 0, bottom: 0, left: 0 };

/** One device of each class, with insets as such devices report them. The shapes are plain ones of our own. */
export const DEVICES: readonly Device[] = [
  {
    key: 'android-phone',
    platform: 'android',
    kind: 'phone',
    width: 412,
    height: 892,
    ratio: 2.625,
    corner: 34,
    insets: {
      portrait: { ...none, top: 40, bottom: 24 },
      landscape: { top: 28, right: 0, bottom: 24, left: 40 },
    },
    cutout: { y: 20, width: 22, height: 22 },
  },
  {
    key: 'apple-phone',
    platform: 'apple',
    kind: 'phone',
    width: 393,
    height: 852,
    ratio: 3,
    corner: 44,
    insets: {
      portrait: { ...none, top: 59, bottom: 34 },
      landscape: { top: 0, right: 59, bottom: 21, left: 59 },
    },
    cutout: { y: 30, width: 30, height: 30 },
  },
  {
    key: 'android-tablet',
    platform: 'android',
    kind: 'tablet',
    width: 800,
    height: 1280,
    ratio: 2,
    corner: 22,
    insets: { portrait: { ...none, top: 24, bottom: 24 }, landscape: { ...none, top: 24, bottom: 24 } },
  },
  {
    key: 'apple-tablet',
    platform: 'apple',
    kind: 'tablet',
    width: 820,
    height: 1180,
    ratio: 2,
    corner: 26,
    insets: { portrait: { ...none, top: 24, bottom: 20 }, landscape: { ...none, top: 24, bottom: 20 } },
  },
];

export type Orientation = 'portrait' | 'landscape';

/** A device held one way: the size of its screen and what the system covers. */
export interface HeldScreen {
  readonly device: Device;
  readonly orientation: Orientation;
  readonly width: number;
  readonly height: number;
  readonly insets: Insets;
}

export function heldScreens(): HeldScreen[] {
  return DEVICES.flatMap((device) =>
    (['portrait', 'landscape'] as const).map((orientation) => ({
      device,
      orientation,
      width: orientation === 'portrait' ? device.width : device.height,
      height: orientation === 'portrait' ? device.height : device.width,
      insets: device.insets[orientation],
    })),
  );
}
