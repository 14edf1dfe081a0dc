import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command.option('--out <dir>', 'folder for the project (default: out/android-project, beside hull.json)'),
  );

export const packAndroidProject = defineCommand({
  words: 'pack android-project',
  summary: 'the same app as a source project that the platform’s usual build opens',
  examples: ['hull pack android-project', 'hull pack android-project --out native/android'],
  declare,
  load: async () => (await import('./pack-project.run.js')).run,
});
