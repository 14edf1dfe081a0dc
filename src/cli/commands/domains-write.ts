import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';
import { access } from '../options/site.js';

export const declare = (command: Command) =>
  project(
    signing(
      access(command)
        .option(
          '--out <dir>',
          'write each host’s below <dir>/<host> instead of into the folders that are served',
        )
        .option('--check', 'write nothing; exit with 1 where a document is not as it should be')
        .option('--debug', 'name the key of debuggable packages too; never for release')
        .option('--skip-live', 'do not look at what hosts serve now; merge into files alone')
        .option('--serving', 'print settings for common web servers'),
    ),
  );

export const domainsWrite = defineCommand({
  words: 'domains write',
  summary: 'write every host’s association documents, merged into existing ones',
  examples: ['hull domains write', 'hull domains write --check', 'hull domains write --serving'],
  declare,
  load: async () => (await import('./domains-write.run.js')).run,
});
