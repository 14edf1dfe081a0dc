import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { store, whichStore } from '../options/store.js';

export const declare = (command: Command) =>
  project(
    store(
      whichStore('android')(
        command
          .option('--wait', 'until the store has decided on everything; says when something changes')
          .option('--every <seconds>', 'seconds between two looks (default: 15, then rarer)'),
      ),
    ),
  );

export const releaseStatus = defineCommand({
  words: 'release status',
  summary: 'every track with its version, state and share; waits for reviews; the link for testers',
  examples: ['hull release status', 'hull release status --wait'],
  declare,
  load: async () => (await import('./release-status.run.js')).run,
});
