// The floor that signing and verifying are measured against: SHA-256 of the same bytes, in chunks of 1 MiB on all cores; of
// a folder's files, which is what an app package's signature is over.
// With a private key (PKCS#8, DER) and an output, also what else signing a package costs at the least: a copy, the three keys of a
// keystore, two signatures.
//   node bench/sign-floor.mjs <package or folder> [<private key> <output>]
import { webcrypto } from 'node:crypto';
import { copyFile, open, readdir, stat, writeFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';

const CHUNK = 1024 * 1024;
const [given, keyFile, output] = process.argv.slice(2);
const signing = keyFile === undefined ? undefined : await import('./signing.mjs');
const derived = signing?.deriveKeys();
if (output !== undefined) await copyFile(given, output);
const named = output ?? given;
const isFolder = (await stat(named)).isDirectory();
const files = isFolder
  ? (await readdir(named, { recursive: true, withFileTypes: true }))
      .filter((one) => one.isFile())
      .map((one) => join(one.parentPath, one.name))
  : [named];
const pending = [];
for (const file of files) {
  const handle = await open(file, 'r');
  const { size } = await handle.stat();
  for (let at = 0; at < size; at += CHUNK) {
    const bytes = Buffer.allocUnsafe(Math.min(CHUNK, size - at));
    await handle.read(bytes, 0, bytes.length, at);
    pending.push(webcrypto.subtle.digest('SHA-256', bytes));
    if (pending.length > 2 * availableParallelism()) await pending.shift();
  }
  await handle.close();
}
const last = (await Promise.all(pending)).at(-1);
if (signing !== undefined) {
  await derived;
  const { made } = await signing.signatures(keyFile, Buffer.from(last));
  await writeFile(output, Buffer.concat(made), { flag: 'a' });
}
