import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { bridge } from '../options/bridge.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  bridge(
    project(
      command
        .option('--app <id>', 'app ID (default: that of hull.json)')
        .option('--png <file>', 'a picture of what the app shows now, and no more')
        .option('--for <seconds>', 'end after so many seconds (default: with Ctrl-C)'),
    ),
  );

export const watch = defineCommand({
  words: 'watch',
  summary: 'what the app’s pages say on an attached Android device: console, errors, failed requests, vitals',
  examples: ['hull watch', 'hull watch --png page.png', 'hull watch --for 60 --json'],
  declare,
  load: async () => (await import('./watch.run.js')).run,
});
