import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { hull, hullProcess } from '../support/hull.js';
import { choose, generator } from '../support/random.js';
import { ICON, ID, PAGE, refusedWith, sha } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** Many brands of one project, by the built program. */

const NAMES = ['heron-point', 'lantern-isle', 'long-skerry', 'otter-bay'];
let dir: string;
const drive = (...words: string[]) => hull(words, { cwd: dir });
const git = (...words: string[]) =>
  execFileSync('git', ['-C', dir, '-c', 'user.name=t', '-c', 'user.email=t@t.example', ...words], {
    encoding: 'utf8',
  });
const commit = () => {
  git('add', '-A');
  git('commit', '-qm', 'a change', '--allow-empty');
};

interface Packed {
  readonly brands: readonly {
    name: string;
    result: string;
    file: string | null;
    error: { code: string; location: { file: string } } | null;
  }[];
}
async function packed(...words: string[]): Promise<Record<string, string>> {
  const ran = await drive('fleet', 'pack', '--json', ...words);
  expect(ran.out, ran.err).not.toBe('');
  return Object.fromEntries((JSON.parse(ran.out) as Packed).brands.map(({ name, result }) => [name, result]));
}
const listed = async (...words: string[]) => {
  const ran = await drive('fleet', 'list', '--json', ...words);
  return (JSON.parse(ran.out) as { brands: { name: string; because: string[] | null }[] }).brands;
};
const edit = (file: string, change: (value: never) => void) => {
  const value = JSON.parse(readFileSync(join(dir, file), 'utf8'));
  change(value as never);
  writeFileSync(join(dir, file), JSON.stringify(value, undefined, 2));
};
/** Digest of a brand’s newest package. */
const digestOfPackage = (name: string) => {
  const [file] = readdirSync(join(dir, 'out', name))
    .filter((one) => one.endsWith('.apk'))
    .sort()
    .reverse();
  return sha(join(dir, 'out', name, file as string));
};
/** Of all brands. */
const bytes = () => Object.fromEntries(NAMES.map((name) => [name, digestOfPackage(name)]));

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': PAGE,
    'site/icon.svg': ICON,
    '.gitignore': '.hull/\nout/\n',
    'notes.txt': 'nothing of the app',
    'fleet.json': JSON.stringify({
      groups: { north: { look: { theme_color: '#114433' } } },
      table: 'brands.csv',
      brands: {
        'heron-point': { groups: ['north'] },
        'long-skerry': { patch: { app: { name: 'Long Skerry' } } },
      },
    }),
    'brands.csv': `brand,/app/id,/app/name\n${NAMES.map((name) => `${name},example.saltmarsh.${name.replace('-', '')},${name}`).join('\n')}\n`,
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
      look: { icon: 'site/icon.svg' },
    }),
  });
  expect((await drive('keys', 'new', '--bits', '2048', '--yes')).code).toBe(0);
  git('init', '-q');
  commit();
}, 60_000);

