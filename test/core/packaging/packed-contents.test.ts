import { existsSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { FileSource } from '../../../src/core/formats/bytes/source.js';
import { crc32 } from '../../../src/core/formats/zip/crc32.js';
import { readEntry, readZip } from '../../../src/core/formats/zip/reader.js';
import type { Entry, FileContent } from '../../../src/core/formats/zip/types.js';
import { writeDirectory, writeEntries } from '../../../src/core/formats/zip/writer.js';
import { PackedContents } from '../../../src/core/packaging/packed-contents.js';
import { fileSha256 } from '../../../src/core/util/files.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

/** What further packages take over from those that were made. */

const texts = {
  'a.js': 'const pier = 1;\n'.repeat(4000),
  'b.css': '.pier { color: navy }\n'.repeat(900),
  'c.bin': Buffer.from(Array.from({ length: 2000 }, (_, index) => (index * 197) % 256)),
};

/** @param age ms since the files were written, by the disk’s word */
function folder(age = 0) {
  const dir = temporaryFolder();
  writeFiles(dir, texts);
  const entries = Object.entries(texts).map(
    ([name, text]): Entry => ({
      path: `assets/${name}`,
      content: {
        file: join(dir, name),
        size: Buffer.byteLength(text),
        stamp: { ino: 1, mtimeMs: Date.now() - age, ctimeMs: Date.now() - age },
      },
      method: name.endsWith('.bin') ? 'store' : 'deflate',
      alignment: 4,
    }),
  );
  return { dir, entries, index: join(dir, '.hull/contents.json') };
}

async function writtenArchive(entries: readonly Entry[], known?: PackedContents) {
  const parts: Uint8Array[] = [];
  const sink = { write: (bytes: Uint8Array) => void parts.push(Buffer.from(bytes)) };
  const written = await writeEntries(entries, sink, { known });
  await writeDirectory(written.entries, sink, written.size);
  return { bytes: Buffer.concat(parts), written };
}

/** Writes an archive, with what others hold, and notes it. */
async function archive(dir: string, name: string, entries: readonly Entry[], known: PackedContents) {
  await known.open();
  const { bytes, written } = await writtenArchive(entries, known);
  const file = join(dir, name);
  writeFileSync(file, bytes);
  await known.note({ file, sha256: await fileSha256(file) }, entries, written);
  return file;
}

/** Whether something with this size and checksum is known. */
const knows = (known: PackedContents, name: 'a.js' | 'b.css') =>
  known
    .ofSize(Buffer.byteLength(texts[name]))
    .some(({ packed }) => packed.entry.crc32 === crc32(Buffer.from(texts[name])));

async function contentsOf(file: string): Promise<Record<string, string>> {
  const source = await FileSource.open(file);
  try {
    const { entries } = await readZip(source);
    const found = entries.map(async (one) => [
      one.path,
      Buffer.from(await readEntry(source, one)).toString('latin1'),
    ]);
    return Object.fromEntries(await Promise.all(found));
  } finally {
    await source.close();
  }
}

describe('contents of packages that were made', () => {
  it('are the same bytes as if they were compressed again: in one run, without reading the files', async () => {
    const { dir, entries, index } = folder();
    const known = new PackedContents(index);
    const first = await archive(dir, 'first.zip', entries, known);
    // The pages of a run are those that were read first.
    for (const name of Object.keys(texts))
      writeFileSync(join(dir, name), 'x'.repeat(Buffer.byteLength(texts[name as 'a.js'])));
    const second = await archive(dir, 'second.zip', [...entries].reverse(), known);
    await known.close();
    expect(await contentsOf(second)).toEqual(await contentsOf(first));
    const plain = folder();
    const none = new PackedContents(plain.index);
    const alone = await archive(plain.dir, 'alone.zip', plain.entries, none);
    await none.close();
    expect(readFileSync(first).equals(readFileSync(alone))).toBe(true);
  });

  it('are kept in memory where many small packages are made, which then need neither files nor packages', async () => {
    const { dir, entries, index } = folder();
    const known = new PackedContents(index, 'brands');
    const { bytes, written } = await writtenArchive(entries, known);
    const file = join(dir, 'first.zip');
    writeFileSync(file, bytes);
    await known.hold(file, entries, written);
    for (const name of [...Object.keys(texts), 'first.zip']) rmSync(join(dir, name));
    expect((await writtenArchive(entries, known)).bytes.equals(bytes)).toBe(true);
    // Of the whole file nothing is noted for later runs: it is packed again in less time than it is looked for.
    await known.close();
    expect(existsSync(index)).toBe(false);
  });

  it('are made by the first of a name, which the others wait for; where it fails, by the next', async () => {
    const known = new PackedContents(folder().index, 'brands');
    const steps: string[] = [];
    let waited = 0;
    const make = (name: string, fails = false) =>
      known
        .inTurn(
          'site',
          async () => {
            steps.push(`${name} begins`);
            await setTimeout(5);
            if (fails) throw new Error(name);
            steps.push(`${name} ends`);
            return name;
          },
          (ms) => {
            waited += ms;
          },
        )
        .catch((error: Error) => `${error.message} failed`);
    const other = known.inTurn('other', async () => steps.push('other site'));
    expect(await Promise.all([make('a', true), make('b'), make('c'), make('d'), other])).toEqual([
      ...['a failed', 'b', 'c', 'd'],
      expect.any(Number),
    ]);
    expect([...steps].sort()).toEqual([...new Set(steps)].sort());
    expect(steps.filter((step) => step.endsWith('begins')).slice(0, 2)).toEqual(['a begins', 'b begins']);
    // After the first that succeeds, the others are made side by side.
    expect(steps.slice(steps.indexOf('b ends'))).toEqual([
      ...['b ends', 'c begins', 'd begins', 'c ends', 'd ends'],
    ]);
    expect(waited).toBeGreaterThan(0);
    expect(await make('e')).toBe('e');
  });

  it('are found in a later run by what is in the files, and by nothing else', async () => {
    const { dir, entries, index } = folder();
    const before = new PackedContents(index);
    const first = await archive(dir, 'first.zip', entries, before);
    await before.close();
    expect(existsSync(index)).toBe(true);
    const changed = `${'const pier = 2;\n'.repeat(4000)}`;
    writeFileSync(join(dir, 'a.js'), changed);
    const later = new PackedContents(index);
    const next = await archive(dir, 'next.zip', entries, later);
    expect(knows(later, 'b.css')).toBe(true);
    expect(knows(later, 'a.js')).toBe(true);
    await later.close();
    expect(await contentsOf(next)).toEqual({ ...(await contentsOf(first)), 'assets/a.js': changed });
  });

  it('are not read again where the disk says that nobody has written to a file for a while', async () => {
    const noteOf = async (age: number) => {
      const { dir, entries, index } = folder(age);
      const before = new PackedContents(index);
      await archive(dir, 'first.zip', entries, before);
      await before.close();
      const later = new PackedContents(index);
      await later.open();
      const known = (more: object) =>
        entries.map(({ content }) => {
          if (content instanceof Uint8Array || !('file' in content)) throw new Error('not a file');
          return later.ofFile({ ...content, ...more }) !== undefined;
        });
      const found = { same: known({}), other: known({ stamp: { ino: 2, mtimeMs: 1, ctimeMs: 1 } }) };
      await later.close();
      return found;
    };
    expect(await noteOf(60_000)).toEqual({ same: [true, true, true], other: [false, false, false] });
    // Written to a moment ago: it may be written to again at the same time, by the disk’s clock.
    expect(await noteOf(500)).toEqual({ same: [false, false, false], other: [false, false, false] });
  });

  it('are forgotten where somebody writes to a package that they are in', async () => {
    const { dir, entries, index } = folder();
    const known = new PackedContents<string>(index);
    await known.open();
    const { bytes, written } = await writtenArchive(entries);
    const file = join(dir, 'first.zip');
    writeFileSync(file, bytes);
    const begun = { entries: 2, kept: () => 'its first two entries' };
    await known.note({ file, sha256: await fileSha256(file) }, entries, written, begun);
    const content = entries[0]?.content as FileContent;
    expect(known.areUntouched()).toBe(true);
    expect(known.startOf(entries.slice(0, 2), false)).toBe('its first two entries');
    // With other files, in another order, or with digests that nobody computed it does not begin so.
    expect(known.startOf(entries.slice(0, 1), false)).toBeUndefined();
    expect(known.startOf([entries[1], entries[0]] as Entry[], false)).toBeUndefined();
    expect(known.startOf(entries.slice(0, 2), true)).toBeUndefined();
    expect(known.ofFile(content)).toBeDefined();
    // Another package that gets the name is not written to this one.
    writeFileSync(`${file}.next`, bytes.subarray(9));
    renameSync(file, `${file}.before`);
    renameSync(`${file}.next`, file);
    await known.open();
    expect(known.startOf(entries.slice(0, 2), false)).toBe('its first two entries');
    renameSync(`${file}.before`, file);
    writeFileSync(file, bytes.subarray(1));
    expect(known.areUntouched()).toBe(false);
    await known.open();
    expect(known.ofFile(content)).toBeUndefined();
    expect(known.startOf(entries.slice(0, 2), false)).toBeUndefined();
    await known.close();
  });

  it('are not taken from a package that is not as it was noted, nor of another version', async () => {
    for (const spoil of [
      (file: string, _index: string) => writeFileSync(file, readFileSync(file).subarray(1)),
      (_file: string, index: string) =>
        writeFileSync(index, readFileSync(index, 'utf8').replace('zlib', 'another zlib')),
      (_file: string, index: string) => writeFileSync(index, '{"by":'),
    ]) {
      const { dir, entries, index } = folder();
      const before = new PackedContents(index);
      const first = await archive(dir, 'first.zip', entries, before);
      await before.close();
      const wanted = await contentsOf(first);
      spoil(first, index);
      const later = new PackedContents(index);
      await later.open();
      expect(knows(later, 'a.js')).toBe(false);
      expect(knows(later, 'b.css')).toBe(false);
      const next = await archive(dir, 'next.zip', entries, later);
      await later.close();
      expect(await contentsOf(next)).toEqual(wanted);
    }
  });
});
