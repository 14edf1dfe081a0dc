import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { packing } from '../options/packing.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    signing(
      packing(command)
        .option('--from <bundle>', 'make it out of an .aab file: everything in it in one package, for trying')
        .option('--debuggable', 'let web inspectors attach; stores refuse such a package')
        .option(
          '--store <address>',
          'browser engine, debuggable: let pages buy from a stand-in store on this computer',
        ),
    ),
  );

export const packApk = defineCommand({
  words: 'pack apk',
  summary: 'make a signed Android package, read it back, and say what is in it',
  examples: [
    'hull pack apk',
    'hull pack apk --debuggable --store http://127.0.0.1:8091',
    'hull pack apk --from out/ferry.aab',
  ],
  declare,
  load: async () => (await import('./pack.run.js')).runApk,
});