describe('hull fleet', () => {
  it('lists brands with what they should not have in common', async () => {
    const ran = await drive('fleet', 'list');
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('heron-point');
    expect(ran.out).toContain('4 brands.');
    expect(ran.out).toMatch(/signs heron-point, long-skerry, lantern-isle and otter-bay/);
    expect((await listed('--only', 'otter-bay')).map(({ name }) => name)).toEqual(['otter-bay']);
    const parts = await Promise.all(['1/3', '2/3', '3/3'].map((part) => listed('--shard', part)));
    expect(
      parts
        .flat()
        .map(({ name }) => name)
        .sort(),
    ).toEqual(NAMES);
    refusedWith(await drive('fleet', 'list', '--only', 'oter-bay'), 'fleet.no-brand');
    refusedWith(await drive('fleet', 'list', '--shard', '4/3'), 'cli.usage');
    refusedWith(await drive('fleet', 'list', '--changed-since', 'no-such-tag'), 'fleet.no-revision');
    refusedWith(await drive('fleet', 'list', '--changed-since', '--output=x'), 'fleet.no-revision');
    refusedWith(await hull(['fleet', 'list'], { cwd: temporaryFolder() }), 'config.missing');
  }, 60_000);

  it('packs each brand as itself, once, and continues after one that fails', async () => {
    expect(await packed('--jobs', '2')).toEqual(Object.fromEntries(NAMES.map((name) => [name, 'packed'])));
    expect(await packed()).toEqual(Object.fromEntries(NAMES.map((name) => [name, 'unchanged'])));
    const inspected = await drive(
      'inspect',
      join(
        'out/heron-point',
        readdirSync(join(dir, 'out/heron-point')).find((one) => one.endsWith('.apk')) as string,
      ),
      '--json',
    );
    expect(JSON.parse(inspected.out)).toMatchObject({
      id: 'example.saltmarsh.heronpoint',
      label: 'heron-point',
    });
    // What goes in is provable without having asked for it.
    const [apk] = readdirSync(join(dir, 'out/heron-point')).filter((one) => one.endsWith('.apk'));
    const stated = await drive('inspect', join('out/heron-point', apk as string), '--provenance');
    expect(stated.code, stated.err).toBe(0);
    expect(stated.out).toContain('heron-point');
    // The same as a project of its own would be.
    const before = bytes();
    rmSync(join(dir, 'out'), { recursive: true });
    rmSync(join(dir, '.hull'), { recursive: true });
    await packed();
    expect(bytes()).toEqual(before);
    const shown = readFileSync(join(dir, 'fleet.json'), 'utf8');
    edit('fleet.json', (fleet: { brands: Record<string, object> }) => {
      fleet.brands['otter-bay'] = { patch: { app: { build: 0 } } };
    });
    const ran = await drive('fleet', 'pack', '--json');
    expect(ran.code).toBe(1);
    const { brands } = JSON.parse(ran.out) as Packed;
    expect(brands.find(({ name }) => name === 'otter-bay')).toMatchObject({
      result: 'failed',
      error: { code: 'config.bad-value', location: { file: 'fleet.json' } },
    });
    expect(brands.filter(({ result }) => result === 'unchanged')).toHaveLength(3);
    writeFileSync(join(dir, 'fleet.json'), shown);
    // What fails all of them is said once.
    renameSync(join(dir, 'site'), join(dir, 'moved'));
    const missing = await drive('fleet', 'pack', '--quiet');
    renameSync(join(dir, 'moved'), join(dir, 'site'));
    expect(missing.code).toBe(1);
    expect(missing.out.match(/web\.no-folder/g)).toHaveLength(1);
    expect(missing.out).toContain('all brands');
    expect(missing.out).toContain('4 brands: 4 failed');
    // In another folder, and with another key, it is another package.
    expect(await packed('--out', 'elsewhere', '--only', 'otter-bay', '--no-record')).toEqual({
      'otter-bay': 'packed',
    });
    expect(readdirSync(join(dir, 'elsewhere/otter-bay'))).toHaveLength(1);
    expect(await packed('--only', 'otter-bay')).toEqual({ 'otter-bay': 'packed' });
    expect(await packed('--only', 'otter-bay', '--key', 'release')).toEqual({ 'otter-bay': 'packed' });
    expect(await packed('--only', 'otter-bay')).toEqual({ 'otter-bay': 'packed' });
    // A package that is not the one that was made is made again.
    const file = readdirSync(join(dir, 'out/otter-bay')).find((one) => one.endsWith('.apk'));
    writeFileSync(join(dir, 'out/otter-bay', file as string), 'something else');
    expect(await packed()).toMatchObject({ 'otter-bay': 'packed', 'heron-point': 'unchanged' });
  }, 90_000);

  it('packs brands of large pages as if each were alone, both kinds, though they share the bytes', async () => {
    const large = temporaryFolder();
    cpSync(dir, large, { recursive: true });
    rmSync(join(large, 'out'), { recursive: true, force: true });
    rmSync(join(large, '.hull'), { recursive: true, force: true });
    const random = generator(5);
    const pages = Array.from({ length: 60 }, (_, at) => {
      const text = Array.from({ length: 9000 }, () => `pier ${random(1e6)}`).join(' ');
      return [`site/part/${at}.${at % 4 === 0 ? 'jpg' : 'js'}`, text] as const;
    });
    writeFiles(large, Object.fromEntries(pages));
    const pack = async (kind: string, ...more: string[]) => {
      const ran = await hull(['fleet', 'pack', '--kind', kind, '--json', ...more], { cwd: large });
      expect(ran.code, ran.err).toBe(0);
      return JSON.parse(ran.out) as { brands: { name: string; file: string; sha256: string }[] };
    };
    for (const kind of ['apk', 'aab']) {
      await pack(kind);
      // Packages of before get successors while brands beside them take pages over from them.
      writeFiles(large, { 'site/part/1.js': `of ${kind}`.repeat(9000) });
      const together = await pack(kind, '--jobs', '2');
      expect(together.brands).toHaveLength(NAMES.length);
      for (const { name, file, sha256 } of together.brands) {
        expect(sha(join(large, file)), name).toBe(sha256);
        const stated = await hull(['inspect', file, '--provenance'], { cwd: large });
        expect(stated.code, stated.out + stated.err).toBe(0);
        if (name !== NAMES.at(-1)) continue;
        const verified = await hull(['sign', file, '--verify-only'], { cwd: large });
        expect(verified.code, verified.out + verified.err).toBe(0);
        rmSync(join(large, 'out', name), { recursive: true });
        rmSync(join(large, '.hull/cache/contents.json'), { force: true });
        const [alone] = (await pack(kind, '--only', name)).brands;
        expect(alone?.sha256, `${name}, ${kind}`).toBe(sha256);
      }
    }
  }, 120_000);

  it('ends whole when it is killed, whenever that is, and goes on from there', async () => {
    const complete = bytes();
    const random = generator(11);
    // After the first brand, and at any moment.
    for (const after of ['packed', random(900), random(1800)]) {
      rmSync(join(dir, 'out'), { recursive: true });
      rmSync(join(dir, '.hull/fleet.jsonl'), { force: true });
      const stopped = await hullProcess(['fleet', 'pack'], {
        cwd: dir,
        meanwhile: (child) => {
          if (typeof after === 'number') setTimeout(() => child.kill('SIGKILL'), after);
          else child.stderr?.on('data', (chunk: Buffer) => chunk.includes(after) && child.kill('SIGKILL'));
        },
      });
      if (after === 'packed') expect(stopped.signal).toBe('SIGKILL');
      // What has its name is whole.
      const there = NAMES.filter((name) => existsSync(join(dir, 'out', name)));
      const made = there.filter((name) =>
        readdirSync(join(dir, 'out', name)).some((one) => one.endsWith('.apk')),
      );
      for (const name of made) expect(digestOfPackage(name)).toBe(complete[name]);
      const next = await packed();
      // One may have got its name and not been noted; no other is made twice.
      const again = made.filter((name) => next[name] === 'packed');
      expect(again.length, `after ${after}`).toBeLessThanOrEqual(1);
      expect(bytes()).toEqual(complete);
      expect(Object.values(await packed())).toEqual(NAMES.map(() => 'unchanged'));
    }
  }, 120_000);

  it('does for brands what the other commands do for a project, each finding once', async () => {
    interface Document {
      readonly ok: boolean;
      readonly brands: readonly { name: string; result: string; counts?: Record<string, number> | null }[];
      readonly findings: readonly { code: string; brands: readonly string[] }[];
    }
    const document = async (...words: string[]) =>
      JSON.parse((await drive('fleet', ...words, '--json')).out) as Document;
    const surveyed = await document('survey', '--fail-on', 'never', '--sarif', 'fleet.sarif');
    expect(surveyed.brands.map(({ result }) => result)).toEqual(NAMES.map(() => 'surveyed'));
    const alone = JSON.parse((await drive('survey', '--json', '--fail-on', 'never')).out) as {
      findings: { code: string }[];
    };
    const codes = (list: readonly { code: string }[]) => [...new Set(list.map(({ code }) => code))].sort();
    expect(codes(surveyed.findings)).toEqual(codes(alone.findings));
    expect(surveyed.findings.find(({ code }) => code === 'feel.viewport')?.brands).toHaveLength(4);
    const sarif = JSON.parse(readFileSync(join(dir, 'fleet.sarif'), 'utf8'));
    expect(sarif.runs[0].results).toHaveLength(surveyed.findings.length);

    const drawn = await document('art', '--only', 'otter-bay', '--target', 'android');
    expect(drawn.brands[0]).toMatchObject({ name: 'otter-bay', result: 'complete' });
    expect(existsSync(join(dir, 'brands/otter-bay/art/android/store/icon-512.png'))).toBe(true);
    expect(existsSync(join(dir, 'art'))).toBe(false);

    const compared = await document('compare');
    expect(compared.brands.map(({ result }) => result)).toEqual(NAMES.map(() => 'current'));
    cpSync(join(dir, 'out'), join(dir, 'released'), { recursive: true });
    edit('hull.json', (config: { app: { build: number } }) => {
      config.app.build = 2;
    });
    expect((await document('compare')).brands[0]?.result).toBe('out of date');
    await packed();
    const updated = (await document('compare', 'released')) as unknown as {
      brands: { accepted: boolean; changes: string[]; before: string }[];
    };
    expect(updated.brands.every(({ accepted }) => accepted)).toBe(true);
    expect(updated.brands[0]?.before).toMatch(/^released\/heron-point\//);

    const checked = await document('release', '--only', 'long-skerry');
    expect(checked).toMatchObject({ ok: false, brands: [{ result: 'checked' }] });
    expect(checked.findings.map(({ code }) => code)).toContain('package.not-a-bundle');
    refusedWith(await drive('fleet', 'release', '--share', '10%'), 'release.bad-track');

    const report = join(dir, 'packed.md');
    const ran = await drive('fleet', 'pack', '--report', 'packed.md');
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('4 brands: 4 unchanged.');
    expect(readFileSync(report, 'utf8')).toMatch(
      /^### Packed brands\n\n4 brands: 4 unchanged\.\n\n\| Brand /,
    );
    const page = (await drive('fleet', 'compare', '--format', 'html')).out;
    expect(page).toContain('<th scope="row">heron-point</th>');
    expect(page).not.toMatch(/<script|(src|href)="(?!data:)/);
  }, 240_000);

  it('writes and verifies each host’s documents beside the pages that brands share', async () => {
    const before = readFileSync(join(dir, 'fleet.json'), 'utf8');
    edit('fleet.json', (fleet: { brands: Record<string, { patch?: object }> }) => {
      for (const name of ['heron-point', 'otter-bay']) {
        const host = `${name}.saltmarsh.example`;
        fleet.brands[name] = {
          ...fleet.brands[name],
          patch: { web: { url: `https://${host}/` }, links: [{ host }] },
        };
      }
    });
    const brands = async (...words: string[]) =>
      (
        JSON.parse(
          (await drive('fleet', 'domains', '--only', 'heron-point,otter-bay', '--json', ...words)).out,
        ) as { brands: { result: string; documents: { file: string }[] }[] }
      ).brands;
    expect((await brands('--local')).map(({ result }) => result)).toEqual(['not verified', 'not verified']);
    // What a package claims is compared too.
    await packed('--only', 'heron-point,otter-bay');
    const written = await brands('--write');
    expect(written.map(({ result }) => result)).toEqual(['verified', 'verified']);
    expect(written[0]?.documents[0]?.file).toBe(
      'out/domains/heron-point.saltmarsh.example/.well-known/assetlinks.json',
    );
    expect(existsSync(join(dir, 'site/.well-known'))).toBe(false);
    writeFileSync(join(dir, 'fleet.json'), before);
  }, 120_000);

  it('knows which brands a change touches: those whose packages are others afterwards', async () => {
    await packed();
    const random = generator(7);
    let count = 0;
    const changes: readonly (() => void)[] = [
      () => writeFileSync(join(dir, 'site/index.html'), `${PAGE}<!-- ${count} -->`),
      () => writeFileSync(join(dir, 'notes.txt'), String(count)),
      () =>
        writeFiles(dir, {
          [`brands/${choose(random, NAMES)}/site/icon.svg`]: ICON.replace('<svg', `<svg data-n="${count}"`),
        }),
      () =>
        edit('fleet.json', (fleet: { brands: Record<string, { patch?: object }> }) => {
          const name = choose(random, NAMES);
          fleet.brands[name] = {
            ...fleet.brands[name],
            patch: { look: { background_color: `#0000${String(10 + count).padStart(2, '0')}` } },
          };
        }),
      () =>
        edit('fleet.json', (fleet: { groups: { north: object } }) => {
          fleet.groups.north = { look: { theme_color: `#1144${10 + count}` } };
        }),
      () =>
        writeFileSync(
          join(dir, 'brands.csv'),
          readFileSync(join(dir, 'brands.csv'), 'utf8').replace(
            /(lantern-isle,\S+,).*/,
            `$1Lantern ${count}`,
          ),
        ),
    ];
    // Each once, then any: HULL_FLEET_CHANGES=50 makes fifty.
    const rounds = Number(process.env.HULL_FLEET_CHANGES ?? changes.length);
    for (; count < rounds; count += 1) {
      commit();
      const before = bytes();
      const change = changes[count] ?? choose(random, changes);
      change();
      const touched = await listed('--changed-since', 'HEAD');
      expect(touched.every(({ because }) => (because?.length ?? 0) > 0)).toBe(true);
      await packed();
      const after = bytes();
      const others = NAMES.filter((name) => before[name] !== after[name]);
      const names = touched.map(({ name }) => name);
      for (const name of others) expect(names, `change ${count}`).toContain(name);
      // An icon may be drawn to the same bytes; what is of no package touches none.
      if (change === changes[1]) expect(names).toEqual([]);
      if (change === changes[0]) expect(names.sort()).toEqual(NAMES);
    }
  }, 1_200_000);
});
