import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    fleetRun(
      command
        .addOption(
          new Option('--target <target>', 'images of one target').choices([
            'web',
            'android',
            'apple',
          ] as const),
        )
        .option('--check', 'write nothing; exit with 1 where an image is missing or out of date'),
    ),
  );

export const fleetArt = defineCommand({
  words: 'fleet art',
  summary: 'make the icons and start pictures of all brands, each in the folder of its own files',
  examples: [
    'hull fleet art',
    'hull fleet art --check',
    'hull fleet art --only heron-point --target android',
  ],
  declare,
  load: async () => (await import('./fleet-art.run.js')).run,
});
