import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('[folder]', 'what hull pack android-project made (default: the project itself)')
      .option('--check', 'write nothing; exit with 1 where something would change'),
  );

export const refit = defineCommand({
  words: 'refit',
  summary: 'bring an exported project, or the schema beside hull.json, up to date; your own edits are kept',
  examples: ['hull refit out/android-project', 'hull refit --check'],
  declare,
  load: async () => (await import('./refit.run.js')).run,
});
