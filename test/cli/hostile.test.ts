import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  lstatSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { makeCast, plainRecipe } from '../support/crafted/quirks.js';
import { craft } from '../support/crafted/recipe.js';
import { HULL, hull, hullProcess, PASSWORD, run } from '../support/hull.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The built program against what means no good, and several of it at once. */

const ID = 'example.saltmarsh.ferry';
const PAGE = '<!doctype html><html><head><title>Ferry</title></head><body>Ferry</body></html>';

function project(more: object = {}): string {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': PAGE,
    'site/manifest.json': '{"name":"Ferry"}',
    'icon.svg':
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>',
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
      look: { icon: 'icon.svg' },
      ...more,
    }),
  });
  return dir;
}

const config = (dir: string) => JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));

describe('several runs at once', () => {
  it('name six new keys, and count six builds', async () => {
    const dir = project();
    const names = ['a', 'b', 'c', 'd', 'e', 'f'];
    const made = await Promise.all(
      names.map((name) => hull(['keys', 'new', name, '--curve', 'P-256', '--yes'], { cwd: dir })),
    );
    expect(made.map(({ code }) => code)).toEqual(names.map(() => 0));
    expect(Object.keys(config(dir).keys).sort()).toEqual(names);
    const counted = await Promise.all(
      Array.from({ length: 5 }, () => hull(['version', 'build'], { cwd: dir })),
    );
    expect(counted.map(({ code }) => code)).toEqual([0, 0, 0, 0, 0]);
    expect(config(dir).app.build).toBe(6);
    expect(readdirSync(dir).filter((name) => name.startsWith('.hull.json'))).toEqual([]);
  });
});

describe('paths that are none', () => {
  it('end with a clear error, and never hang', async () => {
    const dir = project();
    const pipe = join(dir, 'pipe');
    execFileSync('mkfifo', [pipe]);
    for (const args of [
      ['inspect', '/dev/zero'],
      ['inspect', pipe],
      ['sign', '/dev/zero', '--verify-only'],
      ['compare', '/dev/zero', pipe],
      ['keys', 'import', '/dev/zero', '--yes'],
      ['keys', 'new', 'x', '--yes', '--password-file', '/dev/zero'],
      ['pack', 'apk', '--verify-record', '/dev/zero'],
      ['pack', 'apk', '--from', '/dev/zero'],
      ['survey', 'https://ferry.example', '--ca', '/dev/zero'],
      ['art', '--source', '/dev/zero'],
    ]) {
      const ran = await run('timeout', ['20', process.execPath, HULL, ...args], {
        cwd: dir,
        env: args.includes('--password-file')
          ? { HULL_KEY_PASSWORD: undefined }
          : { HULL_KEY_PASSWORD: PASSWORD },
      });
      expect(ran.code, `${args.join(' ')}: ${ran.err}`).toBe(2);
      expect(ran.err, args.join(' ')).toMatch(/error \S+\.\S+/);
    }
  });

  it.each([
    ['web', { folder: 'si\0te' }],
    ['look', { icon: 'icon\0.svg' }],
    ['keys', { release: { file: 'keys/a\0.p12' } }],
    ['keys', { store: { certificate: '/dev/zero' } }],
  ])('are refused in hull.json too: %s %j', async (key, value) => {
    const dir = project({ [key]: value, android: { key: 'release', store_key: 'store' } });
    for (const args of [
      ['pack', 'apk'],
      ['keys', 'show'],
    ]) {
      const ran = await run('timeout', ['20', process.execPath, HULL, ...args], {
        cwd: dir,
        env: { HULL_KEY_PASSWORD: PASSWORD },
      });
      expect([0, 1, 2], `${args.join(' ')}: ${ran.err}`).toContain(ran.code);
    }
  });
});

describe('Ctrl-C', () => {
  it('ends a command soon, whatever it is parsing or deriving', async () => {
    const dir = project();
    const line = 'function f(a,b){for(let i=0;i<9;i++){console.log(i,{x:a,y:[b,1,2,"s"]})}}\n';
    writeFileSync(join(dir, 'site/big.js'), line.repeat(100_000));
    writeFileSync(join(dir, 'site/index.html'), `${PAGE}<script src="big.js"></script>`);
    for (const [args, after] of [
      [['survey'], 1200],
      [['begin', 'site', '--yes', '--id', ID], 1200],
      [['serve'], 1200],
      [['pack', 'apk'], 300],
    ] as const) {
      let sent = 0;
      const ran = await hull(args, {
        cwd: dir,
        meanwhile: (child) => {
          setTimeout(() => {
            sent = performance.now();
            child.kill('SIGINT');
          }, after);
        },
      });
      if (ran.signal === null) continue; // it was done before
      // A guard against being deaf, with room for a busy machine: it takes some hundred milliseconds.
      expect(performance.now() - sent, args.join(' ')).toBeLessThan(10_000);
    }
  });
});

