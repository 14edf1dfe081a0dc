import fc from 'fast-check';
import sharp from 'sharp';
import { expect, it } from 'vitest';
import { drawRow } from '../../../src/core/art/draw.js';
import { halve } from '../../../src/core/art/half.js';
import { prepareIconSet } from '../../../src/core/art/icon-set.js';
import { type ArtRow, packedRows } from '../../../src/core/art/plan.js';

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

it('a logo that just does not fill its square is drawn at every size', async () => {
  // It ends at odd pixels of what it is scaled from, one short of the edges.
  const drawing =
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1024 1024"><path d="M1 512 512 1l511 511-511 511z" fill="#b03060"/></svg>';
  const { icons } = await prepareIconSet({
    logo: { bytes: new TextEncoder().encode(drawing), location: { file: 'icon.svg' } },
    others: {},
    background: { is: 'color', color: { r: 255, g: 255, b: 255, a: 255 } },
    darkGround: { r: 0, g: 0, b: 0, a: 255 },
    themeColor: { r: 11, g: 79, b: 108, a: 255 },
    padding: {},
  });
  const [row] = packedRows();
  for (let side = 16; side <= 300; side += 7) {
    for (const share of [0.9, 1]) {
      const fit = { ...(row as ArtRow).fit, by: 'box', share } as const;
      const bytes = await drawRow(
        { ...(row as ArtRow), width: side, height: side, fit, format: 'png' },
        icons,
      );
      expect((await sharp(bytes).metadata()).width, `${side} px`).toBe(side);
    }
  }
});
