import fc from 'fast-check';
import { expect, it } from 'vitest';
import { halve } from '../../../src/core/art/half.js';

it('a picture of one colour stays that colour at half its size, however much of it can be seen', () => {
  fc.assert(
    fc.property(
      fc.tuple(fc.nat(255), fc.nat(255), fc.nat(255)),
      fc.array(fc.nat(255), { minLength: 16, maxLength: 16 }),
      ([r, g, b], alphas) => {
        const small = halve(Uint8Array.from(alphas.flatMap((alpha) => [r, g, b, alpha])), 4);
        for (let at = 0; at < small.length; at += 4) {
          if (small[at + 3] === 0) continue;
          expect([...small.subarray(at, at + 3)]).toEqual([r, g, b]);
        }
      },
    ),
  );
});

it('each pixel is the mean of four, by how much of each can be seen', () => {
  const pixels = Uint8Array.from([...[255, 0, 0, 255, 0, 0, 255, 85], ...[1, 2, 3, 0, 9, 9, 9, 0]]);
  expect([...halve(pixels, 2)]).toEqual([191, 0, 64, 85]);
  // A view that does not begin where a number could.
  const shifted = new Uint8Array(17).subarray(1);
  shifted.set(pixels);
  expect([...halve(shifted, 2)]).toEqual([191, 0, 64, 85]);
});
