import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command.argument(
      '[folder]',
      'folder to work in, made where it is missing (default: a new temporary one)',
    ),
  );

export const demo = defineCommand({
  words: 'demo',
  summary: 'do the whole job on made-up data: survey, begin, keys, pack, inspect, domains',
  examples: ['hull demo', 'hull demo ferry'],
  declare,
  load: async () => (await import('./demo.run.js')).run,
});
