import { isObject, type JsonObject } from '../util/json-object.js';

/** Applies a JSON Merge Patch (RFC 7396, section 2): members replace each other, `null` takes one away, lists are replaced whole. */
export function mergePatch(target: unknown, patch: unknown): unknown {
  if (!isObject(patch)) return patch;
  const merged: Record<string, unknown> = isObject(target) ? { ...target } : {};
  for (const [key, value] of Object.entries(patch)) {
    if (value === null) delete merged[key];
    else if (key !== '__proto__') merged[key] = mergePatch(merged[key], value);
  }
  return merged;
}

const steps = (pointer: string): string[] =>
  pointer
    .split('/')
    .slice(1)
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));

/** Whether a patch says something of the value at a JSON pointer (RFC 6901): sets it, or takes it or what it is in away. */
export function decides(patch: unknown, pointer: string): boolean {
  let value: unknown = patch;
  for (const step of steps(pointer)) {
    // A list, or a value, is there in place of all that was below.
    if (!isObject(value)) return value !== undefined;
    if (!Object.hasOwn(value, step)) return false;
    value = value[step];
  }
  return value !== undefined;
}

/** The patch that sets one value. */
export function patchAt(pointer: string, value: unknown): JsonObject {
  return steps(pointer).reduceRight<unknown>((inner, step) => ({ [step]: inner }), value) as JsonObject;
}
