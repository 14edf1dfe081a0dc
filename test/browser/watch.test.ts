import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
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
    const watching = hullProcess(['watch', '--bridge', device.address, '--for', '15', '--json'], {
      cwd: dir,
    });
    await wait(1500);
    expect((await install()).code).toBe(0);
    await wait(6500);
    expect((await install()).code).toBe(0);
    const ran = await watching;
    expect(ran.code, ran.err).toBe(0);
    const events = eventsOf(ran.out);
    const of = (is: string) => events.filter((one) => one.is === is);
    expect(of('app').map(({ state }) => state)).toEqual(['waiting', 'attached', 'ended', 'attached']);
    const [first] = of('page');
    expect(first).toMatchObject({
      state: 'opened',
      inspector: expect.stringMatching(/^devtools:.*\?ws=127\.0\.0\.1:\d+\//),
    });
    expect(of('page')).toContainEqual(
      expect.objectContaining({ state: 'went', page: expect.stringMatching(/\/tickets$/) }),
    );
    expect(of('console').slice(0, 2)).toMatchObject([
      { level: 'info', text: 'ready {tickets: 2}' },
      { level: 'warning', text: 'slow pier 7', place: { source: { file: 'src/main.ts', line: 3 } } },
    ]);
    expect(of('error')).toHaveLength(2);
    expect(of('error')[0]).toMatchObject({
      text: expect.stringContaining('TypeError'),
      stack: [
        { source: { file: 'src/wallet.ts', line: 3 }, url: expect.stringMatching(/\/app\.js$/) },
        { source: { file: 'src/main.ts', line: 5 } },
      ],
    });
    expect(of('request')[0]).toMatchObject({
      why: '404 Not Found',
      url: expect.stringMatching(/missing\.json$/),
    });
    expect(of('vitals')[0]).toMatchObject({ vitals: { firstPaint: expect.any(Number), shift: 0 } });
  }, 60_000);

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
      const ran = await hull(['watch', '--for', '5', '--json'], { cwd: dir, env });
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
