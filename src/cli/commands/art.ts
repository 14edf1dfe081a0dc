import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .option('--source <file>', 'SVG or PNG to make them from; named in hull.json as look.icon')
      .option(
        '--into <folder>',
        'folder that your build copies into the web folder (public, static): images for the web go there; named in hull.json as look.art.web',
      )
      .addOption(
        new Option('--only <target>', 'images of one target').choices(['web', 'android', 'apple'] as const),
      )
      .option('--list', 'print the plan: every image with its size and what asks for it')
      .option('--check', 'write nothing; exit with 1 where the disk is not as planned'),
  );

export const art = defineCommand({
  words: 'art',
  summary: 'make every icon and start-up image for web, Android and Apple from one picture',
  examples: ['hull art --source art/icon.svg', 'hull art --into public', 'hull art --check'],
  declare,
  load: async () => (await import('./art.run.js')).run,
});
