import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command.option(
          '--device <id...>',
          'identifiers of devices that the profile names (default: a made-up one)',
        ),
      ),
    ),
  );

export const drydockTeam = defineCommand({
  words: 'drydock team',
  summary:
    'an Apple developer’s certificate and profile below a test authority, to try packing without an account',
  examples: ['hull drydock team', 'hull drydock team --device 00008030-001A2B3C4D5E802E'],
  declare,
  load: async () => (await import('./drydock-team.run.js')).run,
});
