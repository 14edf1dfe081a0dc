import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { access } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    access(command)
      .argument('[pages...]', 'pages or templates (default: all of the web folder)')
      .option('--write', 'put them between two marks in each page, and add to the manifest what it lacks')
      .option('--check', 'write nothing; exit with 1 where a page is not as it should be')
      .option('--remove', 'take out what was put in place')
      .option('--no-browser', 'do not open the written pages in the installed browser')
      .option('--jsx', 'print as JSX')
      .option('--base <path>', 'path that the site is served below (default: that of web.url)')
      .addOption(
        new Option('--zoom <choice>', 'off stops zooming, which low-vision users need')
          .choices(['free', 'off'] as const)
          .default('free' as const),
      ),
  );

export const tags = defineCommand({
  words: 'tags',
  summary: 'the head tags, manifest members and styles that make pages feel native, printed or put in place',
  examples: ['hull tags', 'hull tags --write', 'hull tags --remove'],
  declare,
  load: async () => (await import('./tags.run.js')).run,
});
