import { spawn } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { HULL, hull } from '../support/hull.js';
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
    const device = spawn(process.execPath, [HULL, 'drydock', 'device', '--port', '0', '--json'], {
      cwd: dir,
    });
    try {
      const address = await new Promise<string>((resolve, reject) => {
        let text = '';
        device.stdout.on('data', (chunk: Buffer) => {
          text += chunk;
          if (text.includes('}')) resolve(JSON.parse(text).address);
        });
        device.once('exit', () => reject(new Error(text)));
      });
      const at = ['install', '--bridge', address];
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
      device.kill('SIGINT');
    }
  });

  it('refuses what is no address and no level', async () => {
    const dir = temporaryFolder();
    expect((await hull(['install', 'x.apk', '--bridge', 'nowhere'], { cwd: dir })).code).toBe(2);
    expect((await hull(['drydock', 'device', '--sdk', '3'], { cwd: dir })).code).toBe(2);
  });
});
