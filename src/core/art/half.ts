import { pixelNumbers } from './logo.js';

/**
 * A picture at half its size: each pixel is the mean of four, by how much of each can be seen, so that a single colour stays
 * that colour also where it is see-through.
 *
 * @param pixels RGBA, rows from the top
 * @param side of the square in px, even
 */
export function halve(pixels: Uint8Array, side: number): Buffer {
  const whole = pixelNumbers(pixels);
  const half = side / 2;
  const made = new Uint32Array(half * half);
  for (let y = 0, out = 0; y < half; y += 1) {
    for (let x = 0, at = 2 * y * side; x < half; x += 1, at += 2, out += 1) {
      const first = whole[at] as number;
      const isOne = first === whole[at + 1] && first === whole[at + side] && first === whole[at + side + 1];
      made[out] = isOne ? first : mean(pixels, 4 * at, 4 * side);
    }
  }
  return Buffer.from(made.buffer);
}

/** Of the four pixels from a byte on: red in the lowest byte, as a pixel is on every machine that Node.js runs on. */
function mean(pixels: Uint8Array, at: number, row: number): number {
  let [r, g, b, alpha] = [0, 0, 0, 0];
  for (let i = 0; i < 4; i += 1) {
    const pixel = at + (i % 2 === 0 ? 0 : 4) + (i < 2 ? 0 : row);
    const weight = pixels[pixel + 3] as number;
    r += (pixels[pixel] as number) * weight;
    g += (pixels[pixel + 1] as number) * weight;
    b += (pixels[pixel + 2] as number) * weight;
    alpha += weight;
  }
  if (alpha === 0) return 0;
  const of = (sum: number) => Math.round(sum / alpha);
  return Math.round(alpha / 4) * 0x100_0000 + of(b) * 0x1_0000 + of(g) * 0x100 + of(r);
}
