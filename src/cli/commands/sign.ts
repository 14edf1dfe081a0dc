import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    signing(
      command
        .argument('<package>', 'an .apk, .aab or .ipa file from anyone')
        .option('--out <file>', 'file to write (default: beside it, with -signed behind its name)')
        .option('--v1', 'make a v1 (JAR) signature too, where no device would need it')
        .option('--profile <file>', 'provisioning profile for an .ipa (default: apple.profile)')
        .option('--verify-only', 'write nothing; exit with 1 where its signatures do not verify'),
    ),
  );

export const sign = defineCommand({
  words: 'sign',
  summary:
    'sign any package or bundle again: aligned, with older signatures replaced; the original is not touched',
  examples: [
    'hull sign out/ferry.apk --out out/ferry-signed.apk',
    'hull sign out/ferry.apk --verify-only',
    'hull sign out/ferry.ipa --profile apple/adhoc.mobileprovision',
  ],
  declare,
  load: async () => (await import('./sign.run.js')).run,
});
