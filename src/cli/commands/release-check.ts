import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { site } from '../options/site.js';
import { store } from '../options/store.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    site(
      store(
        command
          .argument('[package]', 'an .aab, .apk or .ipa file (default: the newest bundle of out/)')
          .addOption(
            new Option('--for <store>', 'one store only (default: those that hull.json is made for)').choices(
              ['android', 'apple'] as const,
            ),
          )
          .addOption(
            new Option('--fail-on <severity>', 'exit with 1 from this severity on')
              .choices(['error', 'warning', 'suggestion', 'never'] as const)
              .default('error' as const),
          ),
      ),
    ),
  );

export const releaseCheck = defineCommand({
  words: 'release check',
  summary:
    'what stands between this project and a store that publishes it: package, listing, pictures, forms, policies',
  examples: [
    'hull release check',
    'hull release check --for android',
    'hull release check out/ferry.aab --json',
  ],
  declare,
  load: async () => (await import('./release-check.run.js')).run,
});
