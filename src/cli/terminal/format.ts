import stringWidth from 'string-width';
import wrapAnsi from 'wrap-ansi';

/** Marks of plain prose, one cell each: text with these alone needs no rules of Unicode to be measured. */
const PROSE_MARKS = /[‘’“”…·–—→×✗]/g;

/** Cells of a terminal that a text takes. */
const cellsOf = (text: string): number => stringWidth(text.replaceAll(PROSE_MARKS, 'x'));

/** Text in at most so many cells, its end replaced where it is longer. */
export function cut(text: string, width: number): string {
  if (cellsOf(text) <= width) return text;
  let kept = '';
  for (const character of text) {
    if (cellsOf(`${kept}${character}…`) > width) break;
    kept += character;
  }
  return `${kept}…`;
}

/** Rows as columns where these fit; a row that does not has its further cells below each other, behind its first. */
export function columnsOrStacks(rows: readonly (readonly string[])[], width: number, indent = '  '): string {
  const wide = columns(rows, [], indent);
  if (wide.split('\n').every((line) => cellsOf(line) <= width)) return wide;
  const first = Math.max(...rows.map(([cell = '']) => cellsOf(cell)));
  const begin = indent.length + first + 2;
  // Most values stay in a column of their own; a long one does not make it wide for all.
  const widths = rows.map(([, cell = '']) => cellsOf(cell)).sort((a, b) => a - b);
  const second = widths[Math.floor(widths.length * 0.6)] ?? 0;
  const pad = (cell: string, cells: number) => cell + ' '.repeat(Math.max(0, cells - cellsOf(cell)));
  return rows
    .map(([name = '', ...cells]) => {
      const head = `${indent}${pad(name, first)}  `;
      const line = cells
        .map((cell, index) => (index === 0 ? pad(cell, second) : cell))
        .join('  ')
        .trimEnd();
      if (begin + cellsOf(line) <= width) return head + line;
      const behind = ' '.repeat(begin);
      return head + cells.map((cell) => wrap(cell, width - begin, behind)).join(`\n${behind}`);
    })
    .join('\n');
}

/** Rows of text in columns, two spaces apart; columns named in `right` are aligned at their right. */
export function columns(
  rows: readonly (readonly string[])[],
  right: readonly number[] = [],
  indent = '  ',
): string {
  const widths: number[] = [];
  for (const row of rows) {
    row.forEach((cell, index) => {
      widths[index] = Math.max(widths[index] ?? 0, cellsOf(cell));
    });
  }
  return rows
    .map((row) =>
      row
        .map((cell, index) => {
          const gap = ' '.repeat((widths[index] ?? 0) - cellsOf(cell));
          return right.includes(index) ? gap + cell : index === row.length - 1 ? cell : cell + gap;
        })
        .join('  '),
    )
    .map((line) => indent + line.trimEnd())
    .join('\n');
}

/** `0.84 s`, `12 ms` */
export function duration(milliseconds: number): string {
  return milliseconds < 100 ? `${Math.round(milliseconds)} ms` : `${(milliseconds / 1000).toFixed(2)} s`;
}

/** Control characters (C0, DEL, C1), line separators, and marks that turn the direction of text (UAX #9). */
const UNSAFE =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is replaced
  /[\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ufeff]/g;

const escaped = (character: string) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`;

/** Text that cannot move the cursor or turn the terminal's direction, whatever is in it. */
export function safe(text: string): string {
  return text.replaceAll(UNSAFE, escaped);
}

/** JSON whose strings are as harmless on a terminal as {@link safe} makes text. */
export function safeJson(value: unknown): string {
  // Outside of strings JSON has none of these characters but line feeds.
  return JSON.stringify(value, undefined, 2).replaceAll(UNSAFE, (character) =>
    character === '\n' ? character : escaped(character),
  );
}

/** Long text in lines of at most `width` cells, each behind `indent`; words stay whole, and lines keep their own indent. */
export function wrap(text: string, width: number, indent: string): string {
  return text
    .split('\n')
    .map((line) => {
      if (cellsOf(line) <= width) return line;
      const own = /^ */.exec(line)?.[0] ?? '';
      return wrapAnsi(line.trimStart(), Math.max(1, width - own.length))
        .split('\n')
        .map((part) => own + part)
        .join('\n');
    })
    .join('\n')
    .replaceAll('\n', `\n${indent}`);
}

/** A word, which may be painted, and text behind it whose further lines begin where its first does; `width` is for all. */
export function labelled(label: string, text: string, width: number, indent = ''): string {
  const room = indent.length + cellsOf(label) + 1;
  return `${indent}${label} ${wrap(text, width - room, ' '.repeat(room))}`;
}

/** A number with its noun: `1 file`, `3 files`. */
export const count = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;
