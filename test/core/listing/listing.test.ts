import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { checkListing, pictureFaults } from '../../../src/core/listing/check.js';
import { PICTURE_CLASSES, type PictureClass } from '../../../src/core/listing/fields.js';
import { storeLanguage, storeLanguages } from '../../../src/core/listing/languages.js';
import { shortened } from '../../../src/core/listing/propose.js';
import { notesFor, picturesOf, readListing } from '../../../src/core/listing/read.js';
import { plainText } from '../../../src/core/listing/text.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const ENGLISH = `---
name: Saltmarsh Ferry
summary: "Sailings: tickets and delays"
keywords: [ferry, tickets]
---

# Description

Every sailing of the Saltmarsh
ferries.

- One
- Two

# What's new

Any version.

## 1.4.0

Offline tickets.
`;

function folderWith(files: Record<string, string>): string {
  const dir = temporaryFolder();
  writeFiles(dir, files);
  return dir;
}

const classOf = (name: string) => PICTURE_CLASSES.find((one) => one.name === name) as PictureClass;
const picture = (width: number, height: number, alpha = false) =>
  sharp({
    create: { width, height, channels: alpha ? 4 : 3, background: { r: 11, g: 79, b: 108, alpha: 0.5 } },
  })
    .png()
    .toBuffer();

async function completeListing(): Promise<string> {
  const dir = folderWith({ 'en.md': ENGLISH });
  for (const [name, width, height] of [
    ['icon.png', 512, 512],
    ['feature.png', 1024, 500],
    ['phone/01.png', 540, 1080],
    ['phone/02.png', 540, 1080],
  ] as const) {
    const file = join(dir, 'pictures', name);
    mkdirSync(join(file, '..'), { recursive: true });
    writeFileSync(file, await picture(width, height));
  }
  return dir;
}

describe('reading a listing', () => {
  it('has short texts, sections and notes by version, each with its line', () => {
    const { languages, findings } = readListing(folderWith({ 'en.md': ENGLISH }));
    const [english] = languages;
    if (!english) throw new Error('no language');
    expect(english.texts.get('name')).toMatchObject({ value: 'Saltmarsh Ferry', location: { line: 2 } });
    expect(english.texts.get('summary')?.value).toBe('Sailings: tickets and delays');
    expect(english.texts.get('keywords')?.value).toBe('ferry,tickets');
    expect(english.texts.get('Description')).toMatchObject({
      value: 'Every sailing of the Saltmarsh ferries.\n\n• One\n• Two',
      location: { line: 7 },
    });
    expect(notesFor(english, '1.4.0')?.value).toBe('Offline tickets.');
    expect(notesFor(english, '2.0.0')?.value).toBe('Any version.');
    expect(findings).toEqual([]);
  });

  it.each([
    ['no short texts', '# Description\n', 1],
    ['short texts without an end', '---\nname: Ferry\n', 1],
    ['an unknown key', '---\nnmae: Ferry\n---\n', 2],
    ['broken YAML', '---\nname: "Ferry\n---\n', 2],
    ['an unknown section', '---\nname: Ferry\n---\n\n# Story\n', 5],
    ['text in no section', '---\nname: Ferry\n---\nHello\n', 4],
    ['a list where a text belongs', '---\nname: [a, b]\n---\n', 2],
  ])('refuses %s with its line', (_what, text, line) => {
    const dir = folderWith({ 'en.md': text });
    expect(() => readListing(dir)).toThrowError(
      expect.objectContaining({ code: 'listing.malformed', location: expect.objectContaining({ line }) }),
    );
  });

  it('names the nearest key', () => {
    const dir = folderWith({ 'en.md': '---\nsumary: Ferry\n---\n' });
    expect(() => readListing(dir)).toThrowError(expect.objectContaining({ fix: 'Did you mean "summary"?' }));
  });

  it('refuses a file whose name is not a language', () => {
    expect(() => readListing(folderWith({ 'english!.md': ENGLISH }))).toThrowError(/not a language/);
  });

  it('says where marks would be shown', () => {
    const marked = `${ENGLISH}\nSee **this** and [that](https://ferry.saltmarsh.example/).\n`;
    const { findings } = readListing(folderWith({ 'en.md': marked }));
    expect(findings).toMatchObject([{ code: 'listing.markup', location: { line: 23 } }]);
  });

  it('takes pictures by kind of device, those of a language before those of all', () => {
    const listing = readListing(
      folderWith({
        'en.md': ENGLISH,
        'pictures/phone/02.png': 'b',
        'pictures/phone/01.png': 'a',
        'pictures/de/phone/01.png': 'c',
        'pictures/watch/01.png': 'd',
      }),
    );
    const names = (language: string) =>
      picturesOf(listing, classOf('phone'), language).map((file) => file.slice(listing.folder.length));
    expect(names('en')).toEqual(['/pictures/phone/01.png', '/pictures/phone/02.png']);
    expect(names('de')).toEqual(['/pictures/de/phone/01.png']);
    expect(listing.findings).toMatchObject([{ code: 'listing.unknown-picture' }]);
  });

  it('is empty where there is no folder', () => {
    expect(readListing(join(temporaryFolder(), 'none'))).toMatchObject({ languages: [], pictures: [] });
  });
});

