interface SchemaError {
  readonly instancePath: string;
  readonly keyword: string;
  readonly message?: string;
  readonly params: Readonly<Record<string, unknown>>;
  readonly parentSchema?: Readonly<Record<string, unknown>>;
}

interface Validate {
  (data: unknown): boolean;
  errors?: readonly SchemaError[] | null;
}

/** Compiled from `schema/hull.schema.json` when the project is built. */
export declare const validate: Validate;
export type { SchemaError };
