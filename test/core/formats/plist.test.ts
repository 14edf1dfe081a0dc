import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { writeBinaryPlist } from '../../../src/core/formats/plist/binary-writer.js';
import { readPlist, readPlistDict } from '../../../src/core/formats/plist/reader.js';
import type { PlistValue } from '../../../src/core/formats/plist/types.js';
import { writeXmlPlist } from '../../../src/core/formats/plist/xml-writer.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';

const bytes = (text: string) => new TextEncoder().encode(text);
const xml = (inner: string) => bytes(`<?xml version="1.0"?><plist version="1.0">${inner}</plist>`);

/** Values that both forms hold: no text with control characters, which XML has not got; dates in whole seconds. */
const value: fc.Arbitrary<PlistValue> = fc.letrec<{ value: PlistValue }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4, withCrossShrink: true },
    fc.string({ unit: 'grapheme' }),
    fc.integer(),
    fc.bigInt({ min: 2n ** 53n, max: 2n ** 64n - 1n }),
    fc.double({ noNaN: true, noDefaultInfinity: true }).filter((one) => !Number.isInteger(one)),
    fc.boolean(),
    fc.integer({ min: 0, max: 4_000_000_000 }).map((seconds) => new Date(seconds * 1000)),
    fc.uint8Array({ maxLength: 100 }),
    fc.array(tie('value'), { maxLength: 20 }),
    fc.dictionary(fc.stringMatching(/^[A-Za-z~_-]{1,12}$/), tie('value'), { maxKeys: 20 }),
  ),
})).value;

/** Dictionaries that are read inherit nothing; for comparing they are plain. */
const plain = (one: unknown): unknown => {
  if (Array.isArray(one)) return one.map(plain);
  if (one instanceof Date || typeof one !== 'object' || one === null) return one;
  if (one instanceof Uint8Array) return Buffer.from(one).toString('hex');
  return Object.fromEntries(Object.entries(one).map(([key, own]) => [key, plain(own)]));
};

describe('property lists', () => {
  it('are read back as they were written, in both forms', () => {
    fc.assert(
      fc.property(value, (one) => {
        expect(plain(readPlist(writeXmlPlist(one)))).toEqual(plain(one));
        expect(plain(readPlist(writeBinaryPlist(one)))).toEqual(plain(one));
      }),
    );
  });

  it('read what others write: comments, CDATA, entities, lines in data', () => {
    const read = readPlist(
      bytes(
        '\ufeff<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE plist PUBLIC "-//Apple//DTD PLIST 1.0//EN" "x">\n<plist version="1.0"><!-- by hand --><dict><key>a&amp;b</key><string>&lt;pier&gt; &#x41;&#66;<![CDATA[<raw> & ]]></string><key>n</key><integer> -0x10 </integer><key>d</key><data>\n\tSGVs\n\tbG8=\n</data><key>e</key><string/><key>f</key><false/><key>r</key><real>1e3</real></dict></plist>\n<!-- end -->',
      ),
    ) as Record<string, PlistValue>;
    expect(plain(read)).toEqual({
      'a&b': '<pier> AB<raw> & ',
      n: -16,
      d: Buffer.from('Hello').toString('hex'),
      e: '',
      f: false,
      r: 1000,
    });
  });

  it('refuses what is none, with its line', async () => {
    for (const [text, message] of [
      ['<plist version="1.0"><dict><key>a</key></dict></plist>', 'closes nothing'],
      ['<plist version="1.0"><dict><key>a</key><true/><key>a</key><true/></dict></plist>', 'repeated'],
      ['<plist version="1.0"><string>a</strin></plist>', 'not closed'],
      ['<plist version="1.0"><integer>1.5</integer></plist>', 'not a whole number'],
      ['<plist version="1.0"><date>yesterday</date></plist>', 'not a date'],
      ['<plist version="1.0"><data>a</data></plist>', 'base64'],
      ['<plist version="1.0"><string>&pier;</string></plist>', 'not a character'],
      ['<!DOCTYPE plist [<!ENTITY a "b">]><plist version="1.0"><true/></plist>', 'of its own'],
      ['<plist version="1.0"><true/><true/></plist>', 'one value'],
      ['<plist version="1.0"><ferry/></plist>', 'not an element'],
      ['<html></html>', 'not a property list'],
      ['', 'Expected an element'],
    ] as const) {
      const error = await refused('plist.malformed', () => readPlist(bytes(text)));
      expect(error.message, text).toContain(message);
    }
    const { location } = await refused('plist.malformed', () => readPlist(xml('\n  <ferry/>\n')));
    expect(location).toMatchObject({ line: 2, column: 3 });
    await refused('plist.malformed', () => readPlistDict(xml('<array/>')));
    await refused('plist.malformed', () => readPlist(new Uint8Array([0xff, 0xfe, 0x3c])));
  });

  it('is not led into itself, nor into more than its size', async () => {
    // One array whose only member is itself.
    const loop = Buffer.concat([
      Buffer.from('bplist00', 'latin1'),
      Buffer.from([0xa1, 0x00]),
      Buffer.from([8]),
      Buffer.alloc(6),
      Buffer.from([1, 1]),
      Buffer.from('0000000000000001000000000000000000000000000000', 'hex'),
      Buffer.from([10]),
    ]);
    expect((await refused('plist.malformed', () => readPlist(loop))).message).toContain('contains itself');
    // Each level names the one below twice: 2^40 values in some hundred bytes.
    const levels = 40;
    const objects = Array.from({ length: levels }, (_, index) => Buffer.from([0xa2, index + 1, index + 1]));
    const all = [...objects, Buffer.from([0x09])];
    const offsets = all.map((_, index) => 8 + 3 * index);
    const trailer = Buffer.alloc(32);
    trailer[6] = 1;
    trailer[7] = 1;
    trailer.writeBigUInt64BE(BigInt(all.length), 8);
    trailer.writeBigUInt64BE(BigInt(8 + 3 * levels + 1), 24);
    const wide = Buffer.concat([Buffer.from('bplist00', 'latin1'), ...all, Buffer.from(offsets), trailer]);
    await refused('file.over-budget', () => readPlist(wide));
    await refused('plist.malformed', () => readPlist(xml('<array>'.repeat(5000) + '</array>'.repeat(5000))));
  });

  it('holds against any bytes', async () => {
    const sample: PlistValue = {
      a: ['x', 1, true, new Date(0)],
      b: { c: new Uint8Array(40), d: 'é'.repeat(20) },
    };
    for (const write of [writeBinaryPlist, writeXmlPlist]) {
      await fc.assert(
        fc.asyncProperty(mutations(write(sample)), async (changed) => {
          await holdsAgainst(() => readPlist(changed));
        }),
        { numRuns: 1500 },
      );
    }
  });
});
