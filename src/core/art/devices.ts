/** Android's screen densities: pixels for one dp, as dots per inch over 160. */
export const DENSITIES = [
  { name: 'mdpi', dpi: 160 },
  { name: 'hdpi', dpi: 240 },
  { name: 'xhdpi', dpi: 320 },
  { name: 'xxhdpi', dpi: 480 },
  { name: 'xxxhdpi', dpi: 640 },
] as const;

export interface DeviceClass {
  /** CSS px, portrait. */
  readonly width: number;
  readonly height: number;
  /** Device pixels a CSS px. */
  readonly ratio: number;
  readonly kind: 'phone' | 'tablet';
}

const phone = (width: number, height: number, ratio: number): DeviceClass => ({
  width,
  height,
  ratio,
  kind: 'phone',
});
const tablet = (width: number, height: number): DeviceClass => ({ width, height, ratio: 2, kind: 'tablet' });

/**
 * Screens for which web clips want start-up images: one image for each exact size, or the screen stays white (Apple web
 * clips, "apple-touch-startup-image"). Device classes in use, by CSS size and pixel ratio.
 */
export const STARTUP_DEVICES: readonly DeviceClass[] = [
  phone(375, 667, 2),
  phone(375, 812, 3),
  phone(390, 844, 3),
  phone(393, 852, 3),
  phone(402, 874, 3),
  phone(414, 896, 2),
  phone(414, 896, 3),
  phone(420, 912, 3),
  phone(428, 926, 3),
  phone(430, 932, 3),
  phone(440, 956, 3),
  tablet(744, 1133),
  tablet(768, 1024),
  tablet(810, 1080),
  tablet(820, 1180),
  tablet(834, 1112),
  tablet(834, 1194),
  tablet(834, 1210),
  tablet(1024, 1366),
  tablet(1032, 1376),
];
