import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    command
      .argument('[package]', 'an .apk file (default: the newest of out/)')
      .option('--device <serial>', 'which device, where several are attached')
      .option(
        '--bridge <host:port>',
        'where the debug bridge listens (else ANDROID_ADB_SERVER_PORT, else 5037)',
      )
      .option('--no-start', 'leave it closed')
      .option('--log', 'follow what the app logs until Ctrl-C'),
  );

export const install = defineCommand({
  words: 'install',
  summary: 'put a package on an attached device and start it; nothing is granted',
  examples: ['hull install', 'hull install out/ferry.apk --log'],
  declare,
  load: async () => (await import('./install.run.js')).run,
});
