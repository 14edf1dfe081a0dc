import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { packing } from '../options/packing.js';
import { project } from '../options/project.js';
import { signing } from '../options/signing.js';

export const declare = (command: Command) => project(signing(packing(command)));

export const packAab = defineCommand({
  words: 'pack aab',
  summary: 'make the store’s bundle, signed with the upload key, and read it back',
  examples: ['hull pack aab', 'hull pack aab --record'],
  declare,
  load: async () => (await import('./pack.run.js')).runAab,
});
