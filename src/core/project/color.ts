import { colord, extend } from 'colord';
import names from 'colord/plugins/names';
import { HullError, type Location } from '../errors.js';

extend([names]);

/** Red, green, blue and alpha, each 0 to 255. */
export interface Rgba {
  readonly r: number;
  readonly g: number;
  readonly b: number;
  readonly a: number;
}

/** A CSS colour (hexadecimal, rgb(), hsl(), a name), or `undefined` where it is none. */
export function parseColor(text: string): Rgba | undefined {
  const color = colord(text.trim());
  if (!color.isValid()) return undefined;
  const { r, g, b, a } = color.toRgb();
  return { r: Math.round(r), g: Math.round(g), b: Math.round(b), a: Math.round(a * 255) };
}

/** An opaque colour. Throws `config.bad-value`. */
export function requireOpaqueColor(text: string, location: Location): Rgba {
  const color = parseColor(text);
  if (color === undefined) {
    throw new HullError('config.bad-value', `"${text}" is not a CSS colour.`, {
      location,
      fix: 'Write it as in #0b4f6c, rgb(11 79 108) or teal.',
    });
  }
  if (color.a !== 255) {
    throw new HullError(
      'config.bad-value',
      `"${text}" is not opaque; this colour is behind everything else.`,
      {
        location,
        fix: 'Leave out the alpha part.',
      },
    );
  }
  return color;
}

/** `#rrggbb` */
export function toHex({ r, g, b }: Rgba): string {
  return `#${[r, g, b].map((part) => part.toString(16).padStart(2, '0')).join('')}`;
}

/** 0xAARRGGBB, unsigned. */
export function toArgb({ r, g, b, a }: Rgba): number {
  return ((a << 24) | (r << 16) | (g << 8) | b) >>> 0;
}

/** Relative luminance, 0 to 1 (WCAG 2.2). */
export function luminance({ r, g, b }: Rgba): number {
  const linear = (part: number) => {
    const c = part / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  };
  return 0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b);
}

/** Contrast ratio of two colours, 1 to 21 (WCAG 2.2). */
export function contrast(one: Rgba, two: Rgba): number {
  const [a, b] = [luminance(one), luminance(two)];
  return (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
}

/** Steps of one channel from which two colours side by side are seen as two, also where one is as light as the other. */
const SEEN_APART = 32;

/** Whether two colours side by side are seen as two: by their lightness, or by their hue. */
export function looksDifferent(one: Rgba, two: Rgba): boolean {
  const steps = [one.r - two.r, one.g - two.g, one.b - two.b].map(Math.abs);
  return contrast(one, two) > 1.15 || Math.max(...steps) > SEEN_APART;
}

/** Whether dark symbols read better on a colour than white ones (contrast ratio of WCAG 2.2). */
export function wantsDarkSymbols(color: Rgba): boolean {
  const l = luminance(color);
  return (l + 0.05) / 0.05 > 1.05 / (l + 0.05);
}
