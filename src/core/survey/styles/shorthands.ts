import type { Declaration } from '../../site/style.js';
import { boxSides, valueParts } from '../lengths.js';

type Reader = (value: string) => string | undefined;

const SIDES = ['top', 'right', 'bottom', 'left'] as const;

/** Longhand → shorthand → what the shorthand's value says of it. */
const TABLE = new Map<string, ReadonlyMap<string, Reader>>();

function add(property: string, shorthand: string, read: Reader): void {
  TABLE.set(property, new Map([...(TABLE.get(property) ?? []), [shorthand, read]]));
}

const first: Reader = (value) => valueParts(value)[0];
const second: Reader = (value) => valueParts(value)[1] ?? valueParts(value)[0];
const whole: Reader = (value) => value;

// Box sides, with the logical ones of horizontal text (CSS Box Model; CSS Logical Properties, section 4).
for (const [index, side] of SIDES.entries()) {
  const isBlock = side === 'top' || side === 'bottom';
  const axis = isBlock ? 'block' : 'inline';
  const end = side === 'top' || side === 'left' ? 'start' : 'end';
  for (const box of ['padding', 'margin']) {
    add(`${box}-${side}`, box, (value) => boxSides(value)[index]);
    add(`${box}-${side}`, `${box}-${axis}`, end === 'start' ? first : second);
    add(`${box}-${side}`, `${box}-${axis}-${end}`, whole);
  }
  add(side, 'inset', (value) => boxSides(value)[index]);
  add(side, `inset-${axis}`, end === 'start' ? first : second);
  add(side, `inset-${axis}-${end}`, whole);
}
add('height', 'block-size', whole);
add('min-height', 'min-block-size', whole);
add('width', 'inline-size', whole);
add('min-width', 'min-inline-size', whole);
add('max-width', 'max-inline-size', whole);
add('grid-template-rows', 'grid-template', whole);
add('grid-template-rows', 'grid', whole);
// A background without a colour of its own resets it: the whole value says so, and reads as no colour.
add('background-color', 'background', whole);

/** What a declaration says of a property: its own value, or the part of a shorthand; `undefined` where it says nothing. */
export function longhand({ property, value }: Declaration, wanted: string): string | undefined {
  if (property === wanted) return value;
  const read = TABLE.get(wanted)?.get(property);
  // A custom property may hold all sides at once, or the one.
  return read?.(value);
}
