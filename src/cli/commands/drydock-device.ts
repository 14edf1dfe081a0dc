import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .option('--apple', 'an Apple device, on the service for devices on USB')
      .option('--port <number>', 'port to listen at (default: 5037, with --apple 27015; 0 for any)')
      .option(
        '--dir <dir>',
        'folder that keeps what is installed (default: .hull/device, with --apple .hull/apple-device)',
      )
      .option(
        '--serial <text>',
        'its serial number or UDID (default: stand-in, with --apple the one that hull drydock team names)',
      )
      .option('--screen-port <number>', 'port of the page with its screen (default: any that is free)')
      .option('--no-screen', 'show no screen, and start no browser')
      .option(
        '--transport <port>',
        'also let a bridge of your own connect to it: adb connect 127.0.0.1:<port> (Android)',
      )
      .option('--sdk <number>', 'its API level (Android; default: 36)')
      .addOption(
        new Option('--state <state>', 'as the bridge lists it (Android)').choices([
          'device',
          'unauthorized',
          'offline',
        ] as const),
      )
      .option('--system <version>', 'version of its system (Apple; default: 26.1)')
      .addOption(new Option('--family <kind>', 'what it is (Apple)').choices(['phone', 'tablet'] as const))
      .addOption(
        new Option('--trust <answer>', 'what is tapped when a computer asks to be trusted (Apple)').choices([
          'at-once',
          'asked',
          'refused',
        ] as const),
      )
      .addOption(
        new Option('--developer-mode <state>', 'whether it opens apps in development (Apple)').choices([
          'on',
          'off',
        ] as const),
      )
      .option('--free <MB>', 'space that is free (Apple; default: 4000)')
      .option('--plain', 'do not encrypt connections (Apple)'),
  );

export const drydockDevice = defineCommand({
  words: 'drydock device',
  summary: 'a simulated device: takes packages as a device would, or says why not; runs until Ctrl-C',
  examples: [
    'hull drydock device',
    'hull drydock device --port 5599 --sdk 28',
    'hull drydock device --apple --trust asked',
  ],
  declare,
  load: async () => (await import('./drydock-device.run.js')).run,
});
