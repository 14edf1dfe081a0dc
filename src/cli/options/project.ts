import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { Arguments } from '../define-command.js';
import { Option } from './typed.js';

/** Options that every command takes. */
export const project = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .addOption(new Option('-C, --project <dir>', 'folder of hull.json').default('.', 'this folder'))
    .option('--json', 'one JSON document on standard output, nothing else')
    .option('--quiet', 'no notes and no progress')
    .option('--verbose', 'more detail, and stack traces with errors')
    .option('--no-color', 'plain text (NO_COLOR does the same)');

/** For commands that ask questions. */
export const questions = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command.option('--yes', 'ask nothing; what is missing is an error that names its option');
