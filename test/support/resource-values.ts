import fc from 'fast-check';
import type { ResourceValue } from '../../src/core/formats/string-pool/value.js';

/** Texts of any script. */
export const text = fc.string({ unit: 'grapheme', maxLength: 20 }).filter((value) => value.isWellFormed());

/** Typed values as resources and attributes have them. */
export const values: fc.Arbitrary<ResourceValue> = fc.oneof(
  text.map((value) => ({ type: 'string' as const, text: value })),
  fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }).map((value) => ({ type: 'int' as const, value })),
  fc.nat({ max: 2 ** 32 - 1 }).map((value) => ({ type: 'hex' as const, value })),
  fc.boolean().map((value) => ({ type: 'boolean' as const, value })),
  fc.nat({ max: 2 ** 32 - 1 }).map((value) => ({ type: 'reference' as const, id: value })),
  fc.nat({ max: 2 ** 32 - 1 }).map((argb) => ({ type: 'color' as const, argb })),
  fc.float({ noNaN: true, noDefaultInfinity: true }).map((value) => ({ type: 'float' as const, value })),
  fc
    .tuple(
      fc.integer({ min: -4000, max: 4000 }),
      fc.constantFrom('px' as const, 'dp' as const, 'sp' as const, 'mm' as const),
    )
    .map(([value, unit]) => ({ type: 'dimension' as const, value, unit })),
  fc
    .tuple(fc.integer({ min: -4000, max: 4000 }), fc.constantFrom('dp' as const, 'in' as const))
    .map(([value, unit]) => ({ type: 'dimension' as const, value: value / 128, unit })),
);
