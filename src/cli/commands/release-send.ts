import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { store, whichStore } from '../options/store.js';

export const declare = (command: Command) =>
  project(
    questions(
      store(
        whichStore('by the package, else android')(
          command
            .argument('[package]', 'an .aab, .apk or .ipa file (default: the newest bundle of out/)')
            .option(
              '--to <track>',
              'internal, alpha, beta, production, a track of your own, or a group of testers of Apple’s store (default: release.track)',
            )
            .option('--share <share>', 'part of the users that get it first, as 10%')
            .option(
              '--notes <file>',
              'release notes in the app’s own language (default: those of the listing)',
            )
            .option('--crash-map <file>', 'map that makes reports of crashes readable')
            .option('--no-review', 'without a review; send the changes for review in the console')
            .option('--draft', 'upload only; release it in the console')
            .option('--dry-run', 'show what would change in the store; change nothing'),
        ),
      ),
    ),
  );

export const releaseSend = defineCommand({
  words: 'release send',
  summary: 'send a package to a track of the store, with the listing where it has changed',
  examples: [
    'hull release send --to internal --dry-run',
    'hull release send out/ferry.aab --to internal',
    'hull release send --to production --share 10%',
    'hull release send ferry.ipa --to "Harbour crew"',
  ],
  declare,
  load: async () => (await import('./release-send.run.js')).run,
});
