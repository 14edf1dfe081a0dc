export type JsonObject = Readonly<Record<string, unknown>>;

/** Whether a value of JSON is an object, and no list. */
export function isObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}
