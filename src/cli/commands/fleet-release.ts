import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project, questions } from '../options/project.js';
import { site } from '../options/site.js';
import { store } from '../options/store.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    questions(
      fleetRun(
        site(
          store(
            command
              .option(
                '--to <track>',
                'send the newest package of each brand to this track; without it, only check',
              )
              .option('--share <share>', 'part of the users that get it first, as 10%')
              .option('--no-review', 'without a review; send the changes for review in the console')
              .option('--draft', 'upload only; release it in the console')
              .option('--dry-run', 'show what would change in the store; change nothing')
              .addOption(
                new Option('--fail-on <severity>', 'exit with 1 from this severity on')
                  .choices(['error', 'warning', 'suggestion', 'never'] as const)
                  .default('error' as const),
              ),
          ),
        ),
      ),
    ),
  );

export const fleetRelease = defineCommand({
  words: 'fleet release',
  summary: 'what stands between each brand and its store; with --to, send the packages to a track',
  examples: [
    'hull fleet release',
    'hull fleet release --to internal --dry-run',
    'hull fleet release --only heron-point --to production --share 10%',
  ],
  declare,
  load: async () => (await import('./fleet-release.run.js')).run,
});
