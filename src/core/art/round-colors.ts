import { pixelNumbers } from './logo.js';

/** Levels between two values that a channel is rounded to: no value moves by more than 8 of 255. */
const STEP = 16;

const ROUNDED = Uint8Array.from({ length: 256 }, (_, value) =>
  value === 255 ? 255 : Math.min(255, Math.round(value / STEP) * STEP),
);

/**
 * Rounds colours where they change from one pixel to the next, as at the edges of a drawing: these are a third of the bytes of an
 * image that is compressed without loss, and nobody sees the difference there. Flat areas and soft gradients stay as they are.
 * Encoders have a mode for it, which takes five times as long.
 *
 * @param pixels RGBA, rows from the top
 * @param width in px
 * @returns other pixels; those given are unchanged
 */
export function roundColors(pixels: Uint8Array, width: number): Uint8Array {
  const rounded = new Uint8Array(pixels);
  const whole = pixelNumbers(pixels);
  // Row by row: what is called often is compiled soon.
  for (let start = 0; start < whole.length; start += width) roundRow(whole, rounded, start, start + width);
  return rounded;
}

function roundRow(whole: Int32Array, rounded: Uint8Array, start: number, end: number): void {
  const width = end - start;
  const hasAbove = start > 0;
  const hasBelow = end < whole.length;
  let left = whole[start] as number;
  let pixel = left;
  for (let at = start; at < end; at += 1) {
    const right = at === end - 1 ? pixel : (whole[at + 1] as number);
    const above = hasAbove ? (whole[at - width] as number) : pixel;
    const below = hasBelow ? (whole[at + width] as number) : pixel;
    if (isEdge(left, pixel, right, above, below)) {
      for (let channel = 4 * at; channel < 4 * at + 4; channel += 1)
        rounded[channel] = ROUNDED[rounded[channel] as number] as number;
    }
    left = pixel;
    pixel = right;
  }
}

/** Whether one of its neighbours differs from a pixel by a step. */
function isEdge(left: number, pixel: number, right: number, above: number, below: number): boolean {
  if (left === pixel && right === pixel && above === pixel && below === pixel) return false;
  return !(isNear(left, pixel) && isNear(right, pixel) && isNear(above, pixel) && isNear(below, pixel));
}

/**
 * Whether no channel of two pixels differs by a step; a pixel is one number, a channel a byte of it. Two channels are compared at
 * once: each has 16 bits, in which 256 and the difference stand.
 */
function isNear(one: number, other: number): boolean {
  return arePairsNear(one & PAIR, other & PAIR) && arePairsNear((one >>> 8) & PAIR, (other >>> 8) & PAIR);
}

const PAIR = 0x00ff_00ff;

function arePairsNear(one: number, other: number): boolean {
  const apart = (one | 0x0100_0100) - other;
  // From 256 - 15 on, and below 256 + 16.
  return ((apart + 0x000f_000f) & 0x0300_0300) === 0x0100_0100 && ((apart + 0x00f0_00f0) & 0x0200_0200) === 0;
}
