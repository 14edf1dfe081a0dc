import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { converse, DEMO_SITE, HULL, hull, hullProcess, PASSWORD, run } from '../support/hull.js';
import { THOROUGH } from '../support/readers.js';
import { ID, PAGE, readyProject, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

describe('the program', () => {
  it('keeps its compiled code in the user’s cache, and runs as well where that is damaged or not to be had', async () => {
    const dir = await readyProject();
    const cache = join(dir, 'cache');
    const pack = () => hullProcess(['pack', 'apk', '--json'], { cwd: dir, env: { XDG_CACHE_HOME: cache } });
    const first = JSON.parse((await pack()).out).sha256;
    // What needs next to nothing of a command is not kept as that command's.
    const env = { XDG_CACHE_HOME: cache };
    expect((await hullProcess(['inspect', '--help'], { env })).code).toBe(0);
    expect((await hullProcess(['inspect', 'gone.apk'], { env })).code).toBe(2);
    const kept = readdirSync(join(cache, 'jolly-hull'), { recursive: true, withFileTypes: true }).filter(
      (item) => item.isFile(),
    );
    expect(kept.map(({ name }) => name.replace(/^[0-9a-f]{16}/, ''))).toEqual(['-pack-apk.bin']);
    expect(JSON.parse((await pack()).out).sha256).toBe(first);
    for (const item of kept) {
      const file = join(item.parentPath, item.name);
      const bytes = readFileSync(file);
      bytes.fill(0x5a, Math.floor(bytes.length / 3), Math.floor(bytes.length / 2));
      writeFileSync(file, bytes);
    }
    expect(JSON.parse((await pack()).out).sha256).toBe(first);
    writeFileSync(join(dir, 'taken'), '');
    const without = await hullProcess(['pack', 'apk', '--json'], {
      cwd: dir,
      env: { XDG_CACHE_HOME: join(dir, 'taken') },
    });
    expect(JSON.parse(without.out).sha256).toBe(first);
    expect(without.err).toBe('');
  });

  it('keeps as much of it after a run that took long', async () => {
    const dir = await readyProject();
    // Memory is collected so often that the engine takes what ran at the start for code that is not needed any more.
    const long = `let rounds = 0;
process.on('beforeExit', () => {
  if (rounds++ < 40) setTimeout(() => { globalThis.held = Array.from({ length: 3000 }, () => Buffer.alloc(20000)); }, 5);
});`;
    writeFiles(dir, { 'long.cjs': long });
    const sizeOf = async (...flags: string[]) => {
      const cache = temporaryFolder();
      const env = { XDG_CACHE_HOME: cache, HULL_KEY_PASSWORD: PASSWORD };
      const ran = await run(process.execPath, [...flags, HULL, 'pack', 'apk'], { cwd: dir, env });
      expect(ran.code, ran.err).toBe(0);
      const [kept] = readdirSync(cache, { recursive: true, withFileTypes: true }).filter((item) =>
        item.isFile(),
      );
      return statSync(join(kept?.parentPath ?? '', kept?.name ?? '')).size;
    };
    expect(await sizeOf('-r', './long.cjs')).toBeGreaterThan(0.9 * (await sizeOf()));
  });

  it('prints its version and its help', async () => {
    const facts = JSON.parse((await hullProcess(['--version', '--json'])).out);
    expect(facts).toMatchObject({ command: 'hull', ok: true, node: process.versions.node });
    const version = await hullProcess(['--version']);
    expect(version.out.trim()).toBe(facts.version);
    expect(version.out.trim()).toMatch(/^\d+\.\d+\.\d+$/);
    const help = await hull(['--help']);
    expect(help.code).toBe(0);
    expect(help.out).toContain('Typical workflow:');
    expect((await hull(['help', 'pack'])).out).toContain('apk');
    expect((await hull(['begin', '--help'])).out).toContain('--app-version');
  });

  it('explains wrong usage with exit code 2', async () => {
    refusedWith(await hull(['pakc']), 'cli.usage');
    refusedWith(await hull(['pack', 'apk', '--colour']), 'cli.usage');
    refusedWith(await hull(['inspect']), 'cli.usage');
    expect((await hull(['keys'])).code).toBe(2);
    refusedWith(
      await hull(['keys', 'new', 'Bad Name', '--yes'], { cwd: await readyProject() }),
      'keys.bad-name',
    );
    refusedWith(await hull(['pack', 'apk'], { cwd: temporaryFolder() }), 'config.missing');
    refusedWith(await hull(['inspect', 'gone.apk']), 'file.missing');
  });

  it('takes a password only where others cannot read it, and only a fit one', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE });
    await hull(['begin', 'site', '--id', ID, '--yes'], { cwd: dir });
    refusedWith(await hull(['keys', 'new', '--yes', '--password', 'x'], { cwd: dir }), 'cli.usage');
    refusedWith(
      await hull(['keys', 'new', '--yes'], { cwd: dir, env: { HULL_KEY_PASSWORD: 'short' } }),
      'keys.password-unfit',
    );
    refusedWith(await hull(['keys', 'new', '--yes', '--years', '20'], { cwd: dir }), 'keys.bad-subject');
    expect(existsSync(join(dir, 'keys'))).toBe(false);
  });

  it('asks on a terminal for what it could not find, and hides a password typed twice', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE });
    const typed = (command: string, answers: readonly (readonly [shown: string, answer: string])[]) =>
      converse(command, dir, answers);
    const clear = '\x15';
    const down = '\x1b[B';
    // An ID with a fault, one without; then the name is changed where it is: behind “no” and the ID.
    const asked = await typed('begin site', [
      ['App ID', 'ferry\r'],
      ['It has one segment', `${clear}example.saltmarsh.ferry\r`],
      ['Write hull.json with these values?', `${down}${down}${down}\r`],
      ['? app.name', `${clear}Ferry times\r`],
      ['Write hull.json with these values?', '\r'],
    ]);
    expect(asked.out).toContain('It has one segment');
    expect(asked.out).toContain('Undo the last change');
    const { app } = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(app).toMatchObject({ id: ID, name: 'Ferry times' });
    const stopped = await typed('keys new --bits 2048 --common-name Ferry', [['assword', '\x03']]);
    expect(stopped.out).toContain('Cancelled. Nothing was written.');
    expect(stopped.out).not.toContain('fault');
    expect(existsSync(join(dir, 'keys'))).toBe(false);
    const key = await typed('keys new --bits 2048', [
      ['Name in the certificate', '\r'],
      ['Organization', 'Island Lines\r'],
      ['Country', 'no\r'],
      ['As in NO or PT', `${clear}NO\r`],
      ['assword', 'a typed password\r'],
      ['The same again', 'a typed password\r'],
    ]);
    expect(key.out).toContain('The same again');
    expect(key.out).not.toContain('a typed password');
    // A wrong password is asked for again; none is ever shown.
    const shown = await typed('keys show', [
      ['Password of keys/release.p12', 'a wrong password\r'],
      ['the last one was wrong', 'a typed password\r'],
    ]);
    expect(shown.code, shown.out).toBe(0);
    expect(shown.out).toContain('CN=Ferry times, O=Island Lines, C=NO');
    expect(shown.out).not.toMatch(/a (wrong|typed) password/);
  });

  it('lets each value be chosen, changed, left out and undone, in 80 columns', async () => {
    const dir = temporaryFolder();
    cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
    const down = '\x1b[B';
    const clear = '\x15';
    // Lines of the list: write, (undo,) stop, then the values in their order.
    const line = (number: number) => `${down.repeat(number)}\r`;
    const list = 'Write hull.json with these values?';
    const ran = await converse('begin site', dir, [
      [list, line(11)],
      ['? look.display', `${down}\r`],
      [list, line(4)],
      ['? app.name', `${clear}Tide tables\r`],
      // Undone: the name is again that of the manifest.
      [list, line(1)],
      [list, line(18)],
      ['? look.icon', `${clear}nowhere.svg\r`],
      ['There is no such file', `${clear}site/icons/icon-mono.svg\r`],
      [list, line(21)],
      ['Reason that users read for camera', `${clear}-\r`],
      [list, line(21)],
      ['Paths of ferry.saltmarsh.example', `${clear}timetable\r`],
      ['is not a path', `${clear}/timetable/* !/admin/*\r`],
      [list, line(22)],
      ['Name of the shortcut', `${clear}-\r`],
      [list, '\r'],
    ]);
    expect(ran.code, ran.out).toBe(0);
    const written = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(written.app.name).toBe('Saltmarsh Ferry');
    expect(written.look).toMatchObject({ display: 'fullscreen', icon: 'site/icons/icon-mono.svg' });
    expect(Object.keys(written.permissions)).toEqual(['geolocation']);
    expect(written.links).toEqual([
      { host: 'ferry.saltmarsh.example', paths: ['/timetable/*', '!/admin/*'] },
    ]);
    expect(written.shortcuts).toHaveLength(1);
    // biome-ignore lint/suspicious/noControlCharactersInRegex: what moves the cursor takes no columns
    const lines = ran.out.replaceAll(/\x1b\[[0-9;?]*[A-Za-z]/g, '').split(/\r?\n/);
    // What is drawn over itself ends up in one line here; rows of the list do not.
    const rows = lines.filter((one) =>
      /^[❯ ] (app|web|look|android|permissions|links|shortcuts)\b/.test(one),
    );
    expect(rows.length).toBeGreaterThan(30);
    for (const one of rows) expect(one.length, one).toBeLessThanOrEqual(80);
    const empty = temporaryFolder();
    cpSync(DEMO_SITE, join(empty, 'site'), { recursive: true });
    const none = await converse('begin site', empty, [[list, line(1)]]);
    expect(none.out).toContain('Nothing was written.');
  }, 90_000);

  it('draws a bar for a large folder on a terminal, plain lines elsewhere, and nothing for a small one', async () => {
    const files = Object.fromEntries(
      Array.from({ length: 400 }, (_, i) => [`site/data/${i}.json`, `{"i":${i}}`]),
    );
    const dir = await readyProject(files);
    const plain = await hull(['pack', 'apk'], { cwd: dir });
    expect(plain.err).toMatch(/packing files: \d+ of 402/);
    expect((await hull(['pack', 'apk', '--quiet'], { cwd: dir })).err).toBe('');
    const line = `script -qec '${process.execPath} ${HULL} pack apk' /dev/null`;
    const drawn = await run('bash', ['-c', line], {
      cwd: dir,
      env: { HULL_KEY_PASSWORD: PASSWORD, TERM: 'xterm' },
    });
    expect(drawn.out).toMatch(/packing .* of 402 files/);
    expect(drawn.out).toContain('read back and verified');
    expect(drawn.code).toBe(0);
  });

  // The README’s own line does it too.
  it.runIf(THOROUGH)('does the whole job on the demo data, in a new folder only', async () => {
    const dir = join(temporaryFolder(), 'ferry');
    const ran = await hull(['demo', dir]);
    expect(ran.code, ran.err).toBe(0);
    for (const text of [
      '$ hull survey site',
      '$ hull begin site',
      'hull keys new',
      'hull pack apk',
      '$ hull inspect',
      'hull pack ipa',
      'What to try next',
    ]) {
      expect(ran.out).toContain(text);
    }
    expect(readdirSync(join(dir, 'out'))).toEqual([`${ID}-1.0.0-1.apk`, `${ID}-1.0.0-1.ipa`]);
    refusedWith(await hull(['demo', dir]), 'demo.folder-not-empty');
    const json = JSON.parse((await hull(['demo', '--json'])).out);
    expect(existsSync(json.package)).toBe(true);
    expect(json.steps['5. See what is in it'].signature.verifies).toBe(true);
  });
});

