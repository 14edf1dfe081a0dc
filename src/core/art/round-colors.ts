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
  const whole = new Uint32Array(rounded.buffer.slice(0));
  const count = whole.length;
  for (let at = 0, column = 0; at < count; at += 1, column += 1) {
    if (column === width) column = 0;
    const pixel = whole[at] as number;
    const left = column === 0 ? pixel : (whole[at - 1] as number);
    const right = column === width - 1 ? pixel : (whole[at + 1] as number);
    const above = at < width ? pixel : (whole[at - width] as number);
    const below = at >= count - width ? pixel : (whole[at + width] as number);
    if (left === pixel && right === pixel && above === pixel && below === pixel) continue;
    if (isNear(left, pixel) && isNear(right, pixel) && isNear(above, pixel) && isNear(below, pixel)) continue;
    for (let channel = 4 * at; channel < 4 * at + 4; channel += 1)
      rounded[channel] = ROUNDED[pixels[channel] as number] as number;
  }
  return rounded;
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
