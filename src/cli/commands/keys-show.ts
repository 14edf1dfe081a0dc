import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command
          .argument('[name]', 'name of the key in hull.json (default: the one that packages are signed with)')
          .option('--file <file>', 'show a keystore file that hull.json does not name'),
      ),
    ),
  );

export const keysShow = defineCommand({
  words: 'keys show',
  summary: 'print subject, validity and fingerprints of a signing certificate',
  examples: ['hull keys show', 'hull keys show upload --json'],
  declare,
  load: async () => (await import('./keys-show.run.js')).run,
});
