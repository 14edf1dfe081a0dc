import { expect } from 'vitest';
import { type ErrorCode, HullError } from '../../src/core/errors.js';

/** Runs something that must throw a {@link HullError} of a code, and gives the error for a closer look. */
export async function refused(code: ErrorCode, run: () => unknown): Promise<HullError> {
  try {
    await run();
  } catch (error) {
    expect(error, String(error)).toBeInstanceOf(HullError);
    expect((error as HullError).code, (error as HullError).message).toBe(code);
    return error as HullError;
  }
  throw new Error(`nothing was refused; ${code} was expected`);
}

/** Runs something on hostile bytes: it may give a result or a {@link HullError}, and nothing else. */
export async function holdsAgainst(run: () => unknown): Promise<'result' | HullError> {
  try {
    await run();
    return 'result';
  } catch (error) {
    if (error instanceof HullError) return error;
    throw error;
  }
}
