// What a seal over a package's files costs at the least: every entry unpacked, and digested with SHA-1 and SHA-256, as code
// signatures of Apple's platforms demand, on all cores. Checks nothing, writes nothing.
//   node bench/seal-floor.mjs <package>
import { createHash } from 'node:crypto';
import { closeSync, openSync, readSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { isMainThread, Worker, workerData } from 'node:worker_threads';
import { inflateRawSync } from 'node:zlib';

/** Bytes at a package's end that hold its directory. */
const TAIL = 4 * 1024 * 1024;

function read(handle, offset, length) {
  const bytes = Buffer.allocUnsafe(length);
  readSync(handle, bytes, 0, length, offset);
  return bytes;
}

/** Where each entry begins, the largest first (APPNOTE.TXT 4.3.12, 4.3.16). */
function entriesOf(file) {
  const { size: whole } = statSync(file);
  const handle = openSync(file, 'r');
  const start = Math.max(0, whole - TAIL);
  const bytes = read(handle, start, whole - start);
  closeSync(handle);
  const end = bytes.lastIndexOf('PK\u0005\u0006', undefined, 'latin1');
  const entries = [];
  for (let at = bytes.readUInt32LE(end + 16) - start; at < end; ) {
    const [name, extra, comment] = [28, 30, 32].map((field) => bytes.readUInt16LE(at + field));
    entries.push({
      deflated: bytes.readUInt16LE(at + 10) === 8,
      packed: bytes.readUInt32LE(at + 20),
      size: bytes.readUInt32LE(at + 24),
      header: bytes.readUInt32LE(at + 42),
    });
    at += 46 + name + extra + comment;
  }
  return entries.sort((one, other) => other.size - one.size);
}

function seal({ file, entries, next }) {
  const handle = openSync(file, 'r');
  const counter = new Int32Array(next);
  for (let index = Atomics.add(counter, 0, 1); index < entries.length; index = Atomics.add(counter, 0, 1)) {
    const { deflated, packed, size, header } = entries[index];
    const lengths = read(handle, header + 26, 4);
    const offset = header + 30 + lengths.readUInt16LE(0) + lengths.readUInt16LE(2);
    const bytes = read(handle, offset, packed);
    const content = deflated ? inflateRawSync(bytes, { maxOutputLength: Math.max(1, size) }) : bytes;
    createHash('sha1').update(content).digest();
    createHash('sha256').update(content).digest();
  }
  closeSync(handle);
}

if (isMainThread) {
  const [, , file] = process.argv;
  const entries = entriesOf(file);
  const next = new SharedArrayBuffer(4);
  const data = { workerData: { file, entries, next } };
  const script = fileURLToPath(import.meta.url);
  await Promise.all(
    Array.from(
      { length: availableParallelism() },
      () => new Promise((resolve) => new Worker(script, data).on('exit', resolve)),
    ),
  );
} else seal(workerData);
