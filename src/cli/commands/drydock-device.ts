import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { Option } from '../options/typed.js';

export const declare = (command: Command) =>
  project(
    command
      .option('--port <number>', 'port of the debug bridge (default: 5037; 0 for any)')
      .option('--dir <dir>', 'folder that keeps what is installed (default: .hull/device)')
      .option('--serial <text>', 'its serial number (default: stand-in)')
      .option('--sdk <number>', 'its API level (default: 36)')
      .addOption(
        new Option('--state <state>', 'as the bridge lists it').choices([
          'device',
          'unauthorized',
          'offline',
        ] as const),
      ),
  );

export const drydockDevice = defineCommand({
  words: 'drydock device',
  summary: 'a stand-in device: takes packages as a device would, or says why not; runs until Ctrl-C',
  examples: ['hull drydock device', 'hull drydock device --port 5599 --sdk 28'],
  declare,
  load: async () => (await import('./drydock-device.run.js')).run,
});
