import { tokenizer } from 'acorn';
import { describe, expect, it } from 'vitest';
import { NOTICE_SCRIPT, oneLine, pageScript } from '../../../src/core/packaging/page-script.js';
import { portScript } from '../../../src/core/platforms/android/app/page-port.js';
import { BRIDGE_SCRIPT } from '../../../src/core/platforms/apple/app/page-bridge.js';

/** What a script says, whatever is between its words. */
const words = (script: string) =>
  [...tokenizer(script, { ecmaVersion: 2016 })].map(({ start, end }) => script.slice(start, end));

describe('scripts of pages', () => {
  it('lose their blanks and nothing else', () => {
    const script = `(() => {
  const ASKED = /\\( ?a : b\\)/gi;
  let count = 0;
  const id = 'it is { here } : ' + ++count - -count;
  if (count in window || !(count instanceof Object)) return 'it\\'s ( a ) quote';
  return { id, ASKED: count > 1 ? [1, 2] : typeof count };
})()`;
    const line = oneLine(script);
    expect(words(line)).toEqual(words(script));
    expect(line).toContain("'it is { here } : ' + ++count - -count;if(count in window||!(count");
    expect(oneLine(line)).toBe(line);
  });

  it('are read by the engine of the oldest devices, on one line', () => {
    const scripts = [
      NOTICE_SCRIPT,
      BRIDGE_SCRIPT,
      ...(['shell', 'engine'] as const).flatMap((downloads) =>
        (['shell', 'engine'] as const).map((clipboard) => pageScript('standalone', { downloads, clipboard })),
      ),
      ...[true, false].flatMap((notifies) => [true, false].map((plays) => portScript({ notifies, plays }))),
    ];
    for (const script of scripts) {
      expect(words(script).length).toBeGreaterThan(100);
      expect(script).not.toContain('\n');
    }
  });
});
