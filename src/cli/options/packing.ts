import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { Arguments } from '../define-command.js';
import { access } from './site.js';

/** What packing an installable package and a bundle have in common. */
export const packing = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  access(
    command
      .option('--out <dir>', 'folder for what is made (default: out, beside hull.json)')
      .option(
        '--record',
        'write a bill of materials (CycloneDX) and a signed statement of origin (in-toto) beside it',
      )
      .option(
        '--verify-record <file>',
        'pack nothing; exit with 1 where a rebuild differs from a bill of materials, or from a statement of origin',
      )
      .option('--skip-origin-check', 'browser engine: pack although the host does not name the key yet'),
  );
