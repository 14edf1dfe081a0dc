import { rmSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { STREAM_FROM } from '../../../src/core/formats/zip/compress.js';
import type { Entry, EntryDigest, KnownContents } from '../../../src/core/formats/zip/types.js';
import { type Compressor, writeDirectory, writeEntries } from '../../../src/core/formats/zip/writer.js';
import { withCompressor } from '../../../src/core/packaging/compress-threads.js';
import { PackedContents } from '../../../src/core/packaging/packed-contents.js';
import { fileSha256 } from '../../../src/core/util/files.js';
import { findPackaged } from '../../../src/core/util/packaged.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

/** Threads run what the build made. */
const isBuilt = findPackaged('dist/compress-worker.cjs') !== undefined;

const COUNT = 300;
/** Bytes from which on threads are started here: fewer than all files have, and more than twenty. */
const WORTH = 1024 * 1024;

/** Enough files for threads: texts, one of them empty, and some that do not become smaller. */
function folder(): { readonly dir: string; readonly entries: Entry[] } {
  const dir = temporaryFolder();
  const texts = Array.from({ length: COUNT }, (_, at): [string, string | Uint8Array] => {
    if (at % 50 === 0) return [`${at}.txt`, ''];
    if (at % 3 === 0)
      return [`${at}.jpg`, Uint8Array.from({ length: 700 + at }, (_one, x) => (x * x * at) >>> 3)];
    return [`${at}.js`, `const pier${at} = ${at * 7919};\n`.repeat(1000 + at)];
  });
  writeFiles(dir, Object.fromEntries(texts));
  const entries = texts.map(
    ([name, text]): Entry => ({
      path: `assets/${name}`,
      content: { file: join(dir, name), size: Buffer.byteLength(text) },
      method: name.endsWith('.jpg') ? 'store' : 'deflate',
      alignment: 4,
    }),
  );
  return { dir, entries };
}

async function archived(
  entries: readonly Entry[],
  options: {
    readonly digest?: EntryDigest;
    readonly known?: KnownContents;
    readonly signal?: AbortSignal;
  } = {},
  compressor?: Compressor,
) {
  const parts: Uint8Array[] = [];
  const sink = { write: (bytes: Uint8Array) => void parts.push(Buffer.from(bytes)) };
  const written = await writeEntries(entries, sink, { ...options, compressor });
  await writeDirectory(written.entries, sink, written.size);
  return { bytes: Buffer.concat(parts), written };
}

/** The same by threads; how many entries they took. */
async function byThreads(
  entries: readonly Entry[],
  options: { readonly digest?: EntryDigest; readonly known?: KnownContents } = {},
) {
  let taken = 0;
  const made = await withCompressor(entries, { ...options, worth: WORTH }, (compressor) => {
    const counting = compressor && {
      take: (entry: Entry) => {
        const prepared = compressor.take(entry);
        if (prepared) taken += 1;
        return prepared;
      },
    };
    return archived(entries, options, counting);
  });
  return { ...made, taken };
}

describe.runIf(isBuilt)('threads that compress', () => {
  it('make the same bytes and digests as one thread does', async () => {
    const { entries } = folder();
    for (const digest of [undefined, 'sha256', 'sha1+sha256'] as const) {
      const options = digest ? { digest } : {};
      const [alone, together] = [await archived(entries, options), await byThreads(entries, options)];
      expect(together.taken).toBe(COUNT);
      expect(together.bytes.equals(alone.bytes)).toBe(true);
      expect(together.written.digests).toEqual(alone.written.digests);
    }
  });

  /** A film and a still, larger than what is held in memory. */
  const films = () => {
    const dir = temporaryFolder();
    return ['film.mp4', 'still.png'].map((name, index): Entry => {
      const [file, size] = [join(dir, name), STREAM_FROM + 1 + index];
      writeFileSync(file, Buffer.alloc(size, `pier ${index}`));
      return { path: `assets/${name}`, content: { file, size }, method: 'store', alignment: 4 };
    });
  };

  it('digest large files that are stored, and need not where no digest is wanted', async () => {
    const entries = [...films(), ...folder().entries.slice(0, 20)];
    const options = { digest: 'sha1+sha256' } as const;
    const [alone, together] = [await archived(entries, options), await byThreads(entries, options)];
    expect(together.taken).toBe(entries.length);
    expect(together.bytes.equals(alone.bytes)).toBe(true);
    expect(together.written.digests).toEqual(alone.written.digests);
    expect((await byThreads(films())).taken).toBe(0);
    const [film] = films();
    const { file } = film?.content as { file: string };
    writeFileSync(file, 'shorter now');
    await refused('web.changed-while-packing', () => byThreads([film as Entry], options));
  });

  it('end at once where the work is stopped', async () => {
    const abort = new AbortController();
    const entries = Array.from({ length: 12 }, films)
      .flat()
      .map((entry, index) => ({ ...entry, path: `${index}` }));
    const options = { digest: 'sha1+sha256', signal: abort.signal, worth: WORTH } as const;
    const outcome = withCompressor(entries, options, async (compressor) => {
      setTimeout(() => abort.abort(new Error('stopped')), 150);
      return archived(entries, { ...options, signal: abort.signal }, compressor);
    });
    await expect(outcome).rejects.toThrow('stopped');
  });

  it('are not started for little, nor for what an earlier package holds', async () => {
    const { dir, entries } = folder();
    expect((await byThreads(entries.slice(0, 20))).taken).toBe(0);
    const known = new PackedContents(join(dir, 'contents.json'));
    await known.open();
    const first = await byThreads(entries, { known });
    const file = join(dir, 'first.zip');
    writeFileSync(file, first.bytes);
    await known.note({ file, sha256: await fileSha256(file) }, entries, first.written);
    expect((await byThreads(entries, { known })).taken).toBe(0);
    await known.close();
  });

  it('take over what is the same in a package of before, byte by byte', async () => {
    const { dir, entries } = folder();
    const stamped = entries.map((entry) => ({
      ...entry,
      content: {
        ...(entry.content as { file: string; size: number }),
        stamp: { ino: 1, mtimeMs: 1, ctimeMs: 1 },
      },
    }));
    const before = new PackedContents(join(dir, 'contents.json'));
    const first = await archived(stamped, { known: before });
    const file = join(dir, 'first.zip');
    writeFileSync(file, first.bytes);
    await before.note({ file, sha256: await fileSha256(file) }, stamped, first.written);
    await before.close();
    // A build has written every file again, and one of them otherwise.
    const rewritten = stamped.map(({ content, ...rest }) => ({
      ...rest,
      content: { ...content, stamp: { ino: 2, mtimeMs: 2, ctimeMs: 2 } },
    }));
    const { file: changed, size } = (entries[1] as Entry).content as { file: string; size: number };
    writeFileSync(changed, 'x'.repeat(size));
    utimesSync(changed, 2, 2);
    const known = new PackedContents(join(dir, 'contents.json'));
    await known.open();
    const again = await byThreads(rewritten, { known });
    await known.close();
    expect(again.taken).toBe(COUNT);
    expect(again.bytes.equals((await archived(entries)).bytes)).toBe(true);
  });

  it('leave it to the thread that asked to say what is wrong', async () => {
    const { entries } = folder();
    const { file } = (entries[200] as Entry).content as { file: string };
    writeFileSync(file, 'shorter now');
    const error = await refused('web.changed-while-packing', () => byThreads(entries));
    expect(error.location?.file).toBe(file);
    rmSync(file);
    expect((await refused('file.missing', () => byThreads(entries))).location?.file).toBe(file);
  });
});
