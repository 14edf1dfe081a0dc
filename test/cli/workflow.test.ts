import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { DEMO_SITE, HULL, hull, PASSWORD, type Ran, run } from '../support/hull.js';
import { ICON, ID, PAGE, packed, readyProject, refusedWith, sha } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

describe('the whole way, as the guide has it', () => {
  const dir = temporaryFolder();
  let begun: Ran;
  let made: Ran;
  let pack: Ran;

  beforeAll(async () => {
    begun = await hull(['begin', DEMO_SITE, '--id', ID, '--yes'], { cwd: dir });
    made = await hull(['keys', 'new', '--yes'], { cwd: dir });
    pack = await hull(['pack', 'apk'], { cwd: dir });
  });

  it('begin fills hull.json and says where each value came from', () => {
    expect(begun.code, begun.err).toBe(0);
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(config.app).toEqual({
      id: ID,
      name: 'Saltmarsh Ferry',
      short_name: 'Ferry',
      language: 'en',
      version: '1.0.0',
      build: 1,
    });
    expect(config.web.start).toBe('/?from=app');
    expect(config.web.url).toBe('https://ferry.saltmarsh.example/');
    expect(begun.out).toMatch(/app\.name\s+Saltmarsh Ferry\s+from .*manifest\.webmanifest \/name/);
    expect(begun.out).toMatch(/web\.url\s+\S+\s+from .*canonical/);
    expect(existsSync(join(dir, config.$schema))).toBe(true);
  });

  it('begin never overwrites a hull.json', async () => {
    const before = sha(join(dir, 'hull.json'));
    refusedWith(await hull(['begin', DEMO_SITE, '--id', ID, '--yes'], { cwd: dir }), 'begin.config-exists');
    expect(sha(join(dir, 'hull.json'))).toBe(before);
  });

  it('keys new makes a keystore that only its owner reads, named in hull.json, out of version control', () => {
    expect(made.code, made.err).toBe(0);
    const file = join(dir, 'keys/release.p12');
    expect(statSync(file).mode & 0o777).toBe(0o600);
    expect(readFileSync(join(dir, 'keys/.gitignore'), 'utf8')).toContain('*');
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    expect(config.keys).toEqual({ release: { file: 'keys/release.p12', alias: 'release' } });
    expect(config.android.key).toBe('release');
    expect(made.out).toMatch(/SHA-256\s+([0-9A-F]{2}:){31}[0-9A-F]{2}/);
    expect(made.err).toContain('identity');
    expect(`${made.out}${made.err}`).not.toContain(PASSWORD);
  });

  it('keys new refuses to touch a key that is there', async () => {
    const file = join(dir, 'keys/release.p12');
    const before = sha(file);
    refusedWith(await hull(['keys', 'new', '--yes'], { cwd: dir }), 'keys.exists');
    refusedWith(
      await hull(['keys', 'new', 'other', '--file', 'keys/release.p12', '--yes'], { cwd: dir }),
      'keys.exists',
    );
    expect(sha(file)).toBe(before);
  });

  it('keys show prints what consoles ask for', async () => {
    const shown = await hull(['keys', 'show'], { cwd: dir });
    expect(shown.out).toMatch(/subject\s+CN=Saltmarsh Ferry/);
    expect(shown.out).toMatch(/SHA-1\s+([0-9A-F]{2}:){19}[0-9A-F]{2}/);
    const json = JSON.parse((await hull(['keys', 'show', '--json'], { cwd: dir })).out);
    expect(json.certificate.key).toBe('RSA 3072');
    const years = (Date.parse(json.certificate.notAfter) - Date.now()) / (365.25 * 24 * 3600 * 1000);
    expect(years).toBeGreaterThan(27);
    expect(Date.parse(json.certificate.notAfter)).toBeGreaterThan(Date.parse('2033-10-22'));
  });

  it('pack apk tells size by part, certificate and time', () => {
    expect(pack.code, pack.err).toBe(0);
    expect(pack.out).toMatch(/signed, read back and verified/);
    expect(pack.out).toMatch(/shell: .* KB/);
    expect(pack.out).toMatch(/web content \(\d+ files\)/);
    expect(pack.out).toMatch(/certificate SHA-256/);
    expect(pack.out).toMatch(/time\s+[\d.]+ m?s/);
    expect(readdirSync(join(dir, 'out'))).toEqual([`${ID}-1.0.0-1.apk`]);
  });

  it('pack apk gives the same bytes again, and one JSON document when asked', async () => {
    const before = sha(packed(dir));
    const again = await hull(['pack', 'apk', '--json'], { cwd: dir });
    const report = JSON.parse(again.out);
    expect(report.sha256).toBe(before);
    expect(sha(packed(dir))).toBe(before);
    expect(report.size).toBe(statSync(packed(dir)).size);
  });

  it('pack apk draws its icons anew to the same bytes', async () => {
    const before = sha(packed(dir));
    const { rmSync } = await import('node:fs');
    rmSync(join(dir, '.hull/cache'), { recursive: true });
    expect(
      (await hull(['pack', 'apk'], { cwd: dir, env: { TZ: 'Pacific/Auckland', LC_ALL: 'C' } })).code,
    ).toBe(0);
    expect(sha(packed(dir))).toBe(before);
  });

  it('inspect reads it, for people and as JSON', async () => {
    const shown = await hull(['inspect', packed(dir)]);
    expect(shown.code, shown.err).toBe(0);
    for (const text of [
      'Saltmarsh Ferry',
      ID,
      'Reach the internet',
      'https only',
      'v2   verified',
      'v3   verified',
    ]) {
      expect(shown.out).toContain(text);
    }
    const facts = JSON.parse((await hull(['inspect', packed(dir), '--json'])).out);
    expect(facts.signature.verifies).toBe(true);
    expect(facts.id).toBe(ID);
  });

  it('inspect takes no offence when its reader has read enough', async () => {
    const line = `"${process.execPath}" "${HULL}" inspect "${packed(dir)}" --json | head -c 1`;
    const ran = await run('bash', ['-o', 'pipefail', '-c', line]);
    expect([ran.code, ran.out, ran.err]).toEqual([0, '{', '']);
  });

  it('inspect tells that a package was changed after signing', async () => {
    const bytes = readFileSync(packed(dir));
    const bad = join(temporaryFolder(), 'bad.apk');
    const at = bytes.indexOf('assets/site/sw.js');
    bytes[at + 200] = (bytes[at + 200] as number) ^ 1;
    writeFileSync(bad, bytes);
    const shown = await hull(['inspect', bad]);
    expect(shown.out).toContain('does not verify');
    expect(shown.out).toContain('changed after signing');
  });
});

