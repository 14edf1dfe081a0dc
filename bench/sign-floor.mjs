// The floor that signing and verifying are measured against: SHA-256 of the same bytes, in chunks of 1 MiB on all cores.
//   node bench/sign-floor.mjs <package>
import { webcrypto } from 'node:crypto';
import { open } from 'node:fs/promises';
import { availableParallelism } from 'node:os';

const CHUNK = 1024 * 1024;
const handle = await open(process.argv[2], 'r');
const { size } = await handle.stat();
const pending = [];
for (let at = 0; at < size; at += CHUNK) {
  const bytes = Buffer.allocUnsafe(Math.min(CHUNK, size - at));
  await handle.read(bytes, 0, bytes.length, at);
  pending.push(webcrypto.subtle.digest('SHA-256', bytes));
  if (pending.length > 2 * availableParallelism()) await pending.shift();
}
await Promise.all(pending);
await handle.close();
