import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { site } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    questions(
      site(
        command
          .argument('<folder or URL>', 'folder of built web files, or the address of a hosted app')
          .option('--id <app ID>', 'app ID: a domain of yours in reverse, such as example.saltmarsh.ferry')
          .option('--name <text>', 'full name of the app')
          .option('--short-name <text>', 'label under the icon')
          .option('--app-version <version>', 'version that users read, such as 1.4.0')
          .option('--build <number>', 'version code: an integer that only rises')
          .option('--web-url <URL>', 'where the packed folder is hosted too')
          .option('--start <path>', 'first page, such as /?from=app')
          .option('--icon <file>', 'SVG or PNG to make the icons from')
          .addOption(
            new Option('--engine <engine>', 'what shows the pages').choices(['webview', 'browser'] as const),
          ),
      ),
    ),
  );

export const begin = defineCommand({
  words: 'begin',
  summary: 'look at a web app and write hull.json, saying where each value came from',
  examples: [
    'hull begin site --id example.saltmarsh.ferry',
    'hull begin https://ferry.saltmarsh.example/ --yes',
  ],
  declare,
  load: async () => (await import('./begin.run.js')).run,
});
