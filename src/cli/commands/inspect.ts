import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('<package>', 'an .apk, .aab or .ipa file')
      .option('--verify', 'exit with 1 where the signatures do not verify')
      .option('--html <file>', 'write a page with a map of sizes'),
  );

export const inspect = defineCommand({
  words: 'inspect',
  summary:
    'say what is in any package, for Android or for Apple’s systems, and whether its signature verifies',
  examples: ['hull inspect out/ferry.apk', 'hull inspect out/ferry.aab --html sizes.html'],
  declare,
  load: async () => (await import('./inspect.run.js')).run,
});
