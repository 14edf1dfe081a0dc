import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';
import { access } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    fleetRun(
      signing(access(command))
        .option('--out <dir>', 'folder for what is made; each brand has one of its own in it (default: out)')
        .option('--no-record', 'write no bill of materials and no statement of origin beside the packages')
        .option('--skip-origin-check', 'browser engine: pack although the host does not name the key yet')
        .addOption(
          new Option('--kind <kind>', 'what is made (default: apk)').choices(['apk', 'aab'] as const),
        ),
    ),
  );

export const fleetPack = defineCommand({
  words: 'fleet pack',
  summary: 'make the packages of all brands: those alone that are not there yet, or have changed',
  examples: [
    'hull fleet pack',
    'hull fleet pack --only heron-point --kind aab',
    'hull fleet pack --shard 1/3 --report packed.md',
  ],
  declare,
  load: async () => (await import('./fleet-pack.run.js')).run,
});
