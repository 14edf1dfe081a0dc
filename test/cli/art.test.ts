import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { artPlan } from '../../src/core/art/plan.js';
import { DEMO_SITE, hull } from '../support/hull.js';
import { temporaryFolder } from '../support/temporary.js';

/** The built program making images. */

const LOGO =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path d="M10 70h80L74 92H26zM48 12h8v50h-8z" fill="#0b4f6c"/></svg>';

async function project(): Promise<string> {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  writeFileSync(join(dir, 'logo.svg'), LOGO);
  const begun = await hull(['begin', 'site', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  return dir;
}

describe('hull art', () => {
  it('makes every image from one picture, names it, and then has nothing to do', async () => {
    const dir = await project();
    const made = await hull(['art', '--source', 'logo.svg'], { cwd: dir });
    expect(made.code, made.err).toBe(0);
    expect(made.out).toMatch(
      /web {6}\d+ images .* site\/art\n {2}android {2}32 images .* art\/android\n {2}apple {4}16 images .* art\/apple/,
    );
    expect(made.err).toContain('look.icon in hull.json: logo.svg');
    expect(JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8')).look.icon).toBe('logo.svg');
    expect((await hull(['art'], { cwd: dir })).out).toBe(
      `Nothing to do: all ${artPlan().length} images are up to date.\n`,
    );
    expect((await hull(['art', '--check'], { cwd: dir })).code).toBe(0);

    // Packages leave the start-up images of web clips out, and take the same icon.
    const survey = JSON.parse((await hull(['survey', '--json'], { cwd: dir })).out);
    expect(survey.findings.filter(({ code }: { code: string }) => code.startsWith('files.'))).toEqual([]);
    await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
    const packed = await hull(['pack', 'apk', '--json'], { cwd: dir });
    expect(packed.code, packed.err).toBe(0);
    expect(JSON.parse(packed.out).files.leftOut).toBe(80);
    expect(JSON.parse(packed.out).parts.art).toBeLessThan(60_000);
  });

  it('makes one target, keeps what others made, and tells what is off', async () => {
    const dir = await project();
    const file = join(dir, 'art/android/store/icon-512.png');
    expect((await hull(['art', '--check', '--only', 'android'], { cwd: dir })).code).toBe(1);
    expect(existsSync(join(dir, 'art'))).toBe(false);
    expect((await hull(['art', '--only', 'android'], { cwd: dir })).code).toBe(0);
    expect(existsSync(join(dir, 'art/apple'))).toBe(false);
    writeFileSync(file, 'touched up');
    const again = await hull(['art', '--only', 'android', '--json'], { cwd: dir });
    expect(JSON.parse(again.out).counts).toMatchObject({ edited: 1, made: 0, unchanged: 31 });
    expect(readFileSync(file, 'utf8')).toBe('touched up');
    const told = await hull(['art', '--only', 'android'], { cwd: dir });
    expect(told.out).toContain('1 changed by hand since: kept as they are\n  art/android/store/icon-512.png');
    expect((await hull(['art', '--only', 'android', '--check'], { cwd: dir })).code).toBe(1);
  });

  it('prints the plan', async () => {
    const dir = await project();
    const list = await hull(['art', '--list', '--only', 'apple'], { cwd: dir });
    expect(list.out).toContain('apple: 16 images');
    expect(list.out).toMatch(/art\/apple\/icon-1024\.png +1024×1024 +icon +opaque/);
    const json = JSON.parse((await hull(['art', '--list', '--json'], { cwd: dir })).out);
    expect(json.images).toHaveLength(artPlan().length);
  });

  it('refuses what it cannot use, and says why', async () => {
    const dir = await project();
    const refused = async (args: string[], code: string) => {
      const ran = await hull(['art', ...args], { cwd: dir });
      expect([ran.code, ran.err]).toEqual([2, expect.stringContaining(code)]);
    };
    await refused(['--source', 'gone.svg'], 'file.missing');
    await refused(['--source', 'site/index.html'], 'art.icon-unreadable');
    await refused(['--only', 'desk'], 'cli.usage');
    const change = (art: object) => {
      const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
      writeFileSync(join(dir, 'hull.json'), JSON.stringify({ ...config, look: { ...config.look, art } }));
    };
    change({ background: 'sand-ish' });
    await refused([], 'config.bad-value');
    change({ maskable: 'gone.png' });
    await refused([], 'art.icon-missing');
    change({ padding: { any: 0.9 } });
    await refused([], 'config.bad-value');
  });
});
