import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'jsonc-parser';
import { describe, expect, it } from 'vitest';
import { resolveApp } from '../../../src/core/app/app.js';
import { readProject } from '../../../src/core/project/project.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const text = readFileSync(join(import.meta.dirname, '../../../docs/configuration.md'), 'utf8');
const blocks = [...text.matchAll(/```jsonc\n([\s\S]*?)```/g)].map(([, block]) => block as string);
const [whole = '', ...examples] = blocks;

describe('docs/configuration.md', () => {
  it('has an example of every section', () => {
    const { properties } = JSON.parse(
      readFileSync(join(import.meta.dirname, '../../../schema/hull.schema.json'), 'utf8'),
    );
    const shown = new Set(
      [whole, ...examples.map((one) => `{${one}}`)].flatMap((one) => Object.keys(parse(one))),
    );
    expect(Object.keys(properties).filter((key) => !shown.has(key))).toEqual([]);
  });

  it.each(examples.map((example) => [example.split('\n')[0], example]))(
    'holds what it shows: %s',
    async (_first, example) => {
      const dir = temporaryFolder();
      const config = { ...parse(whole), ...parse(`{${example}}`) };
      writeFiles(dir, {
        'hull.json': JSON.stringify(config),
        'site/index.html': '<!doctype html><title>Ferry</title>',
        'site/pier.html': '<!doctype html><title>Pier</title>',
        'site/tickets.html': '<!doctype html><title>Tickets</title>',
      });
      const app = await resolveApp(readProject(dir));
      expect(app.id).toBe('example.saltmarsh.ferry');
    },
  );
});
