import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { startDevice } from '../support/drydock.js';
import { hull } from '../support/hull.js';
import { ICON, ID, PAGE, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The built program with its own stand-in device. */
describe('hull drydock device and hull install', () => {
  it('install the newest package, explain a refusal, and follow the log', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'site/index.html': '<!doctype html><title>Ferry</title>',
      'icon.svg':
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>',
    });
    await hull(
      [
        'begin',
        'site',
        '--id',
        'example.saltmarsh.ferry',
        '--name',
        'Saltmarsh Ferry',
        '--icon',
        'icon.svg',
        '--yes',
      ],
      { cwd: dir },
    );
    expect((await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir })).code).toBe(0);
    const device = await startDevice(dir);
    try {
      const at = ['install', '--bridge', device.address];
      const missing = await hull(at, { cwd: dir });
      expect([missing.code, missing.err]).toEqual([2, expect.stringContaining('There is no package yet')]);
      expect((await hull(['pack', 'apk'], { cwd: dir })).code).toBe(0);
      const put = await hull(at, { cwd: dir });
      expect([put.code, put.out]).toEqual([
        0,
        expect.stringMatching(
          /^Installed Saltmarsh 1\.0\.0 \(build 1\), .* on Stand in, API level 36\nStarted\.\n$/,
        ),
      ]);
      const file = join(dir, 'hull.json');
      const config = JSON.parse(readFileSync(file, 'utf8'));
      writeFileSync(file, JSON.stringify({ ...config, app: { ...config.app, build: 2 } }));
      expect((await hull(['pack', 'apk'], { cwd: dir })).code).toBe(0);
      // A package for other devices that is newer is not meant where the service of these is named.
      writeFiles(dir, { 'out/newer.ipa': 'no package' });
      const other = await hull(['install', '--usbmuxd', '127.0.0.1:9'], { cwd: dir });
      expect([other.code, other.err]).toEqual([2, expect.stringContaining('out/newer.ipa')]);
      const update = await hull([...at, '--json', '--no-start'], { cwd: dir });
      expect(JSON.parse(update.out)).toMatchObject({
        build: 2,
        started: false,
        device: { serial: 'stand-in' },
      });
      const older = await hull([...at, 'out/example.saltmarsh.ferry-1.0.0-1.apk'], { cwd: dir });
      expect([older.code, older.err]).toEqual([
        3,
        expect.stringContaining('A newer build of this app is installed.'),
      ]);
      const log = await hull([...at, '--log'], {
        cwd: dir,
        meanwhile: (child) => {
          child.stdout?.on('data', (chunk: Buffer) => {
            if (chunk.includes('stand-in device')) child.kill('SIGINT');
          });
        },
      });
      expect(log.out).toContain('cmp=example.saltmarsh.ferry');
      expect(log.signal).toBe('SIGINT');
    } finally {
      device.stop();
    }
  });

  it('refuses what is no address and no level', async () => {
    const dir = temporaryFolder();
    expect((await hull(['install', 'x.apk', '--bridge', 'nowhere'], { cwd: dir })).code).toBe(2);
    expect((await hull(['drydock', 'device', '--sdk', '3'], { cwd: dir })).code).toBe(2);
    expect((await hull(['install', 'x.ipa', '--usbmuxd', 'nowhere'], { cwd: dir })).code).toBe(2);
    for (const words of [
      ['--apple', '--sdk', '30'],
      ['--trust', 'asked'],
      ['--apple', '--system', 'new'],
      ['--apple', '--serial', '../x'],
    ])
      refusedWith(await hull(['drydock', 'device', ...words], { cwd: dir }), 'cli.usage');
  });

  it('put a package on an Apple device, tell what to tap, and explain a refusal', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, { 'site/index.html': PAGE, 'site/icon.svg': ICON });
    const drive = (...words: string[]) => hull(words, { cwd: dir });
    expect((await drive('begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes')).code).toBe(0);
    expect((await drive('drydock', 'team')).code).toBe(0);
    expect((await drive('pack', 'ipa')).code).toBe(0);
    const device = await startDevice(dir, '--apple', '--trust', 'asked', '--developer-mode', 'off');
    const other = await startDevice(
      dir,
      '--apple',
      '--serial',
      '00008030-00000000000000FF',
      '--dir',
      'other',
    );
    try {
      const put = await drive('install', '--usbmuxd', device.address);
      expect(put.code, put.err).toBe(0);
      expect(put.out).toMatch(/^Installed .* 1\.0\.0 \(build 1\), .* on Drydock, iPhone17,3, system 26\.1\n/);
      expect(put.out).toContain('Developer mode is off');
      expect(put.err).toContain('Tap "Trust" on the device');
      const again = await drive('install', '--usbmuxd', device.address, '--json');
      expect(JSON.parse(again.out)).toMatchObject({
        platform: 'apple',
        before: { version: '1.0.0', build: '1' },
        device: { developerMode: 'off' },
      });
      expect(device.notes()).toContain(`installed ${ID} 1.0.0 (1)`);
      refusedWith(await drive('install', '--usbmuxd', other.address), 'device.refused', 3);
    } finally {
      device.stop();
      other.stop();
    }
  });
});
