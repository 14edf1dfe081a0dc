import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .option('--https', 'with TLS too, from a certificate authority of this run alone')
      .option('--port <number>', 'port (default: any that is free)')
      .option('--store <address>', 'give pages a payment method that buys from a stand-in store')
      .option('--backend <address>', 'the app’s own server, which answers what is below /api/')
      .option('--no-qr', 'print no QR codes')
      .addOption(
        new Option(
          '--fault <fault>',
          'do something wrong, to see how the app and hull domains verify react',
        ).choices(['offline', 'slow', '404', '500', 'redirect', 'type'] as const),
      ),
  );

export const serve = defineCommand({
  words: 'serve',
  summary: 'serve the web folder and its association documents on loopback; runs until Ctrl-C',
  examples: [
    'hull serve',
    'hull serve --https',
    'hull serve --store http://127.0.0.1:8091',
    'hull serve --fault slow',
  ],
  declare,
  load: async () => (await import('./serve.run.js')).run,
});
