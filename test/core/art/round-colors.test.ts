import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { roundColors } from '../../../src/core/art/round-colors.js';

const pixel = (...channels: number[]) => Uint8Array.from(channels);
const rows = (count: number, make: (at: number) => Uint8Array) =>
  Uint8Array.from(Array.from({ length: count }, (_, at) => [...make(at)]).flat());

describe('colours that are rounded at edges', () => {
  it('move by eight levels of 255 at most, whatever the picture is, and by none where it is opaque or clear', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 1, max: 9 }),
        fc.infiniteStream(fc.constantFrom(0, 3, 15, 16, 17, 100, 129, 200, 254, 255)),
        (width, height, stream) => {
          const pixels = Uint8Array.from({ length: 4 * width * height }, () => stream.next().value as number);
          const before = new Uint8Array(pixels);
          const rounded = roundColors(pixels, width);
          expect(pixels).toEqual(before);
          for (const [at, value] of rounded.entries()) {
            expect(Math.abs(value - (before[at] as number))).toBeLessThanOrEqual(8);
            if (before[at] === 0 || before[at] === 255) expect(value).toBe(before[at]);
          }
        },
      ),
    );
  });

  it('stay as they are on flat areas and in soft gradients', () => {
    const flat = rows(64, () => pixel(11, 79, 108, 255));
    expect(roundColors(flat, 8)).toEqual(flat);
    const soft = rows(64, (at) => pixel(7 + (at % 8) * 5, 79, 108, 255));
    expect(roundColors(soft, 8)).toEqual(soft);
  });

  it('are rounded from a difference of sixteen levels in any channel on', () => {
    for (let channel = 0; channel < 4; channel += 1) {
      for (let one = 0; one < 256; one += 1) {
        for (const other of [
          one - 17,
          one - 16,
          one - 15,
          one - 1,
          one + 1,
          one + 15,
          one + 16,
          one + 17,
          255 - one,
        ]) {
          if (other < 0 || other > 255) continue;
          const pair = Uint8Array.from([9, 250, 130, 7, 9, 250, 130, 7]);
          pair[channel] = one;
          pair[4 + channel] = other;
          const isKept = Buffer.from(roundColors(pair, 2)).equals(pair);
          expect(isKept, `channel ${channel}: ${one} beside ${other}`).toBe(Math.abs(one - other) < 16);
        }
      }
    }
  });

  it('are fewer at the edge of a drawing', () => {
    const edge = rows(64, (at) => pixel(11, 79, 108, [0, 37, 81, 122, 163, 201, 243, 255][at % 8] ?? 0));
    const alphas = new Set(roundColors(edge, 8).filter((_, at) => at % 4 === 3));
    expect([...alphas].every((alpha) => alpha === 255 || alpha % 16 === 0)).toBe(true);
  });
});
