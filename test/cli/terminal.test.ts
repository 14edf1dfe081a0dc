import { describe, expect, it } from 'vitest';
import { columns, columnsOrStacks, labelled, wrap } from '../../src/cli/terminal/format.js';

describe('text on a terminal', () => {
  it('wraps behind a label, painted or not, within the width', () => {
    expect(labelled('keep it', 'one two three', 15)).toBe('keep it one two\n        three');
    expect(labelled('\u001b[33mkeep it\u001b[39m', 'one two three', 15)).toBe(
      '\u001b[33mkeep it\u001b[39m one two\n        three',
    );
  });

  it('keeps the indent that a line has of its own', () => {
    expect(wrap('  one two', 6, '> ')).toBe('  one\n>   two');
  });

  it('keeps rows that fit in columns, and puts the cells of others below each other', () => {
    const rows = [
      ['id', 'ferry', 'given'],
      ['reason', 'shows what is near', 'from pier.js:47:3'],
    ];
    expect(columnsOrStacks(rows, 60)).toBe(columns(rows));
    expect(columnsOrStacks(rows, 32)).toBe(
      [
        '  id      ferry',
        '          given',
        '  reason  shows what is near',
        '          from pier.js:47:3',
      ].join('\n'),
    );
    for (const line of columnsOrStacks(rows, 30).split('\n')) expect(line.length).toBeLessThanOrEqual(30);
  });

  it('counts cells, not characters', () => {
    expect(
      columns([
        ['桟橋', 'pier'],
        ['a', 'b'],
      ]),
    ).toBe(['  桟橋  pier', '  a     b'].join('\n'));
  });
});
