import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import {
  type CompiledPattern,
  compileUrlPattern,
  patternMatches,
} from '../../../src/core/project/url-pattern.js';

interface Rule {
  readonly pattern: string;
  readonly compiled: CompiledPattern;
  readonly inside: readonly string[];
  readonly outside: readonly string[];
}

const { rules } = JSON.parse(readFileSync('shell/vectors/addresses.json', 'utf8')) as {
  rules: readonly Rule[];
};

describe('addresses of the app', () => {
  for (const { pattern, compiled, inside, outside } of rules) {
    it(`are the same here as in the shells: ${pattern}`, async () => {
      expect(await compileUrlPattern(pattern, {})).toEqual(compiled);
      for (const url of inside) expect(patternMatches(compiled, new URL(url)), url).toBe(true);
      for (const url of outside) expect(patternMatches(compiled, new URL(url)), url).toBe(false);
    });
  }
});
