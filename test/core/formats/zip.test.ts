import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { gzipSync, inflateRawSync } from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bytesSource, FileSource } from '../../../src/core/formats/bytes/source.js';
import { STREAM_FROM } from '../../../src/core/formats/zip/compress.js';
import { crc32, crc32Portable } from '../../../src/core/formats/zip/crc32.js';
import { gzippedContent } from '../../../src/core/formats/zip/gzipped.js';
import { readEntry, readZip } from '../../../src/core/formats/zip/reader.js';
import type { Entry } from '../../../src/core/formats/zip/types.js';
import {
  centralDirectory,
  checkEntries,
  endRecord,
  writeEntries,
  writeZip,
} from '../../../src/core/formats/zip/writer.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';
import { temporaryFolder } from '../../support/temporary.js';

const text = (value: string) => new TextEncoder().encode(value);
const entry = (path: string, content: Uint8Array, over: Partial<Entry> = {}): Entry => ({
  path,
  content,
  method: 'deflate',
  alignment: 4,
  ...over,
});

async function contents(archive: Uint8Array): Promise<Map<string, Uint8Array>> {
  const source = bytesSource(archive);
  const { entries } = await readZip(source);
  return new Map(
    await Promise.all(entries.map(async (item) => [item.path, await readEntry(source, item)] as const)),
  );
}

describe('a gzip file', () => {
  it('becomes an entry without being unpacked', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 2000 }), async (bytes) => {
        const packed = gzipSync(bytes);
        const archive = await writeZip([{ ...entry('code', bytes), content: gzippedContent(packed) }]);
        expect(Buffer.from((await contents(archive)).get('code') ?? []).equals(bytes)).toBe(true);
        expect(Buffer.from(archive).includes(packed.subarray(10, -8))).toBe(true);
      }),
    );
  });

  it('is refused where it is none, or has more in its header', () => {
    const named = gzipSync(text('pier'));
    named[3] = 8;
    for (const bytes of [text('pier'), new Uint8Array(), gzipSync(text('pier')).subarray(0, 17), named]) {
      expect(() => gzippedContent(bytes)).toThrow('no gzip file');
    }
  });
});

const paths = fc
  .uniqueArray(
    fc
      .array(fc.stringMatching(/^[a-zåø€🚢0-9 _.-]{1,12}$/u), { minLength: 1, maxLength: 4 })
      .map((names) => names.join('/')),
    { maxLength: 12 },
  )
  .filter((list) => list.every((path) => path.split('/').every((name) => name !== '.' && name !== '..')));

describe('an archive', () => {
  it('gives back what was written, whatever it is', async () => {
    await fc.assert(
      fc.asyncProperty(
        paths.chain((list) =>
          fc.tuple(
            ...list.map((path) =>
              fc.record({
                path: fc.constant(path),
                content: fc.oneof(
                  fc.uint8Array({ maxLength: 300 }),
                  fc.nat(5000).map((n) => new Uint8Array(n)),
                ),
                method: fc.constantFrom('store' as const, 'deflate' as const),
                alignment: fc.constantFrom(1, 4, 4096, 16384),
              }),
            ),
          ),
        ),
        async (entries) => {
          const archive = await writeZip(entries);
          const found = await contents(archive);
          expect([...found.keys()]).toEqual(entries.map((item) => item.path));
          for (const item of entries)
            expect(Buffer.compare(found.get(item.path) ?? Buffer.from('?'), item.content)).toBe(0);
          const { entries: rows } = await readZip(bytesSource(archive));
          rows.forEach((row, index) => {
            if (row.method === 'store') expect(row.dataOffset % (entries[index] as Entry).alignment).toBe(0);
          });
        },
      ),
      { numRuns: 60 },
    );
  });

  it('has the same bytes each time, with a fixed date', async () => {
    const list = [entry('a.txt', text('x'.repeat(500))), entry('b.png', text('stored'), { method: 'store' })];
    const first = await writeZip(list);
    expect(await writeZip(list)).toEqual(first);
    expect(new DataView(first.buffer, first.byteOffset).getUint16(12, true)).toBe(0x0021);
  });

  it('stores what deflating would not make smaller', async () => {
    const archive = await writeZip([entry('a', text('ab')), entry('b', text('a'.repeat(100)))]);
    const { entries } = await readZip(bytesSource(archive));
    expect(entries.map((item) => item.method)).toEqual(['store', 'deflate']);
  });

  it('pads with a well-formed extra field', async () => {
    const archive = await writeZip([entry('abc', text('12345'), { method: 'store', alignment: 16384 })]);
    const view = new DataView(archive.buffer, archive.byteOffset);
    expect(view.getUint16(30 + 3, true)).toBe(0xd935);
    expect(view.getUint16(30 + 5, true)).toBe(view.getUint16(28, true) - 4);
  });

  it('never crashes or hangs a reader when its bytes go bad', async () => {
    const archive = await writeZip([
      entry('AndroidManifest.xml', text('m'.repeat(400))),
      entry('resources.arsc', text('table'), { method: 'store' }),
    ]);
    await fc.assert(
      fc.asyncProperty(mutations(archive), async (bytes) => {
        await holdsAgainst(() => contents(bytes));
      }),
      { numRuns: 1500 },
    );
  });
});

