import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { site } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    site(
      command
        .option('--out <file>', 'page to write (default: out/preview.html, beside hull.json)')
        .option('--png <file>', 'write its picture too, as a browser shows it (HULL_BROWSER names one)')
        .addOption(
          new Option(
            '--engine <engine>',
            'webkit shows Apple’s screens in their own engine (HULL_WEBKIT names its driver)',
          ).choices(['webkit'] as const),
        )
        .option('--shots', 'take screenshots for manifest and store too, into art/shots of the web folder')
        .option('--fail-on-warning', 'exit with 1 where users will not see something as it was meant'),
    ),
  );

export const preview = defineCommand({
  words: 'preview',
  summary: 'one page of what users will see: icon and label, start, questions, store listing',
  examples: [
    'hull preview',
    'hull preview --png preview.png',
    'hull preview --engine webkit --png preview.png',
  ],
  declare,
  load: async () => (await import('./preview.run.js')).run,
});
