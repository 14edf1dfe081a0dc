import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { comparison } from '../options/domains.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    comparison(
      command
        .argument('[host...]', 'hosts of hull.json (default: all)')
        .option('--local', 'read the folders instead, before they are deployed')
        .option('--wait [minutes]', 'ask again until all are verified, for so long (default: 10)')
        .option('--verifier <address>', 'also say what a stand-in still holds (hull drydock verifier)'),
    ),
  );

export const domainsVerify = defineCommand({
  words: 'domains verify',
  summary:
    'ask hosts as devices do, and compare with hull.json and the packages; exit with 1 where one is not verified',
  examples: [
    'hull domains verify',
    'hull domains verify ferry.saltmarsh.example --local',
    'hull domains verify --wait',
  ],
  declare,
  load: async () => (await import('./domains-verify.run.js')).run,
});
