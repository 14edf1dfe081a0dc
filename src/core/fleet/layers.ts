import type { Location } from '../errors.js';
import type { LocatedJson } from '../util/json-locations.js';
import { decides, mergePatch } from './merge-patch.js';

/** A patch over the JSON of a project, with the place of each of its values. */
export interface Layer {
  readonly patch: unknown;
  /** Place of the value that it has for a JSON pointer. */
  location(pointer: string): Location;
  locationOfKey(pointer: string): Location;
}

/** A patch that is a value of a JSON file. @param at its JSON pointer there */
export function layerOf(json: LocatedJson, at: string, patch: unknown): Layer {
  return {
    patch,
    location: (pointer) => json.location(at + pointer),
    locationOfKey: (pointer) => json.locationOfKey(at + pointer),
  };
}

/** JSON with patches over it: its values merged, each with the place where it was said last. */
export function layered(base: LocatedJson, layers: readonly Layer[]): LocatedJson {
  const value = layers.reduce<unknown>((merged, { patch }) => mergePatch(merged, patch), base.value);
  const lastOf = (pointer: string): Layer | undefined =>
    layers.filter(({ patch }) => decides(patch, pointer)).at(-1);
  return {
    file: base.file,
    text: base.text,
    value,
    location: (pointer) => (lastOf(pointer) ?? base).location(pointer),
    locationOfKey: (pointer) => (lastOf(pointer) ?? base).locationOfKey(pointer),
  };
}
