import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('[package]', 'an .apk, .aab or .ipa (default: the app of hull.json, as it would be packed)')
      .option('--port <number>', 'port of the page (default: any that is free)')
      .option('--steps <file>', 'do these steps instead, and exit with 1 where one fails')
      .option('--junit <file>', 'write the results of the steps for a build server')
      .option(
        '--png <file>',
        'with steps: a picture of the page at the end; else of the first page, and no more',
      )
      .addOption(
        new Option('--device <kind>', 'what it runs on (default: phone)').choices([
          'phone',
          'tablet',
        ] as const),
      )
      .addOption(
        new Option('--scheme <scheme>', 'colours (default: light)').choices(['light', 'dark'] as const),
      )
      .option('--language <tag>', 'language of the device, as de-DE (default: en-US)')
      .addOption(
        new Option(
          '--engine <engine>',
          'what runs it (default: chromium); webkit as far as its driver can',
        ).choices(['chromium', 'webkit'] as const),
      )
      .option('--from <package>', 'start from this older package; the page, or a step, then updates it')
      .option('--store <address>', 'stand-in store that sells to the pages (hull drydock store)')
      .option(
        '--backend <address>',
        'server on this computer that answers the pages below /api/, with --store',
      ),
  );

export const tryCommand = defineCommand({
  words: 'try',
  summary: 'run the packed app on this computer: home screen, start, pages, questions, links, no network',
  examples: ['hull try', 'hull try out/ferry.apk', 'hull try --steps steps.json --png try.png'],
  declare,
  load: async () => (await import('./try.run.js')).run,
});
