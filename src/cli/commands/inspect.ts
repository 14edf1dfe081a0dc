import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('<package>', 'an .apk, .aab or .ipa file')
      .option('--verify', 'exit with 1 where the signatures do not verify')
      .option('--html <file>', 'write a page with a map of sizes')
      .addOption(
        new Option(
          '--provenance [statement]',
          'verify where it comes from, and what it was made from; exit with 1 where that does not hold (default: the statement beside it)',
        ).preset(true as const),
      ),
  );

export const inspect = defineCommand({
  words: 'inspect',
  summary:
    'say what is in any package, for Android or for Apple’s systems, and whether its signature verifies',
  examples: [
    'hull inspect out/ferry.apk',
    'hull inspect out/ferry.aab --html sizes.html',
    'hull inspect out/heron-point/heron.apk --provenance',
  ],
  declare,
  load: async () => (await import('./inspect.run.js')).run,
});
