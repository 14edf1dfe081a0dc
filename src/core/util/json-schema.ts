import { type ErrorCode, HullError } from '../errors.js';
import { type LocatedJson, pointerStep } from './json-locations.js';

/** A validator that was compiled from a JSON Schema (Ajv). */
export interface Validator {
  (value: unknown): boolean;
  errors?:
    | readonly {
        readonly instancePath: string;
        readonly keyword: string;
        readonly message?: string | undefined;
        readonly params: Readonly<Record<string, unknown>>;
      }[]
    | null;
}

/**
 * Refuses a document that is not as its schema says, at the place of the first fault.
 *
 * @throws HullError of the code
 */
export function checkJson(json: LocatedJson, validate: Validator, code: ErrorCode, fix: string): void {
  if (validate(json.value)) return;
  const errors = validate.errors ?? [];
  const error = errors.find(({ keyword }) => keyword === 'additionalProperties') ?? errors[0];
  if (error === undefined) return;
  const extra = error.params.additionalProperty;
  const location =
    extra === undefined
      ? json.location(error.instancePath)
      : json.locationOfKey(`${error.instancePath}/${pointerStep(String(extra))}`);
  throw new HullError(
    code,
    extra === undefined
      ? `This value does not hold: ${error.message}.`
      : `There is no key "${String(extra)}" here.`,
    { location, fix },
  );
}
