import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { CommonOptions, Io } from './terminal/io.js';

// biome-ignore lint/suspicious/noExplicitAny: the bound that Commander's own typings have
export type Arguments = any[];

/** Adds options to a command; groups of them are such functions too, so that the types of all are inferred. */
export type Declare<A extends Arguments, O extends OptionValues> = (command: Command) => Command<A, O>;

/** What a command is given when it runs, inferred from what it declares. */
export type OptionsOf<D> = D extends Declare<Arguments, infer O> ? O & CommonOptions : never;

/** A command as data: its words, its help, its options, and what is loaded when it runs. */
export interface CommandDefinition {
  /** As they are typed: `keys new`. */
  readonly words: string;
  readonly summary: string;
  /** Two or three lines that end its help, of the demo's scenario. */
  readonly examples: readonly string[];
  readonly declare: (command: Command) => unknown;
  /** It looks at the declarations of all commands. */
  readonly readsAll?: true;
  /** Its own module is loaded when it is called, so that no command waits for another's. */
  readonly load: () => Promise<Run>;
}

/** Runs a command; a number that it returns is its exit code, nothing is 0. */
export type Run = (io: Io, options: never, ...args: never[]) => Promise<unknown>;

/** A command whose module takes just what it declares. */
export function defineCommand<A extends Arguments, O extends OptionValues>(definition: {
  readonly words: string;
  readonly summary: string;
  readonly examples: readonly string[];
  readonly declare: Declare<A, O>;
  readonly readsAll?: true;
  readonly load: () => Promise<(io: Io, options: O & CommonOptions, ...args: A) => Promise<unknown>>;
}): CommandDefinition {
  return definition as unknown as CommandDefinition;
}
