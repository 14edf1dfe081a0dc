import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('<old>', 'the package that users have')
      .argument('<new>', 'the package that is to follow')
      .addOption(
        new Option('--format <format>', 'form of the report; markdown is for a pull request').choices([
          'text',
          'markdown',
          'json',
        ] as const),
      )
      .option('--out <file>', 'write the report into a file'),
  );

export const compare = defineCommand({
  words: 'compare',
  summary:
    'say whether a store and a device would take one package as an update of another, and what changed',
  examples: [
    'hull compare released.apk out/ferry.apk',
    'hull compare released.ipa out/ferry.ipa',
    'hull compare released.apk out/ferry.apk --json',
  ],
  declare,
  load: async () => (await import('./compare.run.js')).run,
});