describe('large files', () => {
  it('are streamed, stored and deflated, and come back whole', async () => {
    const dir = temporaryFolder();
    const compressible = join(dir, 'a.json');
    const random = join(dir, 'b.bin');
    const size = STREAM_FROM + 12_345;
    writeFileSync(compressible, Buffer.alloc(size, 'ferry '));
    let seed = 1;
    const noise = Buffer.alloc(size);
    for (let i = 0; i < size; i += 4) {
      seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
      noise.writeUInt32LE(seed, Math.min(i, size - 4));
    }
    writeFileSync(random, noise);
    const out = join(dir, 'out.zip');
    const chunks: Uint8Array[] = [];
    let spare = 0;
    const list: Entry[] = [
      { path: 'a.json', content: { file: compressible, size }, method: 'deflate', alignment: 4 },
      { path: 'b.bin', content: { file: random, size }, method: 'deflate', alignment: 4 },
      { path: 'c.bin', content: { file: random, size }, method: 'store', alignment: 4 },
    ];
    const local = await writeEntries(
      list,
      { write: (chunk) => void chunks.push(chunk.slice()) },
      { temporary: () => join(dir, `spare-${spare++}`) },
    );
    const directory = centralDirectory(local.entries);
    writeFileSync(out, Buffer.concat([...chunks, directory, endRecord(3, directory.length, local.size)]));
    const source = await FileSource.open(out);
    const { entries } = await readZip(source);
    expect(entries.map((item) => item.method)).toEqual(['deflate', 'store', 'store']);
    expect(Buffer.from(await readEntry(source, entries[0] as never)).equals(readFileSync(compressible))).toBe(
      true,
    );
    expect(Buffer.from(await readEntry(source, entries[1] as never)).equals(noise)).toBe(true);
    await source.close();
    expect(entries[0]?.compressedSize).toBeLessThan(size / 50);
  });

  /** Six files that are streamed, and what writing them does. */
  const streaming = (dir: string, signal?: AbortSignal) => {
    const size = STREAM_FROM + 1;
    const list = Array.from({ length: 6 }, (_, index): Entry => {
      const file = join(dir, `${index}.json`);
      writeFileSync(file, Buffer.alloc(size, `ferry ${index} `));
      return { path: `${index}.json`, content: { file, size }, method: 'deflate', alignment: 4 };
    });
    let spare = 0;
    let most = 0;
    const spares = () => readdirSync(dir).filter((name) => name.startsWith('spare')).length;
    const chunks: Uint8Array[] = [];
    const write = (chunk: Uint8Array) => {
      most = Math.max(most, spares());
      chunks.push(chunk.slice());
    };
    const temporary = () => join(dir, `spare-${spare++}`);
    return {
      list,
      spares,
      most: () => most,
      bytes: () => Buffer.concat(chunks),
      done: () => writeEntries(list, { write }, { temporary, signal, digest: 'sha256' }),
    };
  };

  it('are compressed side by side, and written in their order', async () => {
    const dir = temporaryFolder();
    const { list, spares, most, bytes, done } = streaming(dir);
    const { entries, digests } = await done();
    expect(entries.map(({ path }) => path)).toEqual(list.map(({ path }) => path));
    for (const { path, dataOffset, compressedSize } of entries) {
      const plain = readFileSync(join(dir, path));
      const packed = bytes().subarray(dataOffset, dataOffset + compressedSize);
      expect(inflateRawSync(packed).equals(plain)).toBe(true);
      expect(Buffer.from(digests.get(path) as Uint8Array)).toEqual(
        createHash('sha256').update(plain).digest(),
      );
    }
    expect(spares()).toBe(0);
    if (availableParallelism() > 1) expect(most()).toBeGreaterThan(1);
    expect(most()).toBeLessThanOrEqual(6);
  });

  it('leave nothing where the work is stopped, or one of them cannot be read', async () => {
    const stopped = temporaryFolder();
    const abort = new AbortController();
    const stopping = streaming(stopped, abort.signal);
    const outcome = stopping.done();
    setTimeout(() => abort.abort(new Error('stopped')), 20);
    await expect(outcome).rejects.toThrow('stopped');
    expect(stopping.spares()).toBe(0);

    const spoiled = temporaryFolder();
    const failing = streaming(spoiled);
    rmSync(join(spoiled, '3.json'));
    await refused('file.missing', failing.done);
    expect(failing.spares()).toBe(0);
    writeFileSync(join(spoiled, '3.json'), 'shorter than it was');
    await refused('web.changed-while-packing', failing.done);
    expect(failing.spares()).toBe(0);
  });

  it('that change while they are packed are noticed', async () => {
    const dir = temporaryFolder();
    const file = join(dir, 'page.html');
    writeFileSync(file, 'longer than it was');
    const list: Entry[] = [{ path: 'p', content: { file, size: 4 }, method: 'deflate', alignment: 4 }];
    const error = await refused('web.changed-while-packing', () => writeZip(list));
    expect(error.location?.file).toBe(file);
  });
});

