// What a signed package of a folder costs at the least: its files read, deflated and digested as floor.mjs does; the three keys of a
// keystore derived; two signatures made, and both verified over what was written, read back. Nothing is built or judged.
//   node bench/package-floor.mjs <private key, PKCS#8 DER> <output> <folder> [more files]
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

const [keyFile, output, ...named] = process.argv.slice(2);
const derive = promisify(pbkdf2);
const derived = Array.from({ length: DERIVED }, (_, index) =>
  derive('only-for-the-bench', `salt ${index}`, ITERATIONS, 32, 'sha256'),
);
const sha256 = (bytes) => createHash('sha256').update(bytes).digest();
const parts = named
  .flatMap(files)
  .map((file) => [file, readFileSync(file)])
  .map(([file, bytes]) => (STORED.test(file) ? bytes : deflateRawSync(bytes, { level: 6 })));
const contents = Buffer.concat(parts);
await Promise.all(derived);
const key = createPrivateKey({ key: readFileSync(keyFile), format: 'der', type: 'pkcs8' });
const signed = [2, 3].map((scheme) => Buffer.concat([Buffer.from([scheme]), sha256(contents)]));
const signatures = await Promise.all(signed.map((bytes) => promisify(sign)('sha256', bytes, key)));
writeFileSync(output, Buffer.concat([contents, ...signatures]));
const written = readFileSync(output);
const digest = sha256(written.subarray(0, contents.length));
const publicKey = createPublicKey(key);
const holds = signatures.every((signature, index) =>
  verify('sha256', Buffer.concat([Buffer.from([index + 2]), digest]), publicKey, signature),
);
if (!holds) throw new Error('a signature does not hold');
process.stdout.write(`${written.length}\n`);
