import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleet } from '../options/fleet.js';
import { project } from '../options/project.js';

export const declare = (command: Command) => project(fleet(command));

export const fleetList = defineCommand({
  words: 'fleet list',
  summary: 'list the brands of fleet.json, and what they should not have in common',
  examples: ['hull fleet list', 'hull fleet list --changed-since main', 'hull fleet list --shard 2/3 --json'],
  declare,
  load: async () => (await import('./fleet-list.run.js')).run,
});
