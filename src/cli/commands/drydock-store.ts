import type { Command } from '@commander-js/extra-typings';
import { STORE_FAULTS } from '../../drydock/store/faults.js';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .option('--port <number>', 'port (default: any that is free)')
      .option(
        '--review <time>',
        'how long a review takes, as 30s or 5m (default: until you decide on the page)',
      )
      .option('--reject <reason>', 'reject every release')
      .addOption(
        new Option(
          '--fault <kind>',
          'make one in four requests fail: an answer, a cut line, or all slow',
        ).choices(STORE_FAULTS),
      )
      .option('--notify <address>', 'tell the app’s server of purchases, as the store does')
      .option('--state <dir>', 'folder of its state (default: .hull/store, beside hull.json)'),
  );

export const drydockStore = defineCommand({
  words: 'drydock store',
  summary:
    'a stand-in for the Android store and Apple’s: takes releases, reviews them, shows itself as a web page',
  examples: ['hull drydock store --review 30s', 'hull drydock store --reject "The icon is blurred."'],
  declare,
  load: async () => (await import('./drydock-store.run.js')).run,
});
