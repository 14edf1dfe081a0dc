import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { store, whichStore } from '../options/store.js';

export const declare = (command: Command) =>
  project(
    store(
      whichStore('android')(
        command
          .argument('<from>', 'track whose release it is')
          .argument('<to>', 'track that gets it')
          .option('--share <share>', 'part of the users that get it first, as 10%'),
      ),
    ),
  );

export const releaseMove = defineCommand({
  words: 'release move',
  summary: 'give the release of one track to another, without a new upload',
  examples: ['hull release move internal beta', 'hull release move beta production --share 10%'],
  declare,
  load: async () => (await import('./release-change.run.js')).runMove,
});
