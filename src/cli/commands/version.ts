import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('[part or version]', 'major, minor, patch, build, or a version such as 2.0.0')
      .option('--against <package>', 'a package that users have: the build goes above its own'),
  );

export const version = defineCommand({
  words: 'version',
  summary: 'show the version, or raise it with the build; never below what is packed already',
  examples: ['hull version', 'hull version minor', 'hull version 2.0.0'],
  declare,
  load: async () => (await import('./version.run.js')).run,
});
