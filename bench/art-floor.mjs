// The least that making all images can be: decode the same picture and resize it to the same sizes, as many at once, and
// encode in the same formats. It measures, fits and cuts nothing.
import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import sharp from 'sharp';
// Bundled by bench/run.mjs beforehand.
import { artPlan } from '../node_modules/.cache/hull-art-plan.mjs';

const [, , source] = process.argv;
const bytes = readFileSync(source);
const rows = artPlan().filter(({ format }) => format === 'png' || format === 'webp');
let next = 0;
async function work() {
  for (let row = rows[next++]; row !== undefined; row = rows[next++]) {
    const image = sharp(bytes).resize(row.width, row.height, { fit: 'contain', background: '#f4f1ea' });
    if (row.background === 'opaque') image.removeAlpha();
    if (row.format === 'webp') {
      await image
        .webp(
          row.background === 'shape'
            ? { lossless: true, effort: 6 }
            : { nearLossless: true, quality: 20, effort: 6 },
        )
        .toBuffer();
    } else await image.png({ compressionLevel: 9, adaptiveFiltering: false }).toBuffer();
  }
}
await Promise.all(Array.from({ length: availableParallelism() }, work));
