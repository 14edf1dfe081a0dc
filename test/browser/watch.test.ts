import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type RunningDevice, startDevice } from '../support/drydock.js';
import { hull, hullProcess, run } from '../support/hull.js';
import { readerTest } from '../support/readers.js';
import { ICON, ID, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** What an app's pages say on a device, through the bridge: the simulated device runs them in a real browser. */

const MAIN = `import { scan } from './wallet.js';
console.info('ready', { tickets: 2 });
console.warn('%cslow%c pier %d', '', '', 7);
fetch('/missing.json').catch(() => {});
setTimeout(() => scan(undefined), 1500);
setTimeout(() => { history.pushState({}, '', '/tickets'); }, 1800);
`;
const WALLET = `export function scan(ticket: { code: string } | undefined): string {
  // Line 2 is not it.
  return (ticket as { code: string }).code.toUpperCase();
}
`;

let dir: string;
let device: RunningDevice;
const drive = (...words: string[]) => hull(words, { cwd: dir });
const install = (...more: string[]) => drive('install', debugPackage(), '--bridge', device.address, ...more);
const debugPackage = () => join('out', `${ID}.debug-1.0.0-1.apk`);

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'src/main.ts': MAIN,
    'src/wallet.ts': WALLET,
    'site/index.html':
      '<!doctype html><html lang="en"><meta name="viewport" content="width=device-width"><title>Wallet</title><h1>Wallet</h1><script src="/app.js"></script>',
    'site/icon.svg': ICON,
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
      look: { icon: 'site/icon.svg' },
    }),
  });
  await build({
    entryPoints: [join(dir, 'src/main.ts')],
    outfile: join(dir, 'site/app.js'),
    ...{ bundle: true, minify: true, sourcemap: true, logLevel: 'silent' },
  });
  expect((await drive('keys', 'new', '--bits', '2048', '--yes')).code).toBe(0);
  const packed = await drive('pack', 'apk', '--debuggable');
  expect(packed.code, packed.err).toBe(0);
  expect((await drive('pack', 'apk')).code).toBe(0);
  device = await startDevice(dir, '--screen-port', '0', '--transport', '0');
}, 60_000);
afterAll(() => device?.stop());

interface Watched {
  readonly device: { readonly serial: string };
  readonly events: readonly Record<string, never>[];
}
const eventsOf = (text: string) =>
  (JSON.parse(text) as Watched).events as unknown as { is: string; [key: string]: unknown }[];

describe('hull watch', () => {
  it('waits for the app, and tells what its pages say, also after it has started again', async () => {
    let said = '';
    let installs = 0;
    let failed: unknown;
    /** Installs once so many lines of a kind have come. */
    const installAfter = (words: RegExp, count: number, number: number) => {
      if (installs !== number - 1 || (said.match(words)?.length ?? 0) < count) return;
      installs = number;
      install().then(
        ({ code, err }) => {
          if (code !== 0) failed = err;
        },
        (error: unknown) => {
          failed = error;
        },
      );
    };
    const ran = await hullProcess(['watch', '--bridge', device.address], {
      cwd: dir,
      meanwhile: (child) => {
        child.stdout?.on('data', (chunk: Buffer) => {
          said += chunk;
          installAfter(/waiting until it starts\./g, 1, 1);
          installAfter(/ {2}vitals {2}/g, 1, 2);
          if ((said.match(/ {2}vitals {2}/g)?.length ?? 0) >= 2) child.kill('SIGINT');
        });
      },
    });
    expect(failed).toBeUndefined();
    expect(ran.code === 0 || ran.signal === 'SIGINT' || ran.code === 130, ran.err).toBe(true);
    const lines = said.split('\n').map((line) => line.replace(/^\d\d:\d\d:\d\d {2}/, ''));
    const apps = lines.filter((line) => line.startsWith('app '));
    expect(apps.map((line) => line.slice(5))).toEqual([
      'The app does not run; waiting until it starts.',
      'Attached.',
      'The app has ended; waiting until it starts again.',
      'Attached.',
    ]);
    expect(said).toMatch(/page {2}https:\S+\n +inspect devtools:\S+\?ws=127\.0\.0\.1:\d+\//);
    expect(said).toMatch(/page {2}https:\S+\/tickets\n/);
    expect(said).toContain('info  ready {tickets: 2}');
    expect(said).toMatch(/warning {2}slow pier 7\n +src\/main\.ts:3:9 \(/);
    expect(
      said.match(
        /error {2}TypeError.*\n.*src\/wallet\.ts:3:\d+ \(\S+\/app\.js:\d+:\d+\)\n.*src\/main\.ts:5:/g,
      ),
    ).toHaveLength(2);
    expect(said).toMatch(/request {2}404 Not Found( {2}GET)? {2}\S+\/missing\.json/);
    expect(said).toMatch(/vitals {2}first paint \d/);
  });

  it('takes a picture, and says why it cannot', async () => {
    const png = join(dir, 'page.png');
    const ran = await drive('watch', '--bridge', device.address, '--png', png);
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('/tickets');
    expect(readFileSync(png).subarray(1, 4).toString()).toBe('PNG');
    // The package for release runs beside it, and nothing of it can be inspected.
    expect((await drive('install', join('out', `${ID}-1.0.0-1.apk`), '--bridge', device.address)).code).toBe(
      0,
    );
    const closed = await drive(
      'watch',
      '--bridge',
      device.address,
      '--app',
      ID,
      '--png',
      join(dir, 'no.png'),
    );
    refusedWith(closed, 'watch.no-page', 3);
    expect(closed.err).toContain('hull pack apk --debuggable');
    expect(existsSync(join(dir, 'no.png'))).toBe(false);
    refusedWith(await drive('watch', '--app', 'no id', '--bridge', device.address), 'app.bad-id');
    refusedWith(await drive('watch', '--for', 'ever'), 'cli.usage');
    refusedWith(await drive('watch', '--bridge', '127.0.0.1:9'), 'device.no-bridge', 3);
  }, 60_000);

  readerTest('adb', 'goes through the platform’s own bridge', async () => {
    const env = { ANDROID_ADB_SERVER_PORT: String(6100 + (process.pid % 800)) };
    const adb = (...words: string[]) => run('adb', words, { env });
    try {
      const port = device.transport;
      expect((await adb('connect', `127.0.0.1:${port}`)).out).toContain('connected to');
      expect((await adb('shell', 'getprop', 'ro.build.version.sdk')).out.trim()).toBe('36');
      const forwarded = (await adb('forward', 'tcp:0', 'localabstract:nowhere')).out.trim();
      expect(Number(forwarded)).toBeGreaterThan(0);
      const put = await hull(['install', debugPackage()], { cwd: dir, env });
      expect(put.code, put.err).toBe(0);
      const ran = await hull(['watch', '--for', '12', '--json'], { cwd: dir, env });
      expect(ran.code, ran.err).toBe(0);
      expect(JSON.parse(ran.out).device.serial).toBe(`127.0.0.1:${port}`);
      expect(eventsOf(ran.out).filter(({ is }) => is === 'error')[0]).toMatchObject({
        stack: [{ source: { file: 'src/wallet.ts', line: 3 } }, {}],
      });
    } finally {
      await adb('kill-server');
    }
  });
});
