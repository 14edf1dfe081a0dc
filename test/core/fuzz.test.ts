import { describe, expect, it } from 'vitest';
import { HullError } from '../../src/core/errors.js';
import { corpus, damage, READERS } from '../support/fuzz/readers.js';
import { generator } from '../support/random.js';

/** A little of what `npm run fuzz` does for as long as it is let: every reader against damaged inputs of its own kind. */
describe('readers of what others made', () => {
  const INPUTS = 40;
  const seeds = corpus();

  it.each(READERS.map((reader) => [reader.name, reader] as const))(
    'give a result or a clear error: %s',
    async (name, { read, dictionary }) => {
      const pick = generator(20_261_128);
      const own = (await seeds).get(name) ?? [];
      expect(own.length, 'inputs to begin with').toBeGreaterThan(0);
      for (let index = 0; index < INPUTS; index += 1) {
        try {
          await read(damage(own, pick, dictionary, 64 * 1024));
        } catch (error) {
          if (!(error instanceof HullError)) throw error;
        }
      }
    },
    60_000,
  );
});
