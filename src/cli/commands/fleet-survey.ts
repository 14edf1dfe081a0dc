import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { fleetRun } from '../options/fleet.js';
import { project } from '../options/project.js';
import { site } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    fleetRun(
      site(
        command
          .option('--browser', 'look with a real browser too (HULL_BROWSER names it)')
          .addOption(
            new Option('--fail-on <severity>', 'exit with 1 from this severity on')
              .choices(['error', 'warning', 'suggestion', 'never'] as const)
              .default('error' as const),
          )
          .option('--sarif <file>', 'write the findings as SARIF too, for review tools'),
      ),
    ),
  );

export const fleetSurvey = defineCommand({
  words: 'fleet survey',
  summary: 'survey all brands: each finding once, with the brands that have it',
  examples: [
    'hull fleet survey',
    'hull fleet survey --changed-since main --fail-on warning --sarif survey.sarif',
    'hull fleet survey --only heron-point,long-skerry --report survey.html',
  ],
  declare,
  load: async () => (await import('./fleet-survey.run.js')).run,
});
