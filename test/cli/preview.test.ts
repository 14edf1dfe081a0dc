import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { keepShots } from '../../src/core/preview/keep-shots.js';
import { DEMO_SITE, hull } from '../support/hull.js';
import { temporaryFolder } from '../support/temporary.js';

/** The built program previewing, where no browser is installed. */

const NO_BROWSER = { env: { HULL_BROWSER: '/nowhere/chromium' } };

async function project(): Promise<string> {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  const begun = await hull(['begin', 'site', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  return dir;
}

describe('hull preview without a browser', () => {
  it('makes the page all the same, and says plainly what is not on it', async () => {
    const dir = await project();
    const made = await hull(['preview'], { cwd: dir, ...NO_BROWSER });
    expect(made.code, made.err).toBe(0);
    expect(made.out).toMatch(
      /^out\/preview\.html {2}\d+\.\d KB\n! No start-up image fits 8 of 8 screens of Apple’s devices\./,
    );
    expect(made.err).toContain('The pages themselves are not shown: /nowhere/chromium cannot be run.');
    expect(readFileSync(join(dir, 'out/preview.html'), 'utf8')).toContain(
      '<title>Preview of Saltmarsh Ferry</title>',
    );
    const json = await hull(['preview', '--json', '--out', 'looks.html'], { cwd: dir, ...NO_BROWSER });
    expect(JSON.parse(json.out)).toMatchObject({
      browser: null,
      noBrowser: '/nowhere/chromium cannot be run.',
      files: [{ file: 'looks.html' }],
      permissions: [{ name: 'geolocation' }, { name: 'camera' }],
    });
  });

  it('exits with 1 for a warning only where that is asked for', async () => {
    const dir = await project();
    const strict = await hull(['preview', '--fail-on-warning'], { cwd: dir, ...NO_BROWSER });
    expect(strict.code).toBe(1);
  });

  it('cannot take pictures, and says what it lacks', async () => {
    const dir = await project();
    for (const option of ['--png', '--shots']) {
      const args = option === '--png' ? ['preview', '--png', 'preview.png'] : ['preview', '--shots'];
      const refused = await hull(args, { cwd: dir, ...NO_BROWSER });
      expect([refused.code, refused.err]).toEqual([2, expect.stringContaining('browser.missing')]);
      expect(existsSync(join(dir, 'out/preview.html'))).toBe(false);
    }
  });

  it('refuses a project without an icon, at its place', async () => {
    const dir = await project();
    const config = readFileSync(join(dir, 'hull.json'), 'utf8');
    writeFileSync(join(dir, 'hull.json'), config.replace('"icon": ', '"icon": "lost.svg", // '));
    const refused = await hull(['preview'], { cwd: dir, ...NO_BROWSER });
    expect(refused.code).toBe(2);
    expect(refused.err).toContain('art.icon-missing');
  });
});

describe('screenshots', () => {
  it('are written anew where we wrote them, and kept where someone else did', async () => {
    const dir = temporaryFolder();
    const folder = join(dir, 'site/art');
    const text = (word: string) => new Map([['shots/start.webp', new TextEncoder().encode(word)]]);
    expect(await keepShots(dir, folder, text('one'))).toMatchObject([
      { file: 'site/art/shots/start.webp', state: 'written' },
    ]);
    expect(await keepShots(dir, folder, text('two'))).toMatchObject([{ state: 'written' }]);
    writeFileSync(join(folder, 'shots/start.webp'), 'touched up');
    expect(await keepShots(dir, folder, text('three'))).toMatchObject([{ state: 'kept' }]);
    expect(readFileSync(join(folder, 'shots/start.webp'), 'utf8')).toBe('touched up');
  });
});
