// The floor that packing is measured against: a bare script that reads, deflates and hashes the same bytes.
//   node bench/floor.mjs <folder> [more files]
// With --signed, also what else a signed package costs at the least: the three keys of a keystore derived, two signatures made,
// and both verified over what was written, read back. Nothing is built or judged.
//   node bench/floor.mjs --signed <private key, PKCS#8 DER> <output> <folder> [more files]
import { createHash, createPublicKey, verify } from 'node:crypto';
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
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

const isSigned = process.argv[2] === '--signed';
const [keyFile, output] = isSigned ? process.argv.slice(3) : [];
const signing = isSigned ? await import('./signing.mjs') : undefined;
const derived = signing?.deriveKeys();
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
  await derived;
  const { key, made } = await signing.signatures(keyFile, digest);
  writeFileSync(output, Buffer.concat([...parts, ...made]));
  const found = createHash('sha256').update(readFileSync(output).subarray(0, total)).digest();
  const publicKey = createPublicKey(key);
  const hold = signing
    .signedBytes(found)
    .every((bytes, index) => verify('sha256', bytes, publicKey, made[index]));
  if (!hold) throw new Error('a signature does not hold');
}
