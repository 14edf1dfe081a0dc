import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';
import { access } from '../options/site.js';

export const declare = (command: Command) =>
  project(
    fleetRun(
      questions(
        password(
          access(command)
            .option('--write', 'write the association documents first, and verify what was written')
            .option('--local', 'read the documents on disk instead of asking the hosts')
            .option('--key <name>', 'key of hull.json that signs'),
        ),
      ),
    ),
  );

export const fleetDomains = defineCommand({
  words: 'fleet domains',
  summary: 'verify the associations of all brands with their hosts; write the documents first with --write',
  examples: [
    'hull fleet domains',
    'hull fleet domains --write',
    'hull fleet domains --local --report domains.md',
  ],
  declare,
  load: async () => (await import('./fleet-domains.run.js')).run,
});
