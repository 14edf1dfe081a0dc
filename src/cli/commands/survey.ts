import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { site } from '../options/site.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    site(
      command
        .argument('[folder or URL]', 'what to survey (default: the project’s folder, else its address)')
        .addOption(
          new Option(
            '--browser [engine]',
            'look with a real browser too: offline, errors, sizes, cutout, speed; chromium, or webkit, the engine of Apple’s devices, beside it (HULL_BROWSER, HULL_WEBKIT name them)',
          ).preset('chromium' as const),
        )
        .addOption(
          new Option('--format <format>', 'form of the report').choices([
            'text',
            'json',
            'sarif',
            'html',
          ] as const),
        )
        .option('--out <file>', 'write the report into a file')
        .addOption(
          new Option('--fail-on <severity>', 'exit with 1 from this severity on')
            .choices(['error', 'warning', 'suggestion', 'never'] as const)
            .default('error' as const),
        )
        .option(
          '--baseline <report>',
          'fail only on what an earlier report (--json) has not; say what is faster or slower',
        )
        .option('--runs <number>', 'visits of each page whose speed is measured, with --browser (default: 3)')
        .option('--no-speed', 'do not measure speed')
        .option('--explain <rule>', 'print a rule’s whole reasoning; all lists every rule'),
    ),
  );

export const survey = defineCommand({
  words: 'survey',
  summary: 'say what stands between a web app and a good native app: where, why, and how to fix it',
  examples: [
    'hull survey',
    'hull survey site --browser',
    'hull survey site --browser webkit --format html --out survey.html',
    'hull survey --fail-on warning --format sarif --out survey.sarif',
  ],
  declare,
  load: async () => (await import('./survey.run.js')).run,
});
