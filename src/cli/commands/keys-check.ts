import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command.option('--sheet <file>', 'write a backup sheet to print: fingerprints and uses, no secret'),
      ),
    ),
  );

export const keysCheck = defineCommand({
  words: 'keys check',
  summary: 'say whether keys are kept as they should be; exit with 1 where one is in danger',
  examples: ['hull keys check', 'hull keys check --sheet keys.md'],
  declare,
  load: async () => (await import('./keys-check.run.js')).run,
});
