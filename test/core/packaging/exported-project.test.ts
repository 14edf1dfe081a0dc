import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  exportProject,
  mergeTexts,
  projectOf,
  type RefitState,
  refitExported,
} from '../../../src/core/packaging/exported-project.js';
import type { ProjectFile } from '../../../src/core/packaging/project-file.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const bytes = (text: string) => new TextEncoder().encode(text);
const file = (path: string, text: string): ProjectFile => ({ path, content: bytes(text) });
const CODE = 'one\ntwo\nthree\nfour\nfive\nsix\n';
const FIRST = [
  file('A.java', CODE),
  file('B.java', CODE),
  file('C.java', CODE),
  file('D.java', CODE),
  file('gone.xml', '<a/>\n'),
  file('res/icon.webp', 'pixels'),
  file('res/mine.webp', 'pixels'),
];

async function exported(): Promise<string> {
  const dir = join(temporaryFolder(), 'project');
  await exportProject({ dir, projectDir: join(dir, '../app'), files: FIRST, version: '1' });
  return dir;
}

async function states(dir: string, files: readonly ProjectFile[], mode: 'write' | 'check' = 'write') {
  const results = await refitExported({ dir, files, version: '2', mode });
  return Object.fromEntries(results.map(({ path, state }) => [path, state])) as Record<string, RefitState>;
}

const read = (dir: string, path: string) => readFileSync(join(dir, path), 'utf8');

describe('an exported project', () => {
  it('knows where it came from, and is never written over', async () => {
    const dir = await exported();
    expect(projectOf(dir)).toMatch(/app$/);
    await refused('project.exists', () =>
      exportProject({ dir, projectDir: dir, files: FIRST, version: '1' }),
    );
    const other = temporaryFolder();
    writeFiles(other, { 'mine.txt': 'mine' });
    await refused('project.folder-not-empty', () =>
      exportProject({ dir: other, projectDir: dir, files: FIRST, version: '1' }),
    );
    await refused('project.not-exported', () => states(other, FIRST));
    writeFiles(other, {
      '.hull/export.json': JSON.stringify({ format: 1, project: '.', files: { '../../etc': 'x' } }),
    });
    await refused('project.not-exported', () => states(other, FIRST));
  });

  it('is left alone where nothing changed', async () => {
    const dir = await exported();
    expect(new Set(Object.values(await states(dir, FIRST)))).toEqual(new Set(['unchanged']));
  });

  it('takes what is new, keeps what was edited, and merges line by line', async () => {
    const dir = await exported();
    writeFileSync(join(dir, 'B.java'), CODE.replace('six', 'six of mine'));
    writeFileSync(join(dir, 'C.java'), CODE.replace('two', 'two of mine'));
    writeFileSync(join(dir, 'res/mine.webp'), 'my pixels');
    rmSync(join(dir, 'D.java'));
    writeFileSync(join(dir, 'own.java'), 'all mine');
    const next = [
      file('A.java', CODE.replace('one', 'ONE')),
      file('B.java', CODE.replace('one', 'ONE')),
      file('C.java', CODE.replace('two', 'TWO')),
      file('D.java', CODE.replace('one', 'ONE')),
      file('E.java', CODE),
      file('own.java', 'theirs'),
      file('res/icon.webp', 'new pixels'),
      file('res/mine.webp', 'new pixels'),
    ];
    const expected = {
      'A.java': 'updated',
      'B.java': 'merged',
      'C.java': 'conflict',
      'D.java': 'deleted',
      'E.java': 'added',
      'gone.xml': 'removed',
      'own.java': 'conflict',
      'res/icon.webp': 'updated',
      'res/mine.webp': 'conflict',
    };
    expect(await states(dir, next, 'check')).toEqual(expected);
    expect(read(dir, 'A.java')).toBe(CODE);
    expect(await states(dir, next)).toEqual(expected);
    expect(read(dir, 'A.java')).toBe(CODE.replace('one', 'ONE'));
    expect(read(dir, 'B.java')).toBe(CODE.replace('one', 'ONE').replace('six', 'six of mine'));
    expect(read(dir, 'C.java')).toBe(CODE.replace('two', 'two of mine'));
    expect(read(dir, 'C.java.hull-new')).toBe(CODE.replace('two', 'TWO'));
    expect(read(dir, 'own.java')).toBe('all mine');
    expect(read(dir, 'res/mine.webp')).toBe('my pixels');
    expect(existsSync(join(dir, 'D.java'))).toBe(false);
    expect(existsSync(join(dir, 'gone.xml'))).toBe(false);
    // Once told, it is not told again: the next time starts from here.
    const again = await states(dir, next);
    expect(Object.values(again).filter((state) => !['kept', 'unchanged', 'deleted'].includes(state))).toEqual(
      [],
    );
  });

  it('loses no line of anyone, whatever was edited', () => {
    const line = fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f');
    const text = fc.array(line, { minLength: 1, maxLength: 12 });
    fc.assert(
      fc.property(text, fc.nat(11), fc.nat(11), (base, at, other) => {
        const mine: string[] = [...base];
        mine.splice(Math.min(at, base.length), 0, 'mine');
        const theirs: string[] = [...base];
        theirs.splice(Math.min(other, base.length), 0, 'theirs');
        const merged = mergeTexts(bytes(mine.join('\n')), bytes(base.join('\n')), bytes(theirs.join('\n')));
        if (!merged) return;
        const lines = Buffer.from(merged).toString().split('\n');
        expect(lines).toContain('mine');
        expect(lines).toContain('theirs');
        expect(lines.filter((one) => one !== 'mine' && one !== 'theirs')).toEqual(base);
      }),
    );
  });
});
