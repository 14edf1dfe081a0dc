import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command.option('--out <dir>', 'folder for the project (default: out/apple-project, beside hull.json)'),
  );

export const packAppleProject = defineCommand({
  words: 'pack apple-project',
  summary: 'the same app as a source project that Apple’s tools open, and archive for the store',
  examples: ['hull pack apple-project', 'hull pack apple-project --out native/apple'],
  declare,
  load: async () => (await import('./pack-project.run.js')).runApple,
});
