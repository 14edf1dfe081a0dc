import { HullError } from '../../errors.js';
import { decodeValue, encodeValue, type ResourceValue } from '../string-pool/value.js';
import { FILE_TYPE, REFERENCE } from './schema.js';

/** `Item` messages as they are decoded: what is absent is undefined. */
export interface ItemMessage {
  readonly ref?: { readonly type?: number; readonly id?: number; readonly name?: string };
  readonly str?: { readonly value?: string };
  readonly rawStr?: { readonly value?: string };
  readonly styledStr?: { readonly value?: string };
  readonly file?: { readonly path?: string; readonly type?: number };
  readonly id?: object;
  readonly prim?: Readonly<Record<string, number | boolean | object>>;
}

function unwritable(what: string): HullError {
  return new HullError('resources.malformed', `A value of ${what} cannot be written into a bundle.`);
}

const noStrings = (): never => {
  throw unwritable('text inside a number');
};

/** The type of a file that resources name, by its name. */
export function fileType(path: string): number {
  if (path.endsWith('.xml')) return FILE_TYPE.protoXml;
  return path.endsWith('.png') ? FILE_TYPE.png : FILE_TYPE.unknown;
}

/** A value as an `Item`. Throws `resources.malformed` where the form has no place for it. */
export function encodeItem(value: ResourceValue): ItemMessage {
  switch (value.type) {
    case 'null':
      return { prim: { nullValue: {} } };
    case 'reference':
      return { ref: { type: REFERENCE.resource, id: value.id } };
    case 'attribute':
      return { ref: { type: REFERENCE.attribute, id: value.id } };
    case 'string':
      return { str: { value: value.text } };
    case 'float':
      return { prim: { floatValue: value.value } };
    case 'dimension':
      return { prim: { dimensionValue: encodeValue(value, noStrings).data } };
    case 'fraction':
      return { prim: { fractionValue: value.data } };
    case 'int':
      return { prim: { intDecimalValue: value.value } };
    case 'hex':
      return { prim: { intHexadecimalValue: value.value } };
    case 'boolean':
      return { prim: { booleanValue: value.value } };
    case 'color':
      return { prim: { colorArgb8Value: value.argb } };
    case 'other':
      throw unwritable(`kind 0x${value.kind.toString(16)}`);
  }
}

/** Kinds of `Res_value` behind the primitives that it keeps as a 32-bit word. */
const WORD_KINDS: Readonly<Record<string, number>> = {
  dimensionValue: 0x05,
  fractionValue: 0x06,
  intHexadecimalValue: 0x11,
  colorArgb8Value: 0x1c,
  colorRgb8Value: 0x1d,
  colorArgb4Value: 0x1e,
  colorRgb4Value: 0x1f,
};

/** The value of an `Item`; an unknown one is null. */
export function decodeItem(item: ItemMessage): ResourceValue {
  const { ref, prim } = item;
  if (ref) {
    return ref.type === REFERENCE.attribute
      ? { type: 'attribute', id: ref.id ?? 0 }
      : { type: 'reference', id: ref.id ?? 0 };
  }
  const text = item.str ?? item.rawStr ?? item.styledStr;
  if (text) return { type: 'string', text: text.value ?? '' };
  if (item.file) return { type: 'string', text: item.file.path ?? '' };
  // An ID stands for itself; in the binary form it is a false (the resource compiler's `Id::Flatten`).
  if (item.id) return { type: 'boolean', value: false };
  if (prim) {
    for (const [name, kind] of Object.entries(WORD_KINDS)) {
      const word = prim[name];
      if (typeof word === 'number') return decodeValue(kind, word, () => undefined) ?? { type: 'null' };
    }
    if (typeof prim.floatValue === 'number') return { type: 'float', value: prim.floatValue };
    if (typeof prim.intDecimalValue === 'number') return { type: 'int', value: prim.intDecimalValue };
    if (typeof prim.booleanValue === 'boolean') return { type: 'boolean', value: prim.booleanValue };
    if (prim.emptyValue) return { type: 'other', kind: 0, data: 1 };
  }
  return { type: 'null' };
}
