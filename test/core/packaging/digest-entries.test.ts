import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { FileSource } from '../../../src/core/formats/bytes/source.js';
import { readZip } from '../../../src/core/formats/zip/reader.js';
import type { Method } from '../../../src/core/formats/zip/types.js';
import { writeZip } from '../../../src/core/formats/zip/writer.js';
import { digestEntries } from '../../../src/core/packaging/digest-entries.js';
import { temporaryFolder } from '../../support/temporary.js';

/** Bytes that look random and are the same each time. */
function noise(size: number, seed: number): Uint8Array {
  const bytes = new Uint8Array(size);
  for (let at = 0, state = seed; at < size; at += 1) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    bytes[at] = state >>> 24;
  }
  return bytes;
}

const MB = 1024 * 1024;
const files: readonly (readonly [path: string, content: Uint8Array, method: Method])[] = [
  ['ferry.mp4', noise(20 * MB, 1), 'store'],
  ['tide.bin', new Uint8Array(14 * MB).fill(7), 'deflate'],
  ['pier.txt', new TextEncoder().encode('pier '.repeat(9000)), 'deflate'],
  ['none.txt', new Uint8Array(), 'store'],
];

async function archive(change: (bytes: Uint8Array) => void = () => undefined): Promise<FileSource> {
  const bytes = await writeZip(
    files.map(([path, content, method]) => ({ path, content, method, alignment: 1 })),
  );
  change(bytes);
  const file = join(temporaryFolder(), 'package.zip');
  writeFileSync(file, bytes);
  return FileSource.open(file);
}

async function digestsOf(source: FileSource, signal?: AbortSignal): Promise<Map<string, string>> {
  try {
    const { entries } = await readZip(source);
    const wanted = entries.map((entry) => ({ entry, digest: 'sha1+sha256' as const }));
    const found = await digestEntries(source, wanted, signal);
    return new Map(
      [...found].map(([{ entry }, digest]) => [entry.path, Buffer.from(digest).toString('hex')]),
    );
  } finally {
    await source.close();
  }
}

describe('digests of many entries', () => {
  it('are those of the unpacked bytes, whatever thread computes them', async () => {
    const found = await digestsOf(await archive());
    expect(found.size).toBe(files.length);
    for (const [path, content] of files) {
      const of = (hash: string) => createHash(hash).update(content).digest('hex');
      expect(found.get(path), path).toBe(of('sha1') + of('sha256'));
    }
  });

  it('name the entry that is damaged', async () => {
    const damaged = archive((bytes) => {
      bytes[10 * MB] = (bytes[10 * MB] as number) ^ 1;
    });
    await expect(digestsOf(await damaged)).rejects.toMatchObject({
      code: 'zip.malformed',
      location: { entry: 'ferry.mp4' },
    });
  });

  it('end where they are stopped', async () => {
    const stop = new AbortController();
    const found = digestsOf(await archive(), stop.signal);
    stop.abort(new Error('stopped'));
    await expect(found).rejects.toThrow('stopped');
  });
});
