import { describe, expect, it } from 'vitest';
import { columns, labelled, wrap } from '../../src/cli/terminal/format.js';

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

  it('counts cells, not characters', () => {
    expect(
      columns([
        ['桟橋', 'pier'],
        ['a', 'b'],
      ]),
    ).toBe(['  桟橋  pier', '  a     b'].join('\n'));
  });
});
