import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { store, whichStore } from '../options/store.js';

export const track = '--track <track>';
export const trackWords = 'which track (default: production)';

export const declare = (command: Command) =>
  project(
    store(
      whichStore('android')(
        command.argument('<share>', 'part of the users, as 50% or 100%').option(track, trackWords),
      ),
    ),
  );

export const releaseRollout = defineCommand({
  words: 'release rollout',
  summary: 'give a staged release to more users',
  examples: ['hull release rollout 50%', 'hull release rollout 100% --track beta'],
  declare,
  load: async () => (await import('./release-change.run.js')).runRollout,
});
