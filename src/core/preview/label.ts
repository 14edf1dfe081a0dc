import { GLYPH_WIDTHS } from './glyph-widths.js';

/** The width of a text as launchers draw it. */
export interface TextWidth {
  /** In parts of the font size. */
  readonly em: number;
  /** Whether every letter's width is known; else some are estimated by their script. */
  readonly isMeasured: boolean;
}

/** A label as it is shown in a given width. */
export interface CutLabel {
  readonly shown: string;
  readonly isCut: boolean;
  /** px of what is shown. */
  readonly width: number;
  readonly isMeasured: boolean;
}

const ELLIPSIS = '…';
/** Marks and joiners are on other letters. */
const NO_WIDTH = /[\p{M}\p{Cf}]/u;
const WIDE =
  /[\p{sc=Han}\p{sc=Hiragana}\p{sc=Katakana}\p{sc=Hangul}\p{Extended_Pictographic}\u3000-\u303f\uff01-\uff60]/u;
/** Letters of other scripts, in parts of the font size: between those of Latin and of East Asia. */
const OTHER = 0.62;

let widths: Map<number, number> | undefined;

function widthTable(): Map<number, number> {
  if (widths) return widths;
  widths = new Map();
  for (const [width, runs] of Object.entries(GLYPH_WIDTHS)) {
    for (const run of runs.split(' ')) {
      const [from = 0, to = from] = run.split('-').map((text) => Number.parseInt(text, 16));
      for (let point = from; point <= to; point += 1) widths.set(point, Number(width) / 1000);
    }
  }
  return widths;
}

/** The width of a text: the advances of its glyphs, without kerning. */
export function textWidth(text: string): TextWidth {
  const table = widthTable();
  let em = 0;
  let isMeasured = true;
  for (const letter of text.normalize('NFC')) {
    const width = table.get(letter.codePointAt(0) as number);
    if (width !== undefined) em += width;
    else if (!NO_WIDTH.test(letter)) {
      em += WIDE.test(letter) ? 1 : OTHER;
      isMeasured = false;
    }
  }
  return { em, isMeasured };
}

const graphemes = new Intl.Segmenter('en', { granularity: 'grapheme' });

/**
 * A label in one line, its end left off where it is too wide, as launchers do: whole letters, an ellipsis, no space
 * before it.
 *
 * @param room px
 * @param size font size in px
 */
export function cutLabel(label: string, room: number, size: number): CutLabel {
  const whole = textWidth(label);
  if (whole.em * size <= room) {
    return { shown: label, isCut: false, width: whole.em * size, isMeasured: whole.isMeasured };
  }
  const letters = [...graphemes.segment(label)].map(({ segment }) => segment);
  for (let count = letters.length - 1; count >= 0; count -= 1) {
    const shown = letters.slice(0, count).join('').trimEnd() + ELLIPSIS;
    const { em } = textWidth(shown);
    if (em * size <= room || count === 0) {
      return { shown, isCut: true, width: em * size, isMeasured: whole.isMeasured };
    }
  }
  return { shown: ELLIPSIS, isCut: true, width: textWidth(ELLIPSIS).em * size, isMeasured: true };
}

/** A text cut to a number of characters, as stores count them. */
export function cutText(text: string, most: number): { readonly shown: string; readonly isCut: boolean } {
  const letters = [...text];
  if (letters.length <= most) return { shown: text, isCut: false };
  return { shown: letters.slice(0, most).join(''), isCut: true };
}
