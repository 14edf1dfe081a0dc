import { HullError } from '../../errors.js';

/**
 * What reading one file may cost. A hostile file of a few kilobytes can point at the same long string a million times, or
 * ask for hours of key derivation; every reader charges what it does to its file's budget, which is in proportion to the
 * file's size and ends in an error.
 */
export interface BudgetLimits {
  /** Decoded text in bytes: what is once in the file may be used several times. */
  readonly text: number;
  /** Values, elements, attributes, entries. */
  readonly items: number;
  /** Rounds of key derivation, over all keys of the file. */
  readonly rounds: number;
}

const KIB = 1024;

/** The largest nesting of elements, messages or values: no document of the platforms comes near it. */
export const MAX_NESTING = 256;

/**
 * Limits for a file of `size` bytes. Real resource tables stay below an eighth of them (measured on packages of 1 to
 * 200 MB); the ceilings hold memory below about a gigabyte.
 */
function limitsFor(size: number): BudgetLimits {
  return {
    text: Math.min(256 * KIB + 4 * size, 512 * KIB * KIB),
    items: Math.min(64 * KIB + Math.floor(size / 2), 8 * KIB * KIB),
    // A few seconds. Keystores ask for 1,000 to 1,000,000 rounds, and mostly once for all keys.
    rounds: 10_000_000,
  };
}

const WHAT: Readonly<Record<keyof BudgetLimits, string>> = {
  text: 'bytes of text',
  items: 'values',
  rounds: 'rounds of key derivation',
};

/** Counts what the readers of one file do. */
export class Budget {
  readonly #limits: BudgetLimits;
  readonly #size: number;
  readonly #spent: Record<keyof BudgetLimits, number> = { text: 0, items: 0, rounds: 0 };

  /** @param size of the file in bytes */
  constructor(size: number, limits: Partial<BudgetLimits> = {}) {
    this.#size = size;
    this.#limits = { ...limitsFor(size), ...limits };
  }

  /** How much was charged so far. */
  spent(kind: keyof BudgetLimits): number {
    return this.#spent[kind];
  }

  /** Charges work before it is done. Throws HullError `file.over-budget`. */
  charge(kind: keyof BudgetLimits, amount: number): void {
    this.#spent[kind] += amount;
    if (this.#spent[kind] <= this.#limits[kind]) return;
    throw new HullError(
      'file.over-budget',
      `The file asks for more than ${this.#limits[kind]} ${WHAT[kind]}, which one of ${this.#size} bytes never needs.`,
      { fix: 'It is damaged or hostile: get the file from its maker again.' },
    );
  }
}

/** Text of at most this many bytes may be used any number of times: names are, in every document. */
const SHORT_TEXT = 128;

/** Charges the use of a text that was decoded before: what is printed is as long as all uses together. */
export function chargeUse(budget: Budget, text: string): void {
  if (text.length > SHORT_TEXT) budget.charge('text', text.length);
}
