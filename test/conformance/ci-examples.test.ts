import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { HULL, hull, PASSWORD, ROOT, run } from '../support/hull.js';
import { ICON, ID, PAGE } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The scripts for CI, run step by step in a repository of their own. */

let dir: string;
const git = (...words: string[]) =>
  execFileSync('git', ['-C', dir, '-c', 'user.name=t', '-c', 'user.email=t@t.example', ...words]);
const step = (script: string, env: Record<string, string> = {}) =>
  run('bash', [join(ROOT, 'examples/ci', script)], {
    cwd: dir,
    env: { HULL: `${process.execPath} ${HULL}`, HULL_KEY_PASSWORD: PASSWORD, ...env },
  });
const read = (file: string) => readFileSync(join(dir, file), 'utf8');

beforeAll(async () => {
  dir = temporaryFolder();
  const brands = ['heron-point', 'long-skerry', 'otter-bay'].map((name) => [
    name,
    { patch: { app: { id: `example.saltmarsh.${name.replace('-', '')}`, name } } },
  ]);
  writeFiles(dir, {
    'site/index.html': `${PAGE}<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">`,
    'site/icon.svg': ICON,
    '.gitignore': '.hull/\nout/\nreports/\n*.json\n!hull.json\n!fleet.json\n',
    'fleet.json': JSON.stringify({ brands: Object.fromEntries(brands) }),
    'hull.json': JSON.stringify({
      requires: '>=0.1.0',
      app: { id: ID, name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
      look: { icon: 'site/icon.svg' },
    }),
  });
  await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
  git('init', '-q');
  git('add', '-A');
  git('commit', '-qm', 'the ferry');
}, 60_000);

describe('the scripts for CI', () => {
  it('of a pull request say which brands it touches, and why, in one comment', async () => {
    writeFiles(dir, { 'brands/otter-bay/site/icon.svg': ICON.replace('#0b4f6c', '#7b3620') });
    const ran = await step('pull-request.sh', { BASE: 'HEAD' });
    expect(ran.code, ran.err + ran.out).toBe(0);
    const comment = read('reports/comment.md');
    expect(comment).toContain('brands/otter-bay/site/icon.svg has changed');
    expect(comment).toMatch(/\| otter-bay \| packed \|/);
    expect(comment).not.toContain('| heron-point |');
    expect(JSON.parse(read('reports/survey.sarif')).version).toBe('2.1.0');
    expect(JSON.parse(read('reports/versions.json')).ok).toBe(true);
    // What fails is in the comment too, and the job fails.
    writeFileSync(join(dir, 'site/index.html'), '<!doctype html><title>Ferry</title>');
    const worse = await step('pull-request.sh', { BASE: 'HEAD' });
    expect(worse.code).toBe(1);
    expect(read('reports/comment.md')).toMatch(/\*\*1 error\*\*/);
    git('checkout', '-q', 'site/index.html');
  }, 90_000);

  it('of a matrix pack all brands together, each once', async () => {
    for (const index of ['1', '2']) {
      const ran = await step('matrix.sh', { INDEX: index, COUNT: '2' });
      expect(ran.code, ran.err).toBe(0);
    }
    const names = ['1', '2'].flatMap((index) =>
      JSON.parse(read(`packed-${index}.json`)).brands.map(({ name }: { name: string }) => name),
    );
    expect(names.sort()).toEqual(['heron-point', 'long-skerry', 'otter-bay']);
    const even = await step('matrix.sh', { INDEX: '1', COUNT: '2', COSTS: 'packed-1.json' });
    expect(even.code, even.err).toBe(0);
  }, 90_000);

  it('of a release make what was reviewed, and prove it', async () => {
    const ran = await step('release.sh');
    expect(ran.code, ran.err + ran.out).toBe(0);
    expect(ran.out.match(/The same: all/g)).toHaveLength(3);
    cpSync(join(dir, 'out'), join(dir, 'released'), { recursive: true });
    const same = await step('release.sh', { RELEASED: 'released' });
    expect(same.code).toBe(1);
    expect(same.out).toContain('Both have build 1.');
    expect((await hull(['version', 'build'], { cwd: dir })).code).toBe(0);
    const again = await step('release.sh', { RELEASED: 'released' });
    expect(again.code, again.err + again.out).toBe(0);
    expect(read('changes.md')).toContain('### Packages of brands');
    expect(existsSync(join(dir, 'out/heron-point'))).toBe(true);
    // A package that somebody has changed since is found.
    const [bundle] = readdirSync(join(dir, 'out/otter-bay')).filter((one) => one.endsWith('.aab'));
    const file = join(dir, 'out/otter-bay', String(bundle));
    const found = await run(process.execPath, [HULL, 'inspect', file, '--provenance'], { cwd: dir });
    expect(found.code, found.err).toBe(0);
    writeFileSync(
      file,
      readFileSync(
        join(
          dir,
          'released/heron-point',
          readdirSync(join(dir, 'released/heron-point')).find((one) => one.endsWith('.aab')) as string,
        ),
      ),
    );
    const other = await run(process.execPath, [HULL, 'inspect', file, '--provenance'], { cwd: dir });
    expect(other.code).toBe(1);
    expect(other.out).toContain('The statement is about a package with other bytes.');
  }, 120_000);
});