describe('plain text', () => {
  it('joins lines of a paragraph and of an item, and keeps paragraphs apart', () => {
    expect(plainText(['One', 'two', '', '', '* item', '  goes on', '### Head', 'text', ''])).toBe(
      'One two\n\n• item goes on\nHead\ntext',
    );
  });
});

describe('languages of stores', () => {
  it.each([
    ['android', 'en', 'en-US'],
    ['android', 'de', 'de-DE'],
    ['android', 'he', 'iw-IL'],
    ['android', 'pt-BR', 'pt-BR'],
    ['android', 'zh-Hant', 'zh-TW'],
    ['android', 'de-AT', undefined],
    ['apple', 'zh', 'zh-Hans'],
    ['apple', 'no', 'no'],
    ['apple', 'af', undefined],
  ] as const)('%s writes %s as %s', (store, tag, written) => {
    expect(storeLanguage(store, tag)).toBe(written);
  });

  it('are each known once', () => {
    for (const store of ['android', 'apple'] as const)
      expect(new Set(storeLanguages(store)).size).toBe(storeLanguages(store).length);
  });
});

describe('checking a listing', () => {
  const request = { version: '1.4.0', main: 'en' };

  it('finds nothing where nothing is missing', async () => {
    expect(await checkListing(readListing(await completeListing()), 'android', request)).toEqual([]);
  });

  it('counts an emoji as stores do', async () => {
    const dir = await completeListing();
    writeFiles(dir, { 'en.md': ENGLISH.replace('name: Saltmarsh Ferry', `name: ${'x'.repeat(29)}⛴️`) });
    const [finding] = await checkListing(readListing(dir), 'android', request);
    expect(finding).toMatchObject({ code: 'listing.too-long', severity: 'error', location: { line: 2 } });
    expect(finding?.observed).toContain('has 31 characters, 1 too many');
    writeFiles(dir, { 'en.md': ENGLISH.replace('name: Saltmarsh Ferry', `name: ${'x'.repeat(28)}🚢`) });
    expect(await checkListing(readListing(dir), 'android', request)).toEqual([]);
    writeFiles(dir, { 'en.md': ENGLISH.replace('name: Saltmarsh Ferry', `name: ${'x'.repeat(29)}🚢`) });
    const [other] = await checkListing(readListing(dir), 'android', request);
    expect(other?.observed).toContain('30 characters count as 31');
  });

  it('names what is missing, and a language that the store does not have', async () => {
    const dir = await completeListing();
    writeFiles(dir, {
      'en.md': ENGLISH.replace(/summary.*\n/, ''),
      'de-AT.md': ENGLISH,
    });
    const found = await checkListing(readListing(dir), 'android', request);
    expect(found.map(({ code }) => code).sort()).toEqual(['listing.missing', 'listing.unknown-language']);
    const none = await checkListing(readListing(dir), 'android', { ...request, main: 'fr' });
    expect(none.map(({ code }) => code)).toContain('listing.no-main-language');
  });

  it('says once that pictures are missing which languages share', async () => {
    const dir = folderWith({ 'en.md': ENGLISH, 'de.md': ENGLISH });
    const found = await checkListing(readListing(dir), 'android', request);
    expect(found.filter(({ code }) => code === 'listing.few-pictures')).toHaveLength(3);
  });

  it('asks for one where there is none', async () => {
    const found = await checkListing(readListing(join(temporaryFolder(), 'none')), 'android', request);
    expect(found).toMatchObject([{ code: 'listing.none', severity: 'error' }]);
  });
});

describe('pictures for a store', () => {
  it.each([
    ['phone', 540, 1080, false, []],
    ['phone', 540, 1170, false, ['It is 540×1170: the longer side is more than 2 times the shorter one.']],
    ['phone', 200, 300, false, ['It is 200×300; each side has to be 320 to 3840 px.']],
    ['phone', 540, 1080, true, ['It has an alpha channel.']],
    ['icon', 511, 512, false, ['It is 511×512, not 512×512.']],
    ['apple-phone', 2868, 1320, false, []],
  ] as const)('%s of %i×%i, alpha %s', async (name, width, height, alpha, faults) => {
    expect(await pictureFaults(classOf(name), await picture(width, height, alpha))).toEqual(faults);
  });

  it('have to be whole', async () => {
    const bytes = await picture(540, 1080);
    const noise = Buffer.from(bytes);
    noise.fill(7, 60);
    expect(await pictureFaults(classOf('phone'), noise)).toEqual(['It is damaged, or not an image.']);
    expect(
      await pictureFaults(classOf('icon'), await sharp(bytes).resize(512, 512).jpeg().toBuffer()),
    ).toEqual(['It is JPEG, not PNG.']);
  });
});

describe('a proposed text', () => {
  it('ends with a sentence or a word', () => {
    expect(shortened('Sailings and tickets. And more of it.', 30)).toBe('Sailings and tickets.');
    expect(shortened('Sailings, the nearest pier, your tickets', 30)).toBe('Sailings, the nearest pier');
    expect(shortened('x'.repeat(40), 30)).toBe('x'.repeat(30));
  });
});
