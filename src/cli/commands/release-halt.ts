import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { store, whichStore } from '../options/store.js';
import { track, trackWords } from './release-rollout.js';

export const declare = (command: Command) =>
  project(store(whichStore('android')(command.option(track, trackWords))));

export const releaseHalt = defineCommand({
  words: 'release halt',
  summary: 'stop a staged release: nobody else gets it',
  examples: ['hull release halt', 'hull release halt --track beta'],
  declare,
  load: async () => (await import('./release-change.run.js')).runHalt,
});

export const releaseResume = defineCommand({
  words: 'release resume',
  summary: 'let a halted release continue',
  examples: ['hull release resume', 'hull release resume --track beta'],
  declare,
  load: async () => (await import('./release-change.run.js')).runResume,
});
