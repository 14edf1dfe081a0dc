import { createHash } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { beforeAll, describe, expect, it } from 'vitest';
import { host } from '../support/host.js';
import { converse, DEMO_SITE, HULL, hull, hullProcess, PASSWORD, type Ran, run } from '../support/hull.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

const ID = 'example.saltmarsh.ferry';
const ICON =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9" fill="#0b4f6c"/></svg>';
const PAGE = '<!doctype html><title>Ferry</title>';
const sha = (file: string) => createHash('sha256').update(readFileSync(file)).digest('hex');

function refusedWith(ran: Ran, code: string, exit = 2): void {
  expect(ran.err, ran.out).toContain(code);
  expect(ran.err).toMatch(/\n {2}fix /);
  expect(ran.code).toBe(exit);
  expect(ran.err).not.toMatch(/\n\s+at .*\.js:\d/);
}

/** A folder with a small site, begun and with a key, ready to be packed. */
async function readyProject(files: Record<string, string | Uint8Array> = {}): Promise<string> {
  const dir = temporaryFolder();
  writeFiles(dir, { 'site/index.html': PAGE, 'site/icon.svg': ICON, ...files });
  const begun = await hull(['begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  const made = await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
  expect(made.code, made.err).toBe(0);
  return dir;
}

const packed = (dir: string) => join(dir, 'out', `${ID}-1.0.0-1.apk`);

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

describe('a hosted app', () => {
  it('is begun from its address, its icon saved, and packed without pages', async () => {
    const base = await host((request, response) => {
      if (request.url === '/') {
        response.writeHead(200, { 'content-type': 'text/html' });
        response.end('<title>Ferry</title><link rel="icon" href="i.svg" type="image/svg+xml">');
      } else if (request.url === '/i.svg')
        response.writeHead(200, { 'content-type': 'image/svg+xml' }).end(ICON);
      else response.writeHead(404).end();
    });
    const dir = temporaryFolder();
    const begun = await hull(['begin', base, '--id', ID, '--yes'], { cwd: dir });
    expect(begun.code, begun.err).toBe(0);
    expect(readFileSync(join(dir, 'art/icon.svg'), 'utf8')).toBe(ICON);
    await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
    const plain = await hull(['pack', 'apk'], { cwd: dir });
    refusedWith(plain, 'config.bad-value');
    expect(plain.err).toContain('plain http');
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    config.web.insecure = { [new URL(base).origin]: 'a test host on this machine' };
    writeFileSync(file, JSON.stringify(config));
    const ran = await hull(['pack', 'apk', '--json'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect(JSON.parse(ran.out).files.packed).toBe(0);
    const shown = await hull(['inspect', packed(dir)]);
    expect(shown.out).toContain('http allowed  127.0.0.1');
    expect(shown.out).toContain('<!-- a test host on this machine -->');
  });

  it('that does not answer is an error from outside', async () => {
    refusedWith(
      await hull(['begin', 'http://127.0.0.1:9/', '--yes'], { cwd: temporaryFolder() }),
      'net.unreachable',
      3,
    );
  });
});

describe('bad input to begin', () => {
  const begin = async (files: Record<string, string | Uint8Array>, ...more: string[]) => {
    const dir = temporaryFolder();
    writeFiles(dir, files);
    const ran = await hull(['begin', 'site', '--id', ID, '--yes', ...more], { cwd: dir });
    if (ran.code !== 0) expect(existsSync(join(dir, 'hull.json'))).toBe(false);
    return ran;
  };

  it('is told with code, place and remedy', async () => {
    refusedWith(await begin({}), 'web.no-folder');
    refusedWith(await begin({ 'site/readme.txt': '' }), 'web.no-index');
    refusedWith(await begin({ 'site/index.php': '<?php' }), 'web.server-side');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--start', '../../etc/passwd'), 'web.start-outside');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--id', 'ferry'), 'app.bad-id');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--app-version', 'one'), 'app.bad-version');
    refusedWith(await begin({ 'site/index.html': PAGE }, '--build', '0'), 'config.bad-value');
    refusedWith(
      await begin({ 'site/index.html': PAGE }, '--web-url', 'ftp://a.example/'),
      'config.bad-value',
    );
    refusedWith(await begin({ 'site/index.html': PAGE, 'site/INDEX.html': PAGE }), 'web.case-clash');
  });

  it('names the options that answer what was not found', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': '<p>' });
    const ran = await hull(['begin', 'site', '--yes'], { cwd: dir });
    refusedWith(ran, 'cli.missing-answer');
    expect(ran.err).toContain('--id <value> and --name <value>');
    const json = JSON.parse((await hull(['begin', 'site', '--yes', '--json'], { cwd: dir })).out);
    expect(json.error.code).toBe('cli.missing-answer');
  });

  it('is a manifest that is broken, hostile or huge', async () => {
    const manifest = (text: string) =>
      begin({ 'site/index.html': '<link rel="manifest" href="m.json">', 'site/m.json': text });
    const broken = await manifest('{ "name": }');
    refusedWith(broken, 'manifest.not-json');
    expect(broken.err).toMatch(/m\.json:1:11/);
    refusedWith(await manifest('{ "name": 7 }'), 'manifest.wrong-type');
    refusedWith(await manifest(`{ "name": "${'x'.repeat(10 * 1024 * 1024)}" }`), 'manifest.too-large');
    refusedWith(await manifest('{ "name": "a\\nb" }'), 'config.bad-value');
    const odd = await manifest('{ "name": "Salt \\"marsh\\" <b> & عبّارة 🚢" }');
    expect(odd.code, odd.err).toBe(0);
  });

  it('never shows a terminal what moves its cursor', async () => {
    const ran = await begin({ 'site/index.html': PAGE, 'site/m.json': '{}' }, '--name', 'a\u001b[31mred');
    expect(ran.code).toBe(2);
    expect(ran.err).not.toContain('\u001b[31mred');
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

describe('bad input to pack', () => {
  it('is told with code, place and remedy, and leaves nothing behind', async () => {
    const dir = await readyProject();
    const config = readFileSync(join(dir, 'hull.json'), 'utf8');
    const check = async (change: (value: Record<string, Record<string, unknown>>) => void, code: string) => {
      const value = JSON.parse(config);
      change(value);
      writeFileSync(join(dir, 'hull.json'), JSON.stringify(value, undefined, 2));
      refusedWith(await hull(['pack', 'apk'], { cwd: dir }), code);
      expect(existsSync(join(dir, 'out')) ? readdirSync(join(dir, 'out')) : []).toEqual([]);
    };
    const tiny = await sharp({ create: { width: 8, height: 8, channels: 4, background: 'red' } })
      .png()
      .toBuffer();
    writeFiles(dir, { 'tiny.png': tiny, 'text.png': 'no picture' });
    await check((value) => Object.assign(value.web as object, { start: '/gone.html' }), 'web.start-missing');
    await check(
      (value) => Object.assign(value.web as object, { start: 'https://elsewhere.example/' }),
      'web.start-outside',
    );
    await check((value) => Object.assign(value.web as object, { folder: 'gone' }), 'web.no-folder');
    await check((value) => Object.assign(value.look as object, { icon: 'tiny.png' }), 'art.icon-too-small');
    await check((value) => Object.assign(value.look as object, { icon: 'text.png' }), 'art.icon-unreadable');
    await check((value) => Object.assign(value.look as object, { icon: undefined }), 'art.icon-missing');
    await check((value) => Object.assign(value.app as object, { id: 'example.2fast' }), 'app.bad-id');
    await check((value) => Object.assign(value, { colour: 1 }), 'config.unknown-key');
    await check(
      (value) => Object.assign(value.keys?.release as object, { file: 'keys/gone.p12' }),
      'keys.none',
    );
    await check((value) => Object.assign(value.keys?.release as object, { alias: 'other' }), 'keys.no-alias');
    writeFileSync(join(dir, 'hull.json'), config);
    symlinkSync('/etc/hostname', join(dir, 'site/host.txt'));
    refusedWith(await hull(['pack', 'apk'], { cwd: dir }), 'web.link-outside');
  });

  it('is a password that is wrong, or missing where nobody can be asked', async () => {
    const dir = await readyProject();
    const wrong = await hull(['pack', 'apk'], { cwd: dir, env: { HULL_KEY_PASSWORD: 'another one' } });
    refusedWith(wrong, 'keys.wrong-password');
    expect(wrong.err).not.toContain('another one');
    refusedWith(
      await hull(['pack', 'apk'], { cwd: dir, env: { HULL_KEY_PASSWORD: undefined } }),
      'keys.password-missing',
    );
    writeFileSync(join(dir, 'pw.txt'), `${PASSWORD}\r\nsecond line`);
    const fromFile = await hull(['pack', 'apk', '--password-file', 'pw.txt'], {
      cwd: dir,
      env: { HULL_KEY_PASSWORD: undefined },
    });
    expect(fromFile.code, fromFile.err).toBe(0);
    refusedWith(await hull(['pack', 'apk', '--password-file', 'gone.txt'], { cwd: dir }), 'file.missing');
    writeFileSync(
      join(dir, 'keys/release.p12'),
      readFileSync(join(dir, 'keys/release.p12')).subarray(0, 900),
    );
    refusedWith(await hull(['pack', 'apk'], { cwd: dir }), 'keys.damaged');
  });

  it('is a disk that is full: the older package stays as it was', async () => {
    const dir = await readyProject();
    expect((await hull(['pack', 'apk'], { cwd: dir })).code).toBe(0);
    const before = sha(packed(dir));
    writeFiles(dir, { 'site/large.jpg': Buffer.alloc(400_000, 7) });
    // A limit on the size of written files is met half-way, as a full disk is.
    const command = `ulimit -f 100; exec "${process.execPath}" "${HULL}" pack apk`;
    const full = await run('bash', ['-c', command], { cwd: dir, env: { HULL_KEY_PASSWORD: PASSWORD } });
    refusedWith(full, 'disk.full', 3);
    expect(readdirSync(join(dir, 'out'))).toEqual([`${ID}-1.0.0-1.apk`]);
    expect(sha(packed(dir))).toBe(before);
  });

  it('is a place that may not be written, or a file where a folder is needed', async () => {
    const dir = await readyProject();
    const denied = await hull(['pack', 'apk', '--out', '/sys/hull'], { cwd: dir });
    refusedWith(denied, 'disk.', 3);
    writeFileSync(join(dir, 'taken'), '');
    refusedWith(await hull(['pack', 'apk', '--out', 'taken'], { cwd: dir }), 'disk.io', 3);
  });

  it('is Ctrl-C half-way: nothing half-written is left under the final name, or beside it', async () => {
    const noise = Buffer.alloc(700_000);
    for (let i = 0; i < noise.length; i += 1) noise[i] = (i * i * 31) & 0xff;
    const files = Object.fromEntries(Array.from({ length: 60 }, (_, i) => [`site/data/${i}.json`, noise]));
    const dir = await readyProject(files);
    mkdirSync(join(dir, 'out'));
    const stopped = await hull(['pack', 'apk'], {
      cwd: dir,
      meanwhile: (child) => {
        // As soon as the temporary file is there, packing is under way.
        const timer = setInterval(() => {
          if (readdirSync(join(dir, 'out')).length > 0) {
            clearInterval(timer);
            child.kill('SIGINT');
          }
        }, 2);
        child.on('close', () => clearInterval(timer));
      },
    });
    expect(stopped.signal).toBe('SIGINT');
    expect(stopped.err).toContain('Cancelled');
    expect(readdirSync(join(dir, 'out'))).toEqual([]);
  });
});

describe('the program', () => {
  it('keeps its compiled code in the user’s cache, and runs as well where that is damaged or not to be had', async () => {
    const dir = await readyProject();
    const cache = join(dir, 'cache');
    const pack = () => hullProcess(['pack', 'apk', '--json'], { cwd: dir, env: { XDG_CACHE_HOME: cache } });
    const first = JSON.parse((await pack()).out).sha256;
    const kept = readdirSync(join(cache, 'jolly-hull'), { recursive: true, withFileTypes: true }).filter(
      (item) => item.isFile(),
    );
    expect(kept.length).toBeGreaterThan(3);
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

  it('prints its version and its help', async () => {
    const version = await hullProcess(['--version']);
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
    // An ID with a fault, one without; then “change some”: the name, and at last “yes”.
    const down = '\x1b[B';
    const clear = '\x15';
    const asked = await typed('begin site', [
      ['App ID', 'ferry\r'],
      ['It has one segment', `${clear}example.saltmarsh.ferry\r`],
      ['Write hull.json with these values?', `${down}\r`],
      ['Which values', `${down} \r`],
      ['app.name', `${clear}Ferry times\r`],
      ['Write hull.json with these values?', '\r'],
    ]);
    expect(asked.out).toContain('Write hull.json with these values?');
    expect(asked.out).toContain('App ID');
    expect(asked.out).toContain('It has one segment');
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
    const shown = await hull(['keys', 'show'], { cwd: dir, env: { HULL_KEY_PASSWORD: 'a typed password' } });
    expect(shown.code, shown.err).toBe(0);
    expect(shown.out).toContain('CN=Ferry times, O=Island Lines, C=NO');
  });

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

  it('does the whole job on the demo data, in a new folder only', async () => {
    const dir = join(temporaryFolder(), 'ferry');
    const ran = await hull(['demo', dir]);
    expect(ran.code, ran.err).toBe(0);
    for (const text of [
      '$ hull survey site',
      '$ hull begin site',
      'hull keys new',
      'hull pack apk',
      '$ hull inspect',
      'What to try next',
    ]) {
      expect(ran.out).toContain(text);
    }
    expect(readdirSync(join(dir, 'out'))).toEqual([`${ID}-1.0.0-1.apk`]);
    refusedWith(await hull(['demo', dir]), 'demo.folder-not-empty');
    const json = JSON.parse((await hull(['demo', '--json'])).out);
    expect(existsSync(json.package)).toBe(true);
    expect(json.steps['5. See what is in it'].signature.verifies).toBe(true);
  });
});
