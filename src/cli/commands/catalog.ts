import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { store } from '../options/store.js';

export const declareCheck = (command: Command) => project(command);

export const catalogCheck = defineCommand({
  words: 'catalog check',
  summary: 'what stores would refuse of catalog.json: IDs, texts, prices, periods',
  examples: ['hull catalog check', 'hull catalog check --json'],
  declare: declareCheck,
  load: async () => (await import('./catalog.run.js')).runCheck,
});

export const declareCompare = (command: Command) => project(store(command));

export const catalogCompare = defineCommand({
  words: 'catalog compare',
  summary: 'what differs between catalog.json and the store',
  examples: ['hull catalog compare', 'hull catalog compare --json'],
  declare: declareCompare,
  load: async () => (await import('./catalog.run.js')).runCompare,
});

export const declareSend = (command: Command) =>
  project(
    questions(store(command.option('--activate', 'let products be bought that are active in catalog.json'))),
  );

export const catalogSend = defineCommand({
  words: 'catalog send',
  summary: 'send what differs to the store; asks before what cannot be taken back',
  examples: ['hull catalog send', 'hull catalog send --activate --yes'],
  declare: declareSend,
  load: async () => (await import('./catalog.run.js')).runSend,
});

export const declareModule = (command: Command) =>
  project(command.option('--out <dir>', 'folder that gets it (default: the web folder)'));

export const catalogModule = defineCommand({
  words: 'catalog module',
  summary: 'write the small script by which pages sell, with its types, into the web app',
  examples: ['hull catalog module', 'hull catalog module --out src'],
  declare: declareModule,
  load: async () => (await import('./catalog.run.js')).runModule,
});
