/**
 * `Res_value`: the typed 32-bit values of binary XML attributes and resource table entries (the platform's
 * ResourceTypes.h).
 */
export type ResourceValue =
  | { readonly type: 'null' }
  | { readonly type: 'reference'; readonly id: number }
  | { readonly type: 'attribute'; readonly id: number }
  | { readonly type: 'string'; readonly text: string }
  | { readonly type: 'float'; readonly value: number }
  /** A length: `px`, `dp`, `sp`, `pt`, `in` or `mm`. */
  | { readonly type: 'dimension'; readonly value: number; readonly unit: DimensionUnit }
  | { readonly type: 'fraction'; readonly data: number }
  | { readonly type: 'int'; readonly value: number }
  | { readonly type: 'hex'; readonly value: number }
  | { readonly type: 'boolean'; readonly value: boolean }
  /** `argb` as an unsigned 32-bit 0xAARRGGBB. */
  | { readonly type: 'color'; readonly argb: number }
  /** A type this table does not know (kept as it stands). */
  | { readonly type: 'other'; readonly kind: number; readonly data: number };

export type DimensionUnit = 'px' | 'dp' | 'sp' | 'pt' | 'in' | 'mm';

const UNITS: readonly DimensionUnit[] = ['px', 'dp', 'sp', 'pt', 'in', 'mm'];

const KIND = {
  null: 0x00,
  reference: 0x01,
  attribute: 0x02,
  string: 0x03,
  float: 0x04,
  dimension: 0x05,
  fraction: 0x06,
  dynamicReference: 0x07,
  int: 0x10,
  hex: 0x11,
  boolean: 0x12,
  argb8: 0x1c,
  rgb4: 0x1f,
} as const;

/** The size of an encoded value, in bytes. */
export const VALUE_SIZE = 8;

function floatBits(value: number): number {
  const view = new DataView(new ArrayBuffer(4));
  view.setFloat32(0, value, true);
  return view.getUint32(0, true);
}

function bitsFloat(bits: number): number {
  const view = new DataView(new ArrayBuffer(4));
  view.setUint32(0, bits, true);
  return view.getFloat32(0, true);
}

/** Bits behind the point for each radix (`COMPLEX_RADIX_*`). */
const RADIX_SHIFT = [0, 7, 15, 23] as const;

/** A 24-bit mantissa above a radix and a unit: whole numbers with radix 0, others with 7 bits behind the point. */
function encodeDimension(value: number, unit: DimensionUnit): number {
  const radix = Number.isInteger(value) ? 0 : 1;
  const mantissa = Math.round(value * 2 ** (RADIX_SHIFT[radix] as number));
  return (((mantissa & 0xffffff) << 8) | (radix << 4) | UNITS.indexOf(unit)) >>> 0;
}

function decodeDimension(data: number): ResourceValue {
  const unit = UNITS[data & 0x0f];
  if (unit === undefined) return { type: 'other', kind: KIND.dimension, data };
  const mantissa = data >> 8;
  return { type: 'dimension', value: mantissa / 2 ** (RADIX_SHIFT[(data >> 4) & 3] as number), unit };
}

/** The kind and data words of a value; `intern` gives the index of a string in the document's pool. */
export function encodeValue(
  value: ResourceValue,
  intern: (text: string) => number,
): { readonly kind: number; readonly data: number } {
  switch (value.type) {
    case 'null':
      return { kind: KIND.null, data: 0 };
    case 'reference':
      return { kind: KIND.reference, data: value.id };
    case 'attribute':
      return { kind: KIND.attribute, data: value.id };
    case 'string':
      return { kind: KIND.string, data: intern(value.text) };
    case 'float':
      return { kind: KIND.float, data: floatBits(value.value) };
    case 'dimension':
      return { kind: KIND.dimension, data: encodeDimension(value.value, value.unit) };
    case 'fraction':
      return { kind: KIND.fraction, data: value.data };
    case 'int':
      return { kind: KIND.int, data: value.value >>> 0 };
    case 'hex':
      return { kind: KIND.hex, data: value.value >>> 0 };
    case 'boolean':
      return { kind: KIND.boolean, data: value.value ? 0xffffffff : 0 };
    case 'color':
      return { kind: KIND.argb8, data: value.argb >>> 0 };
    case 'other':
      return { kind: value.kind, data: value.data };
  }
}

/** The value of a kind and a data word; `text` gives the pool's string at an index, `undefined` outside it. */
export function decodeValue(
  kind: number,
  data: number,
  text: (index: number) => string | undefined,
): ResourceValue | undefined {
  switch (kind) {
    case KIND.null:
      return { type: 'null' };
    case KIND.reference:
    case KIND.dynamicReference:
      return { type: 'reference', id: data };
    case KIND.attribute:
      return { type: 'attribute', id: data };
    case KIND.string: {
      const found = text(data);
      return found === undefined ? undefined : { type: 'string', text: found };
    }
    case KIND.float:
      return { type: 'float', value: bitsFloat(data) };
    case KIND.dimension:
      return decodeDimension(data);
    case KIND.fraction:
      return { type: 'fraction', data };
    case KIND.int:
      return { type: 'int', value: data | 0 };
    case KIND.hex:
      return { type: 'hex', value: data };
    case KIND.boolean:
      return { type: 'boolean', value: data !== 0 };
    default:
      if (kind >= KIND.argb8 && kind <= KIND.rgb4) return { type: 'color', argb: data };
      return { type: 'other', kind, data };
  }
}
