/**
 * A value of a property list. Whole numbers are `number` where they fit 53 bits and `bigint` beyond; a number with a
 * fraction is a real. Dates have whole seconds.
 */
export type PlistValue =
  | string
  | number
  | bigint
  | boolean
  | Date
  | Uint8Array
  | readonly PlistValue[]
  | PlistDict;

export interface PlistDict {
  readonly [key: string]: PlistValue;
}

/** Whether a value is a dictionary. */
export function isDict(value: PlistValue | undefined): value is PlistDict {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Date) &&
    !(value instanceof Uint8Array)
  );
}

/** A dictionary that is filled while it is read: its keys come from outside, so it inherits none. */
export function newDict(): Record<string, PlistValue> {
  return Object.create(null) as Record<string, PlistValue>;
}

/** The string under a key; `undefined` where there is none, or something else. */
export function stringIn(dict: PlistDict, key: string): string | undefined {
  const value = dict[key];
  return typeof value === 'string' ? value : undefined;
}

/** The strings of an array under a key; empty where there is none. What is no string is left out. */
export function stringsIn(dict: PlistDict, key: string): string[] {
  const value = dict[key];
  return Array.isArray(value) ? value.filter((item): item is string => typeof item === 'string') : [];
}

/** The dictionaries of an array under a key; empty where there is none. What is no dictionary is left out. */
export function dictsIn(dict: PlistDict, key: string): PlistDict[] {
  const value = dict[key];
  return Array.isArray(value) ? value.filter((item): item is PlistDict => isDict(item)) : [];
}

/** The dictionary under a key; an empty one where there is none. */
export function dictIn(dict: PlistDict, key: string): PlistDict {
  const value = dict[key];
  return isDict(value) ? value : newDict();
}