describe('what is declared', () => {
  it('is packed and told, with what does not hold everywhere', async () => {
    const dir = await readyProject();
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    const more = {
      permissions: {
        geolocation: 'Shows the pier nearest to you.',
        bluetooth: 'Opens the gate of the pier.',
      },
      links: [{ host: 'ferry.saltmarsh.example', paths: ['/timetable/*', '!/timetable/old/*'] }],
    };
    writeFileSync(file, JSON.stringify({ ...config, ...more }));
    const ran = await hull(['pack', 'apk'], { cwd: dir });
    expect(ran.code).toBe(0);
    expect(ran.err).toContain('permission geolocation: Shows the pier nearest to you.');
    expect(ran.err).toContain('bluetooth is not supported in a web view');
    expect(ran.err).toContain('geolocation is declared, and no packed page or script uses it');
    expect(ran.err).toContain('links https://ferry.saltmarsh.example /timetable/* !/timetable/old/*');
    expect(ran.err).toContain('Before Android 15');
    const shown = await hull(['inspect', packed(dir)]);
    expect(shown.out).toContain(
      'ACCESS_COARSE_LOCATION, ACCESS_FINE_LOCATION: “Shows the pier nearest to you.”',
    );
    expect(shown.out).not.toContain('BLUETOOTH');
    const told = await hull(['pack', 'apk', '--debuggable', '--out', 'debug'], { cwd: dir });
    expect(told.err, 'links go to the released app').not.toContain('links');
    const debug = await hull(['pack', 'apk', '--debuggable', '--out', 'debug', '--json'], { cwd: dir });
    expect(JSON.parse(debug.out).file).toMatch(/\.debug-1\.0\.0-1\.apk$/);
    const facts = JSON.parse(
      (await hull(['inspect', JSON.parse(debug.out).file, '--json'], { cwd: dir })).out,
    );
    expect(facts).toMatchObject({ debuggable: true });
    expect(facts.launcherLabel).toMatch(/ \(debug\)$/);
    expect(facts.components[0].links).toEqual([]);
  });

  it('is refused where it has no reason, before anything is written', async () => {
    const dir = await readyProject();
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    writeFileSync(file, JSON.stringify({ ...config, permissions: { camera: 'needed' } }));
    const ran = await hull(['pack', 'apk'], { cwd: dir });
    expect([ran.code, ran.err]).toEqual([2, expect.stringContaining('permission.no-reason')]);
    expect(existsSync(join(dir, 'out'))).toBe(false);
  });
});

