// The floor that packing is measured against: a bare script that reads, deflates and hashes the same bytes.
//   node bench/floor.mjs <folder> [more files]
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { deflateRawSync } from 'node:zlib';

const STORED = /\.(png|jpe?g|gif|webp|avif|woff2?|mp3|mp4|webm|zip|gz)$/i;

function files(path) {
  if (!statSync(path).isDirectory()) return [path];
  return readdirSync(path, { recursive: true, withFileTypes: true })
    .filter((item) => item.isFile())
    .map((item) => join(item.parentPath ?? item.path, item.name))
    .sort();
}

const hash = createHash('sha256');
let total = 0;
for (const file of process.argv.slice(2).flatMap(files)) {
  const bytes = readFileSync(file);
  const packed = STORED.test(file) ? bytes : deflateRawSync(bytes, { level: 6 });
  hash.update(packed);
  total += packed.length;
}
process.stdout.write(`${total} ${hash.digest('hex')}\n`);
