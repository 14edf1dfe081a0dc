import type { Validate } from '../project/hull-schema.generated.js';

/** Compiled from `schema/fleet.schema.json` when the project is built. */
export declare const validate: Validate;
/** Keys of each object by its place in the schema, as in `#/properties/brands`. */
export declare const knownKeys: Readonly<Record<string, readonly string[]>>;
