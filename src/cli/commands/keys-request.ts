import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command
          .argument('[name]', 'name that the key will have in hull.json', 'apple')
          .option('--common-name <text>', 'name in the request (default: the app’s name)'),
      ),
    ),
  );

export const keysRequest = defineCommand({
  words: 'keys request',
  summary: 'make a key and a request that Apple’s authority certifies it, without a Mac',
  examples: ['hull keys request', 'hull keys request apple-store --common-name "Saltmarsh Ferry"'],
  declare,
  load: async () => (await import('./keys-request.run.js')).run,
});
