import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { Arguments } from '../define-command.js';
import { questions } from './project.js';

/** How the password of a keystore is given. */
export const password = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command.option(
    '--password-file <file>',
    'file whose first line is the keystore’s password (else HULL_KEY_PASSWORD, else a prompt)',
  );

/** Which key signs, and its password. */
export const signing = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  questions(password(command.option('--key <name>', 'key of hull.json to sign with')));
