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
  const made = new Int32Array(half * half);
  // Row by row: what is called often is compiled soon.
  for (let y = 0; y < half; y += 1) halveRow(whole, made, side, y);
  return Buffer.from(made.buffer);
}

function halveRow(whole: Int32Array, made: Int32Array, side: number, y: number): void {
  const end = ((y + 1) * side) / 2;
  for (let out = (y * side) / 2, at = 2 * y * side; out < end; out += 1, at += 2) {
    const first = whole[at] as number;
    const second = whole[at + 1] as number;
    const third = whole[at + side] as number;
    const fourth = whole[at + side + 1] as number;
    const isOne = first === second && first === third && first === fourth;
    made[out] = isOne ? first : mean(first, second, third, fourth);
  }
}

/** Of four pixels, as {@link pixelNumbers} gives them. */
function mean(one: number, two: number, three: number, four: number): number {
  const a = one >>> 24;
  const b = two >>> 24;
  const c = three >>> 24;
  const d = four >>> 24;
  const alpha = a + b + c + d;
  if (alpha === 0) return 0;
  const low = a * (one & 0xff) + b * (two & 0xff) + c * (three & 0xff) + d * (four & 0xff);
  const middle =
    a * ((one >>> 8) & 0xff) +
    b * ((two >>> 8) & 0xff) +
    c * ((three >>> 8) & 0xff) +
    d * ((four >>> 8) & 0xff);
  const high =
    a * ((one >>> 16) & 0xff) +
    b * ((two >>> 16) & 0xff) +
    c * ((three >>> 16) & 0xff) +
    d * ((four >>> 16) & 0xff);
  return (
    (quotient(alpha, 4) << 24) |
    (quotient(high, alpha) << 16) |
    (quotient(middle, alpha) << 8) |
    quotient(low, alpha)
  );
}

/** Of two integers, rounded, halves up: as an integer, so that the engine needs no other arithmetic. */
const quotient = (sum: number, of: number): number => ((2 * sum + of) / (2 * of)) | 0;
