import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command
          .argument('<old>', 'name of the key that signs the app today')
          .argument('<new>', 'name of the key that follows')
          .option('--since <API level>', 'from which devices the new key counts: 28, or 33 and later', '33')
          .option(
            '--keeps <list>',
            'what the old key keeps: installed-data,shared-user-id,permission,auth,rollback; or nothing',
          ),
      ),
    ),
  );

export const keysRotate = defineCommand({
  words: 'keys rotate',
  summary: 'rotate a signing key: the old key vouches for the new one, and devices accept its updates',
  examples: ['hull keys rotate release next', 'hull keys rotate release next --since 28'],
  declare,
  load: async () => (await import('./keys-rotate.run.js')).run,
});
