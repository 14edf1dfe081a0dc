export type JsonObject = Readonly<Record<string, unknown>>;

/** Whether a value of JSON is an object, and no list. */
export function isObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** A value of JSON as a text; empty for what is none. */
export const asText = (value: unknown): string => (typeof value === 'string' ? value : '');

/** A value of JSON as a number; 0 for what is none. */
export const asNumber = (value: unknown): number =>
  typeof value === 'number' && Number.isFinite(value) ? value : 0;
