// The floor that signing and verifying are measured against: SHA-256 of the same bytes, in chunks of 1 MiB on all cores; of
// a folder's files, which is what an app package's signature is over.
//   node bench/sign-floor.mjs <package or folder>
import { webcrypto } from 'node:crypto';
import { open, readdir, stat } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';

const CHUNK = 1024 * 1024;
const named = process.argv[2];
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
await Promise.all(pending);
