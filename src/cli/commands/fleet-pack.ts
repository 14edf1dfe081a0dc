import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleet } from '../options/fleet.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';
import { access } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    fleet(
      signing(access(command))
        .option('--out <dir>', 'folder for what is made; each brand has one of its own in it (default: out)')
        .option('--skip-origin-check', 'browser engine: pack although the host does not name the key yet')
        .addOption(
          new Option('--kind <kind>', 'what is made (default: apk)').choices(['apk', 'aab'] as const),
        )
        .option('--jobs <number>', 'brands that are packed side by side (default: 1)')
        .option(
          '--costs <report>',
          'an earlier --json report: parts of --shard are even by the time that each brand took',
        ),
    ),
  );

export const fleetPack = defineCommand({
  words: 'fleet pack',
  summary: 'make the packages of all brands: those alone that are not there yet, or have changed',
  examples: [
    'hull fleet pack',
    'hull fleet pack --only heron-point --kind aab',
    'hull fleet pack --shard 1/3 --json',
  ],
  declare,
  load: async () => (await import('./fleet.run.js')).runPack,
});
