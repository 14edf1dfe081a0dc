import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    signing(
      command
        .option('--out <dir>', 'folder for what is made (default: out, beside hull.json)')
        .option('--profile <file>', 'provisioning profile (default: apple.profile)')
        .option('--simulator', 'pack for simulators: signed by nobody, without a profile'),
    ),
  );

export const packIpa = defineCommand({
  words: 'pack ipa',
  summary: 'make a signed package for Apple’s devices, or one for simulators, and read it back',
  examples: [
    'hull pack ipa',
    'hull pack ipa --simulator',
    'hull pack ipa --profile apple/adhoc.mobileprovision',
  ],
  declare,
  load: async () => (await import('./pack-ipa.run.js')).run,
});