describe('a project of an older version', () => {
  it('gets today’s schema by hull refit; what hull.json says stays', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE, 'site/icon.svg': ICON });
    await hull(['begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes'], { cwd: dir });
    const before = readFileSync(join(dir, 'hull.json'), 'utf8');
    expect((await hull(['refit', '--check'], { cwd: dir })).code).toBe(0);
    writeFileSync(join(dir, '.hull/hull.schema.json'), '{}');
    expect((await hull(['refit', '--check'], { cwd: dir })).code).toBe(1);
    const ran = await hull(['refit'], { cwd: dir });
    expect(ran.out).toContain('was updated');
    expect(JSON.parse(readFileSync(join(dir, '.hull/hull.schema.json'), 'utf8')).$schema).toContain(
      '2020-12',
    );
    expect(readFileSync(join(dir, 'hull.json'), 'utf8')).toBe(before);
    writeFileSync(join(dir, 'hull.json'), before.replace('"start"', '"starts"'));
    refusedWith(await hull(['refit'], { cwd: dir }), 'config.unknown-key');
  });
});

describe('a project in another folder', () => {
  it('is worked on with --project, paths of options being those of the working folder', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE, 'icon.svg': ICON });
    const at = ['--project', 'app', '--yes'];
    expect((await hull(['begin', 'site', '--id', ID, '--icon', 'icon.svg', ...at], { cwd: dir })).code).toBe(
      0,
    );
    const made = await hull(['keys', 'new', '--bits', '2048', '--file', 'vault/k.p12', ...at], { cwd: dir });
    expect(made.code, made.err).toBe(0);
    const config = JSON.parse(readFileSync(join(dir, 'app/hull.json'), 'utf8'));
    expect(config.web.folder).toBe('../site');
    expect(config.look.icon).toBe('../icon.svg');
    expect(config.keys.release.file).toBe('../vault/k.p12');
    expect((await hull(['pack', 'apk', ...at], { cwd: dir })).code).toBe(0);
    expect(readdirSync(join(dir, 'app/out'))).toHaveLength(1);
    expect((await hull(['pack', 'apk', '--out', 'here', ...at], { cwd: dir })).code).toBe(0);
    expect(readdirSync(join(dir, 'here'))).toHaveLength(1);
  });
});

describe('a project and what it packs', () => {
  it('are kept apart, so that no key is ever published', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'index.html': PAGE, 'icon.svg': ICON });
    refusedWith(await hull(['begin', '.', '--id', ID, '--yes'], { cwd: dir }), 'web.holds-project');
    expect(readdirSync(dir).sort()).toEqual(['icon.svg', 'index.html']);
    const ready = await readyProject();
    const file = join(ready, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    writeFiles(ready, { 'site/keys/release.p12': readFileSync(join(ready, 'keys/release.p12')) });
    writeFileSync(file, JSON.stringify({ ...config, keys: { release: { file: 'site/keys/release.p12' } } }));
    refusedWith(await hull(['pack', 'apk'], { cwd: ready }), 'keys.in-web-folder');
    writeFileSync(file, JSON.stringify(config));
    refusedWith(await hull(['pack', 'apk', '--out', 'site/out'], { cwd: ready }), 'web.holds-project');
    writeFiles(ready, { 'index.html': PAGE });
    writeFileSync(file, JSON.stringify({ ...config, web: { folder: '.' } }));
    refusedWith(await hull(['pack', 'apk'], { cwd: ready }), 'web.holds-project');
  });
});
