// The least that making all images can be: decode the same picture and resize it to the same sizes, as many at once, and
// encode in the same formats. It measures, fits and cuts nothing.
//   node bench/art-floor.mjs <picture>
// With --packed, the images of an Android package alone, each from a picture that is decoded once, as fast as the encoder can.
//   node bench/art-floor.mjs <picture> --packed
import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import sharp from 'sharp';
// Bundled by bench/run.mjs beforehand.
import { artPlan, packedRows } from '../node_modules/.cache/hull-art-plan.mjs';

const MASTER = 1024;
const [, , source, mode] = process.argv;
const isPacked = mode === '--packed';
const bytes = readFileSync(source);
const raw = { width: MASTER, height: MASTER, channels: 4 };
const master = isPacked && (await sharp(bytes).resize(MASTER, MASTER).ensureAlpha().raw().toBuffer());
const picture = () => (isPacked ? sharp(master, { raw }) : sharp(bytes));

function webp({ background }) {
  if (isPacked) return { lossless: true, effort: background === 'shape' ? 4 : 2 };
  return background === 'shape'
    ? { lossless: true, effort: 6 }
    : { nearLossless: true, quality: 20, effort: 6 };
}

const rows = (isPacked ? packedRows() : artPlan()).filter(
  ({ format }) => format === 'png' || format === 'webp',
);
let next = 0;
async function work() {
  for (let row = rows[next++]; row !== undefined; row = rows[next++]) {
    const image = picture().resize(row.width, row.height, { fit: 'contain', background: '#f4f1ea' });
    if (row.background === 'opaque') image.removeAlpha();
    if (row.format === 'webp') await image.webp(webp(row)).toBuffer();
    else await image.png({ compressionLevel: 9, adaptiveFiltering: false }).toBuffer();
  }
}
await Promise.all(Array.from({ length: availableParallelism() }, work));