describe('what a terminal shows', () => {
  it('holds no control characters of others, with --verbose and --json too', async () => {
    const evil = 'a\u001b[31m\u009b2J\u202e\u2066\u007f\u200fb';
    const dir = project({ app: { id: ID, name: evil, version: '1.0.0', build: 1 } });
    writeFileSync(join(dir, `${evil}.apk`), 'no archive');
    // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
    const bad = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/;
    for (const args of [
      ['inspect', `${evil}.apk`],
      ['inspect', `${evil}.apk`, '--verbose'],
      ['inspect', `${evil}.apk`, '--json'],
      ['pack', 'apk', '--verbose'],
      ['version', evil, '--verbose'],
      ['survey', '--json'],
      ['version', '--json'],
    ]) {
      const ran = await hull(args, { cwd: dir });
      expect(ran.out + ran.err, args.join(' ')).not.toMatch(bad);
    }
  });
});

describe('files', () => {
  it('behind symbolic links in the web folder are changed, and the links stay', async () => {
    const dir = project();
    writeFiles(dir, { 'site/pages/real.html': PAGE });
    symlinkSync('pages/real.html', join(dir, 'site/linked.html'));
    const ran = await hull(['tags', '--write', '--no-browser'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    expect(lstatSync(join(dir, 'site/linked.html')).isSymbolicLink()).toBe(true);
  });

  it('of an exported project are all there, or none', async () => {
    const dir = project();
    const whole = await hull(['pack', 'android-project', '--out', 'whole'], { cwd: dir });
    expect(whole.code, whole.err).toBe(0);
    const stopped = await hull(['pack', 'android-project', '--out', 'stopped'], {
      cwd: dir,
      meanwhile: (child) => {
        const timer = setInterval(() => {
          if (!readdirSync(dir).some((name) => name.startsWith('.stopped.'))) return;
          clearInterval(timer);
          child.kill('SIGKILL');
        }, 1);
        child.once('close', () => clearInterval(timer));
      },
    });
    if (stopped.signal === 'SIGKILL') expect(existsSync(join(dir, 'stopped'))).toBe(false);
    // The next run cleans up behind it.
    const again = await hullProcess(['pack', 'android-project', '--out', 'stopped'], { cwd: dir });
    expect(again.code, again.err).toBe(0);
    expect(readdirSync(dir).filter((name) => name.startsWith('.stopped.'))).toEqual([]);
    expect(readdirSync(join(dir, 'stopped')).sort()).toEqual(readdirSync(join(dir, 'whole')).sort());
  });
});

describe('the browser that looks at sites', () => {
  it('gets none of our secrets', async () => {
    const dir = project();
    const spy = join(dir, 'browser.sh');
    writeFileSync(spy, `#!/bin/sh\nenv > '${dir}/seen'\nexit 1\n`);
    chmodSync(spy, 0o755);
    const ran = await hull(['survey', '--browser'], {
      cwd: dir,
      env: {
        HULL_BROWSER: spy,
        HULL_KEY_PASSWORD: 'secret-one',
        SOME_TOKEN: 'secret-two',
        AWS_SECRET_ACCESS_KEY: 'secret-three',
      },
    });
    expect(ran.err).toContain('browser.failed');
    const seen = readFileSync(join(dir, 'seen'), 'utf8');
    expect(seen).toContain('PATH=');
    expect(seen).not.toMatch(/secret-|HULL_|TOKEN|AWS/);
    if (process.getuid?.() === 0) expect(ran.err).toContain('without its sandbox');
  });
});

describe('certificates that cannot be read', () => {
  it('are findings', async () => {
    const { a, badCertificates } = await makeCast();
    for (const [name, bad] of badCertificates) {
      const dir = project();
      const recipe = plainRecipe(['v2', 'v3'], a, 24, 36);
      recipe.files.delete('resources.arsc');
      for (const scheme of [recipe.v2, recipe.v3]) if (scheme[0]) scheme[0].certificates = [bad];
      writeFileSync(join(dir, 'bad.apk'), await craft(recipe));
      const inspected = await hull(['inspect', 'bad.apk'], { cwd: dir });
      expect(inspected.code, `${name}: ${inspected.err}`).toBe(0);
      expect(inspected.out, name).toContain('does not verify');
      expect((await hull(['sign', 'bad.apk', '--verify-only'], { cwd: dir })).code, name).toBe(1);
      writeFileSync(join(dir, 'bad.cer'), bad);
      writeFileSync(
        join(dir, 'hull.json'),
        JSON.stringify({
          ...config(dir),
          keys: { store: { certificate: 'bad.cer' } },
          android: { store_key: 'store' },
        }),
      );
      for (const args of [
        ['keys', 'show'],
        ['keys', 'check'],
        ['domains', 'write'],
      ]) {
        const ran = await hull(args, { cwd: dir });
        // One with bytes behind it can be read, although no device takes it in a package.
        const codes = name === 'a byte behind' ? [0, 1, 2] : [1, 2];
        expect(codes, `${name}, ${args.join(' ')}: ${ran.err}`).toContain(ran.code);
        expect(ran.err + ran.out, name).not.toContain('internal');
      }
    }
  });
});
