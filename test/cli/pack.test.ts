import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { HULL, hull, PASSWORD, run } from '../support/hull.js';
import { ID, packed, readyProject, refusedWith, sha } from '../support/ready-project.js';
import { writeFiles } from '../support/temporary.js';

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
