import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { site } from '../options/site.js';

export const declare = (command: Command) => project(site(command));

export const releaseListing = defineCommand({
  words: 'release listing',
  summary: 'write a first listing from the web app manifest: texts, screenshots; what is there stays',
  examples: ['hull release listing', 'hull release listing -C ferry'],
  declare,
  load: async () => (await import('./release-listing.run.js')).run,
});
