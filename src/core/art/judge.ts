import { contrast, type Rgba, toHex } from '../project/color.js';
import { type Logo, shapeOf, VANISHES } from './logo.js';

/** Alpha from which on a pixel of a shape is seen. */
const SEEN = 128;
/** Part of its own box from which on a shape is a plain disc or square, whose outline says nothing. */
const PLAIN = 0.75;
/** Part of a shape that has to be of another colour than the rest, for that to be its drawing. */
const DRAWN = 0.03;
/** Difference of 255 in one channel from which on two colours are two. */
const APART = 60;
/** Part of the picture below which nothing is left of it, or nothing but the picture's square. */
const LEFT = 0.003;

/**
 * Why a picture does not work in one colour, as themed icons and badges show it: its drawing is lost where it has colours of
 * its own inside a plain shape. `undefined` where it works.
 */
export function judgeShape(logo: Logo): string | undefined {
  const { data, area } = logo;
  // Of what does not fill its square the shape is its alpha.
  const shape = area.fills ? shapeOf(logo, { r: 255, g: 255, b: 255, a: 255 }) : data;
  const { mean } = area;
  let [seen, other] = [0, 0];
  let [left, top, right, bottom] = [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY, -1, -1];
  const side = Math.sqrt(data.length / 4);
  for (let i = 0, x = 0, y = 0; i < data.length; i += 4, x += 1) {
    if (x === side) [x, y] = [0, y + 1];
    if ((shape[i + 3] as number) < SEEN) continue;
    seen += 1;
    if (x < left) left = x;
    if (x > right) right = x;
    if (y < top) top = y;
    bottom = y;
    const far = Math.max(
      Math.abs((data[i] as number) - mean.r),
      Math.abs((data[i + 1] as number) - mean.g),
      Math.abs((data[i + 2] as number) - mean.b),
    );
    if (far > APART) other += 1;
  }
  const all = data.length / 4;
  if (seen / all < LEFT) return 'nothing stands out from the picture’s own background';
  const box = (right - left + 1) * (bottom - top + 1);
  if (!area.fills && seen / box >= PLAIN && other / seen >= DRAWN)
    return 'its drawing is inside a plain shape, and in one colour only that shape is left';
  return undefined;
}

/** Colours that are behind the picture while the app starts. */
export interface StartGround {
  readonly light: Rgba;
  /** Only where it is another. */
  readonly dark: Rgba | undefined;
}

/** Why a picture cannot be seen while the app starts; nothing is drawn behind it there but one colour. */
export function judgeStart({ area }: Logo, { light, dark }: StartGround): string | undefined {
  if (area.fills) return undefined;
  for (const color of dark === undefined ? [light] : [light, dark]) {
    const ratio = contrast(area.mean, color);
    if (ratio < VANISHES)
      return `The picture cannot be seen on ${toHex(color)} while the app starts (contrast ${ratio.toFixed(2)} to 1). Set another background colour (look.background_color, look.dark), or a picture of its own (look.art.splash).`;
  }
  return undefined;
}