describe('what an archive cannot hold', () => {
  it('is refused before anything is read', async () => {
    const none = new Uint8Array();
    await refused('zip.path', () => checkEntries([entry('../up', none)]));
    await refused('zip.path', () => checkEntries([entry('/root', none)]));
    await refused('zip.path', () => checkEntries([entry('a\\b', none)]));
    await refused('zip.path', () => checkEntries([entry('a\0b', none)]));
    await refused('zip.path', () => checkEntries([entry('', none)]));
    await refused('zip.duplicate', () => checkEntries([entry('a', none), entry('a', none)]));
    const long = await refused('zip.limit', () => checkEntries([entry('d/'.repeat(40_000), none)]));
    expect(long.message).toContain('65535');
    await refused('zip.limit', () =>
      checkEntries(Array.from({ length: 65_535 }, (_, i) => entry(`f${i}`, none))),
    );
    await refused('zip.limit', () =>
      checkEntries([{ path: 'big', content: { file: 'big', size: 2 ** 32 }, method: 'store', alignment: 4 }]),
    );
    await refused('zip.limit', () => endRecord(1, 100, 0xfffffff0));
  });
});

describe('hostile archives', () => {
  const good = () => writeZip([entry('first.txt', text('one')), entry('other.txt', text('two'))]);

  it('with two entries of one path are refused', async () => {
    const bytes = Buffer.from(await good());
    const twice = Buffer.from(bytes.toString('latin1').replaceAll('other.txt', 'first.txt'), 'latin1');
    const error = await refused('zip.duplicate', () => readZip(bytesSource(twice)));
    expect(error.location?.entry).toBe('first.txt');
  });

  it('that say another name in the header than in the directory are refused', async () => {
    const bytes = Buffer.from(await good());
    bytes.write('F', bytes.indexOf('first.txt'), 'latin1');
    await refused('zip.malformed', () => readZip(bytesSource(bytes)));
  });

  it('with a byte changed in an entry are refused when it is read', async () => {
    const bytes = Buffer.from(await good());
    const at = bytes.indexOf('one');
    bytes[at] = 0x21;
    const error = await refused('zip.malformed', () => contents(bytes));
    expect(error.message).toContain('checksum');
  });

  it('that claim more than they can hold are refused without being inflated', async () => {
    const bytes = Buffer.from(await writeZip([entry('bomb', new Uint8Array(10_000))]));
    const directory = bytes.indexOf(Buffer.from([0x50, 0x4b, 1, 2]));
    bytes.writeUInt32LE(0x0fffffff, directory + 24);
    await refused('zip.malformed', () => contents(bytes));
  });

  it('with bytes before or after the archive are refused', async () => {
    const bytes = await good();
    await refused('zip.malformed', () => readZip(bytesSource(Buffer.concat([bytes, Buffer.from('tail')]))));
    await refused('zip.malformed', () => readZip(bytesSource(Buffer.concat([Buffer.from('head'), bytes]))));
  });

  it('that are no archive at all are told so', async () => {
    const error = await refused('zip.malformed', () => readZip(bytesSource(text('GIF89a'))));
    expect(error.fix).toContain('ZIP');
  });
});

describe('the checksum', () => {
  it('is the same in plain JavaScript as in zlib, in pieces too', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), fc.uint8Array({ maxLength: 200 }), (a, b) => {
        const whole = crc32(Buffer.concat([a, b]));
        expect(crc32Portable(Buffer.concat([a, b]))).toBe(whole);
        expect(crc32Portable(b, crc32Portable(a))).toBe(whole);
      }),
    );
    expect(crc32Portable(text('123456789'))).toBe(0xcbf43926);
  });
});
