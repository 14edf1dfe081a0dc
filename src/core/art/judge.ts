import { contrast, type Rgba, toHex } from '../project/color.js';
import { Kept } from '../util/kept.js';
import { farthest, type Logo, pixelNumbers, shapeOf, VANISHES } from './logo.js';

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

/** What is seen of a shape: the first and the last pixel of the latest row, -1 where there is none; and counts over all rows. */
const COUNT = { first: 0, last: 1, seen: 2, other: 3 } as const;

/** Rows are added one by one: what is called often is compiled soon. @param mean of which others are of another colour */
function addRow(
  counts: Int32Array,
  {
    pixels,
    shapes,
    side,
  }: { readonly pixels: Int32Array; readonly shapes: Int32Array; readonly side: number },
  start: number,
  mean: Rgba,
): void {
  let first = -1;
  let last = -1;
  let seen = 0;
  let other = 0;
  let before = pixels[start] as number;
  let isOther = farthest(before, mean) > APART;
  for (let x = 0; x < side; x += 1) {
    if ((shapes[start + x] as number) >>> 24 < SEEN) continue;
    seen += 1;
    if (first < 0) first = x;
    last = x;
    const pixel = pixels[start + x] as number;
    if (pixel !== before) isOther = farthest(pixel, mean) > APART;
    before = pixel;
    if (isOther) other += 1;
  }
  counts[COUNT.first] = first;
  counts[COUNT.last] = last;
  counts[COUNT.seen] = (counts[COUNT.seen] as number) + seen;
  counts[COUNT.other] = (counts[COUNT.other] as number) + other;
}

/**
 * Why a picture does not work in one colour, as themed icons and badges show it: its drawing is lost where it has colours of
 * its own inside a plain shape. `undefined` where it works.
 */
export function judgeShape(logo: Logo): string | undefined {
  return judged.get(logo, 'shape', () => lostInShape(logo));
}

/** A picture is judged once, however many brands have it. */
const judged = new Kept<Logo, 'shape', string | undefined>();

function lostInShape(logo: Logo): string | undefined {
  const { data, area } = logo;
  // Of what does not fill its square the shape is its alpha.
  const shape = area.fills ? shapeOf(logo, { r: 255, g: 255, b: 255, a: 255 }) : data;
  const { mean } = area;
  const side = Math.sqrt(data.length / 4);
  const rows = { pixels: pixelNumbers(data), shapes: pixelNumbers(shape), side };
  const counts = new Int32Array(4);
  const count = (of: keyof typeof COUNT) => counts[COUNT[of]] as number;
  let [left, top, right, bottom] = [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY, -1, -1];
  for (let y = 0; y < side; y += 1) {
    addRow(counts, rows, y * side, mean);
    if (count('first') < 0) continue;
    left = Math.min(left, count('first'));
    right = Math.max(right, count('last'));
    top = Math.min(top, y);
    bottom = y;
  }
  const [seen, other] = [count('seen'), count('other')];
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
