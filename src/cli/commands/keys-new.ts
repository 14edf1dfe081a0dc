import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command
          .argument('[name]', 'name of the key in hull.json', 'release')
          .option('--file <file>', 'keystore to make (default: keys/<name>.p12)')
          .option('--common-name <text>', 'name in the certificate (default: the app’s name)')
          .option('--organization <text>', 'organization in the certificate')
          .option('--country <code>', 'country in the certificate: two capital letters')
          .addOption(
            new Option('--bits <number>', 'RSA key length')
              .choices(['2048', '3072', '4096'] as const)
              .default('3072' as const),
          )
          .addOption(
            new Option('--curve <name>', 'an elliptic-curve key instead of RSA').choices([
              'P-256',
              'P-384',
            ] as const),
          )
          .option('--years <number>', 'how long the certificate is valid, 27 at least', '30'),
      ),
    ),
  );

export const keysNew = defineCommand({
  words: 'keys new',
  summary: 'make a signing key and its certificate in a new keystore',
  examples: ['hull keys new', 'hull keys new upload --curve P-256 --yes'],
  declare,
  load: async () => (await import('./keys-new.run.js')).run,
});
