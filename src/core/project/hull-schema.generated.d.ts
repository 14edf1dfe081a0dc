interface SchemaError {
  readonly instancePath: string;
  readonly keyword: string;
  readonly message?: string;
  readonly params: Readonly<Record<string, unknown>>;
  readonly schemaPath: string;
}

interface Validate {
  (data: unknown): boolean;
  errors?: readonly SchemaError[] | null;
}

/** Compiled from `schema/hull.schema.json` when the project is built. */
export declare const validate: Validate;
/** Keys of each object by its place in the schema, as in `#/properties/web`. */
export declare const knownKeys: Readonly<Record<string, readonly string[]>>;
export type { SchemaError, Validate };
