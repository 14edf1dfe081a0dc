import { execFileSync } from 'node:child_process';
import {
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { fromSystemError } from '../../../src/core/errors.js';
import { FileSource } from '../../../src/core/formats/bytes/source.js';
import { editProject } from '../../../src/core/project/edit.js';
import { readProject } from '../../../src/core/project/project.js';
import { readRegularFile, replaceFile, temporaryBeside } from '../../../src/core/util/files.js';
import { withLock } from '../../../src/core/util/lock.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const bytes = (text: string) => new TextEncoder().encode(text);

/** A process that has ended, so that its number is nobody's. */
function deadProcess(): number {
  return Number(execFileSync(process.execPath, ['-p', 'process.pid'], { encoding: 'utf8' }));
}

describe('files', () => {
  it('of runs that were killed are cleaned away, and those of others are not', async () => {
    const dir = temporaryFolder();
    const own = temporaryBeside(join(dir, 'a.apk')).slice(dir.length + 1);
    const [, machine] = /\.([0-9a-f]{6})-/.exec(own) ?? [];
    const dead = deadProcess();
    mkdirSync(join(dir, 'sub'));
    const left = `.a.apk.${machine}-${dead}-0123abcd.part`;
    const spare = `.a.apk.${machine}-${dead}-0123abcd.part.3`;
    const folder = `.project.${machine}-${dead}-0123abcd.project`;
    const others = [
      `.a.apk.ffffff-${dead}-0123abcd.part`,
      `.a.apk.${machine}-${process.pid}-0123abcd.part`,
      '.gitignore',
      'a.apk',
    ];
    mkdirSync(join(dir, 'sub', folder, 'deep'), { recursive: true });
    for (const name of [left, spare, ...others]) writeFileSync(join(dir, 'sub', name), 'x');
    await replaceFile(join(dir, 'sub', 'b.txt'), bytes('b'));
    expect(readdirSync(join(dir, 'sub')).sort()).toEqual([...others, 'b.txt'].sort());
  });

  it('behind a symbolic link are replaced, and the link stays', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'real/page.html': 'old' });
    symlinkSync('real/page.html', join(dir, 'page.html'));
    await replaceFile(join(dir, 'page.html'), bytes('new'));
    expect(lstatSync(join(dir, 'page.html')).isSymbolicLink()).toBe(true);
    expect(readFileSync(join(dir, 'real/page.html'), 'utf8')).toBe('new');
    symlinkSync('nowhere', join(dir, 'lost.html'));
    await replaceFile(join(dir, 'lost.html'), bytes('found'));
    expect(readFileSync(join(dir, 'lost.html'), 'utf8')).toBe('found');
  });

  it('that may never end are refused', async () => {
    const dir = temporaryFolder();
    const pipe = join(dir, 'pipe');
    execFileSync('mkfifo', [pipe]);
    for (const file of ['/dev/zero', '/dev/random', pipe, dir]) {
      await refused('file.not-regular', () => readRegularFile(file));
      await refused('file.not-regular', () => FileSource.open(file));
    }
    writeFileSync(join(dir, 'large'), 'x'.repeat(100));
    await refused('file.too-large', () => readRegularFile(join(dir, 'large'), 50));
    await refused('file.bad-path', () => {
      try {
        readRegularFile('a\0b');
      } catch (error) {
        throw fromSystemError(error, 'a\0b');
      }
    });
  });
});

describe('a lock', () => {
  it('lets one in at a time, and is taken over from the dead', async () => {
    const file = join(temporaryFolder(), 'hull.json');
    let inside = 0;
    let most = 0;
    await Promise.all(
      Array.from({ length: 8 }, () =>
        withLock(file, async () => {
          inside += 1;
          most = Math.max(most, inside);
          await new Promise((resolve) => setTimeout(resolve, 5));
          inside -= 1;
        }),
      ),
    );
    expect(most).toBe(1);
    const lock = join(file, '..', '.hull.json.lock');
    expect(existsSync(lock)).toBe(false);
    writeFileSync(lock, JSON.stringify({ host: hostname(), pid: deadProcess() }));
    expect(await withLock(file, async () => 'in')).toBe('in');
    await expect(withLock(file, async () => Promise.reject(new Error('no')))).rejects.toThrow('no');
    expect(existsSync(lock)).toBe(false);
  });

  it('keeps what several runs write into one hull.json', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'hull.json': JSON.stringify({
        app: { id: 'a.b', name: 'x', version: '1.0.0', build: 1 },
        web: { folder: 's' },
      }),
    });
    const project = readProject(dir);
    await Promise.all(
      Array.from({ length: 12 }, (_, index) =>
        editProject(project, ({ settings }) => [
          { path: ['app', 'build'], value: settings.app.build + 1 },
          { path: ['keys', `k${index}`], value: { file: `${index}.p12` } },
        ]),
      ),
    );
    const { settings } = readProject(dir);
    expect(settings.app.build).toBe(13);
    expect(Object.keys(settings.keys ?? {})).toHaveLength(12);
  });
});
