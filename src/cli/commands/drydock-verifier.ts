import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { comparison } from '../options/domains.js';
import { project } from '../options/project.js';

export const declare = (command: Command) =>
  project(comparison(command.option('--port <number>', 'port (default: any that is free)')));

export const drydockVerifier = defineCommand({
  words: 'drydock verifier',
  summary: 'a stand-in for what verifies links: a device, at install; a vendor’s cache, once a day',
  examples: ['hull drydock verifier', 'hull drydock verifier --port 8090'],
  declare,
  load: async () => (await import('./drydock-verifier.run.js')).run,
});