describe('hull alone', () => {
  it('says in the folder of a project how far it is, and what comes next', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'site/index.html': '<!doctype html><title>Ferry</title>',
      'logo.svg':
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"/></svg>',
    });
    expect((await hull([], { cwd: dir })).out).toContain('Typical workflow');
    const begun = await hull(['begin', 'site', '--id', 'example.saltmarsh.ferry', '--yes'], { cwd: dir });
    expect(begun.err).toContain('next hull survey, then: Set look.icon');
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    config.look = { icon: 'logo.svg' };
    writeFileSync(file, JSON.stringify(config));
    const next = async () => /^next (.*)$/m.exec((await hull([], { cwd: dir })).out)?.[1];
    expect(await next()).toBe('hull keys new; or hull keys import, where the app was published before');
    expect((await hull(['keys', 'new', '--yes'], { cwd: dir })).code).toBe(0);
    expect(await next()).toBe('hull pack apk');
    expect((await hull(['pack', 'apk'], { cwd: dir })).code).toBe(0);
    expect(await next()).toBe('hull inspect out/example.saltmarsh.ferry-1.0.0-1.apk');
  });

  it('ends as documented where the disk below its output is full', () => {
    const ran = spawnSync('sh', ['-c', '"$0" "$1" --help > /dev/full', process.execPath, HULL], {
      encoding: 'utf8',
    });
    expect([ran.status, ran.stderr]).toEqual([
      3,
      'error disk.full\n  The output could not be written: the disk is full.\n',
    ]);
  });
});
