// The floor that packing is measured against: a bare script that reads, deflates and hashes the same bytes.
//   node bench/floor.mjs <folder> [more files]
// With --signed, also what else a signed package costs at the least: the three keys of a keystore derived, two signatures made,
// and both verified over what was written, read back. Nothing is built or judged.
//   node bench/floor.mjs --signed <private key, PKCS#8 DER> <output> <folder> [more files]
import { createHash, createPrivateKey, createPublicKey, pbkdf2, sign, verify } from 'node:crypto';
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { deflateRawSync } from 'node:zlib';

const STORED = /\.(png|jpe?g|gif|webp|avif|woff2?|mp3|mp4|webm|zip|gz)$/i;
/** As `hull keys new` writes keystores: two bags and a checksum. */
const ITERATIONS = 20_000;
const DERIVED = 3;

function files(path) {
  if (!statSync(path).isDirectory()) return [path];
  return readdirSync(path, { recursive: true, withFileTypes: true })
    .filter((item) => item.isFile())
    .map((item) => join(item.parentPath ?? item.path, item.name))
    .sort();
}

const isSigned = process.argv[2] === '--signed';
const [keyFile, output] = isSigned ? process.argv.slice(3) : [];
const derived = Array.from({ length: isSigned ? DERIVED : 0 }, (_, index) =>
  promisify(pbkdf2)('only-for-the-bench', `salt ${index}`, ITERATIONS, 32, 'sha256'),
);
const hash = createHash('sha256');
const parts = [];
let total = 0;
for (const file of process.argv.slice(isSigned ? 5 : 2).flatMap(files)) {
  const bytes = readFileSync(file);
  const packed = STORED.test(file) ? bytes : deflateRawSync(bytes, { level: 6 });
  hash.update(packed);
  total += packed.length;
  if (isSigned) parts.push(packed);
}
const digest = hash.digest();
process.stdout.write(`${total} ${digest.toString('hex')}\n`);
if (isSigned) await writeSigned();

async function writeSigned() {
  await Promise.all(derived);
  const key = createPrivateKey({ key: readFileSync(keyFile), format: 'der', type: 'pkcs8' });
  const signed = (scheme, bytes) => Buffer.concat([Buffer.from([scheme]), bytes]);
  const signatures = await Promise.all(
    [2, 3].map((scheme) => promisify(sign)('sha256', signed(scheme, digest), key)),
  );
  writeFileSync(output, Buffer.concat([...parts, ...signatures]));
  const found = createHash('sha256').update(readFileSync(output).subarray(0, total)).digest();
  const publicKey = createPublicKey(key);
  const hold = signatures.every((signature, index) =>
    verify('sha256', signed(index + 2, found), publicKey, signature),
  );
  if (!hold) throw new Error('a signature does not hold');
}
