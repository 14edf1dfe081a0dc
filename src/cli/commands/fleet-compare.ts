import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    fleetRun(
      command
        .argument(
          '[folder]',
          'packages that users have, with a folder for each brand (default: those of earlier builds in out/)',
        )
        .addOption(
          new Option('--kind <kind>', 'what is compared (default: apk)').choices(['apk', 'aab'] as const),
        ),
    ),
  );

export const fleetCompare = defineCommand({
  words: 'fleet compare',
  summary: 'is each brand’s package what the project gives now, and what has changed since the one before',
  examples: [
    'hull fleet compare',
    'hull fleet compare released',
    'hull fleet compare released --report changes.md',
  ],
  declare,
  load: async () => (await import('./fleet-compare.run.js')).run,
});
