import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Argument } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command.addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish'] as const)),
  );

export const completion = defineCommand({
  words: 'completion',
  summary: 'print a script that completes commands and options in a shell',
  examples: ['source <(hull completion bash)', 'hull completion fish | source'],
  declare,
  readsAll: true,
  load: async () => (await import('./completion.run.js')).run,
});
