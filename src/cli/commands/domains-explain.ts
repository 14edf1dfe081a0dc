import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { comparison } from '../options/domains.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    comparison(
      command
        .argument('[URL...]', 'URLs; more than five are shown as a table')
        .option('--steps', 'show every step on the way')
        .option('--from <file>', 'a file with one URL a line; - for standard input')
        .option(
          '--from-site',
          'the pages of the web folder and its sitemap; of a hosted app, with --live, its pages',
        )
        .option('--live', 'go by what the hosts serve now, instead of the folders'),
    ),
  );

export const domainsExplain = defineCommand({
  words: 'domains explain',
  summary: 'show which app opens a URL on each platform, and by which rule',
  examples: [
    'hull domains explain https://ferry.saltmarsh.example/timetable/today',
    'hull domains explain --from urls.txt --json',
  ],
  declare,
  load: async () => (await import('./domains-explain.run.js')).run,
});
