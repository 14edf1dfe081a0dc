import { appendFileSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { MadePackages } from '../../../src/core/fleet/made-packages.js';
import { fileSha256 } from '../../../src/core/util/files.js';
import { temporaryFolder } from '../../support/temporary.js';

/** What is kept of packages that earlier runs made. */

async function packageIn(dir: string, name: string) {
  const file = join(dir, `${name}.apk`);
  writeFileSync(file, name);
  return { inputs: `from ${name}`, key: undefined, file, size: name.length, sha256: await fileSha256(file) };
}

const stateOf = (dir: string) => join(dir, '.hull/fleet.jsonl');

describe('packages that were made', () => {
  it('are known to later runs, as long as the file and its inputs are the same', async () => {
    const dir = temporaryFolder();
    const [heron, otter] = [await packageIn(dir, 'heron'), await packageIn(dir, 'otter')];
    const before = new MadePackages(dir);
    await before.keep('heron apk', heron);
    await before.keep('otter apk', otter);
    const later = new MadePackages(dir);
    expect(await later.unchanged('heron apk', 'from heron')).toMatchObject({ sha256: heron.sha256 });
    expect(await later.unchanged('heron apk', 'from otter')).toBeUndefined();
    expect(await later.unchanged('heron aab', 'from heron')).toBeUndefined();
    writeFileSync(otter.file, 'other');
    expect(await later.unchanged('otter apk', 'from otter')).toBeUndefined();
    expect(later.noted('otter apk', otter.file)).toMatchObject({ inputs: 'from otter' });
  });

  it('are noted by runs side by side, and by one after another was killed in the middle of a line', async () => {
    const dir = temporaryFolder();
    const [one, other] = [new MadePackages(dir), new MadePackages(dir)];
    await one.keep('heron apk', await packageIn(dir, 'heron'));
    await other.keep('otter apk', await packageIn(dir, 'otter'));
    appendFileSync(stateOf(dir), '{"name":"tern apk","inp');
    const next = new MadePackages(dir);
    expect(next.noted('tern apk', join(dir, 'tern.apk'))).toBeUndefined();
    await next.keep('gull apk', await packageIn(dir, 'gull'));
    const all = new MadePackages(dir);
    for (const name of ['heron', 'otter', 'gull'])
      expect(await all.unchanged(`${name} apk`, `from ${name}`), name).toBeDefined();
  });

  it('do not make the file grow without an end', async () => {
    const dir = temporaryFolder();
    const made = new MadePackages(dir);
    const heron = await packageIn(dir, 'heron');
    await made.keep('heron apk', heron);
    const line = readFileSync(stateOf(dir), 'utf8');
    appendFileSync(stateOf(dir), line.repeat(2000));
    const later = new MadePackages(dir);
    expect(readFileSync(stateOf(dir), 'utf8')).toBe(line);
    expect(await later.unchanged('heron apk', 'from heron')).toMatchObject({ sha256: heron.sha256 });
  });

  it('are made again where nothing can be read', async () => {
    const dir = temporaryFolder();
    expect(await new MadePackages(dir).unchanged('heron apk', 'from heron')).toBeUndefined();
    writeFileSync(join(dir, '.hull'), '');
    const made = new MadePackages(dir);
    const heron = await packageIn(dir, 'heron');
    await expect(made.keep('heron apk', heron)).rejects.toMatchObject({ code: 'disk.io' });
  });
});
