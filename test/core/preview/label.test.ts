import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { openSync } from 'fontkit';
import { describe, expect, it } from 'vitest';
import { cutLabel, cutText, textWidth } from '../../../src/core/preview/label.js';
import { ROOT } from '../../support/hull.js';

describe('the width of a label', () => {
  it('is what the font says, letter for letter', () => {
    const dir = join(ROOT, 'node_modules/@fontsource/roboto/files');
    const files = readdirSync(dir).filter((name) =>
      /^roboto-(latin|greek|cyrillic)-400-normal\.woff2$/.test(name),
    );
    expect(files).toHaveLength(3);
    for (const name of files) {
      const font = openSync(join(dir, name));
      if (!('characterSet' in font)) throw new Error('a collection');
      for (const point of font.characterSet) {
        const text = String.fromCodePoint(point);
        if (point < 0x20 || (point >= 0x7f && point < 0xa0) || text.normalize('NFC') !== text) continue;
        const expected = font.glyphForCodePoint(point).advanceWidth / font.unitsPerEm;
        expect(Math.abs(textWidth(text).em - expected), `U+${point.toString(16)}`).toBeLessThan(0.0006);
      }
    }
  });

  it('adds up, and says where it is estimated', () => {
    const font = openSync(join(ROOT, 'node_modules/@fontsource/roboto/files/roboto-latin-400-normal.woff2'));
    if (!('layout' in font)) throw new Error('a collection');
    const run = font.layout('Saltmarsh Ferry', { kern: false, liga: false });
    expect(textWidth('Saltmarsh Ferry').em).toBeCloseTo(run.advanceWidth / font.unitsPerEm, 2);
    expect(textWidth('Saltmarsh Ferry').isMeasured).toBe(true);
    expect(textWidth('渡し船')).toEqual({ em: 3, isMeasured: false });
    // A letter with its mark apart is as wide as the letter that has it.
    expect(textWidth('fe\u0301e').em).toBe(textWidth('f\u00e9e').em);
  });
});

describe('a label that is too wide', () => {
  it('loses its end, whole letters at a time, and never a space before the ellipsis', () => {
    expect(cutLabel('Ferry', 67, 12)).toMatchObject({ shown: 'Ferry', isCut: false });
    expect(cutLabel('Saltmarsh Ferry', 67, 12)).toMatchObject({ shown: 'Saltmarsh…', isCut: true });
    expect(cutLabel('👩‍👩‍👧‍👦👩‍👩‍👧‍👦👩‍👩‍👧‍👦', 60, 12).shown).toMatch(/^(👩‍👩‍👧‍👦)*…$/u);
    expect(cutText('Saltmarsh Ferry', 9)).toEqual({ shown: 'Saltmarsh', isCut: true });
  });

  it('fits into its room, whatever it says', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 60 }),
        fc.integer({ min: 20, max: 160 }),
        (text, room) => {
          const { shown, isCut, width } = cutLabel(text, room, 12);
          expect(width).toBeLessThanOrEqual(room);
          if (!isCut) expect(shown).toBe(text);
          else expect(text.startsWith(shown.slice(0, -1))).toBe(true);
        },
      ),
    );
  });
});
