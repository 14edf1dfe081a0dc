import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { bridge } from '../options/bridge.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(
    bridge(
      command.argument(
        '[package]',
        'an .apk or .ipa file (default: the newest of out/; with --bridge or --log the newest .apk, with --usbmuxd the newest .ipa)',
      ),
    )
      .option(
        '--usbmuxd <address>',
        'where the service for Apple devices listens: a socket’s path or host:port (else USBMUXD_SOCKET_ADDRESS, else the system’s, else 127.0.0.1:27015)',
      )
      .option('--no-start', 'leave it closed; on an Apple device, it is opened by hand')
      .option('--log', 'follow what the app logs until Ctrl-C (Android)'),
  );

export const install = defineCommand({
  words: 'install',
  summary: 'put a package on an attached device and start it; nothing is granted',
  examples: ['hull install', 'hull install out/ferry.apk --log', 'hull install out/ferry.ipa'],
  declare,
  load: async () => (await import('./install.run.js')).run,
});
