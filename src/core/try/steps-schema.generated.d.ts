import type { Validate } from '../project/hull-schema.generated.js';

/** Compiled from `schema/steps.schema.json` when the project is built. */
export declare const validate: Validate;
/** Keys of each object by its place in the schema, as in `#/properties/steps`. */
export declare const knownKeys: Readonly<Record<string, readonly string[]>>;
