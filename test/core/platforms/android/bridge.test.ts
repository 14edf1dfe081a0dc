import { readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Socket } from 'node:net';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  type AttachedDevice,
  chooseDevice,
  encodeRequest,
  listDevices,
} from '../../../../src/core/platforms/android/bridge/bridge.js';
import {
  type InstallRequest,
  installOnDevice,
} from '../../../../src/core/platforms/android/bridge/install.js';
import { refusalOf } from '../../../../src/core/platforms/android/bridge/refusals.js';
import type { PackageFacts } from '../../../../src/core/platforms/android/inspect/facts.js';
import { inspectPackage } from '../../../../src/core/platforms/android/inspect/inspect.js';
import { startStandIn } from '../../../../src/drydock/device.js';
import type { DeviceServer } from '../../../../src/drydock/device-server.js';
import { refused } from '../../../support/errors.js';
import { hull, run } from '../../../support/hull.js';
import { ask, reader, readerTest } from '../../../support/readers.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** Packages on a stand-in device, over the debug bridge's own protocol. */

const work = temporaryFolder();
const ICON = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>';
const running: DeviceServer[] = [];

async function standIn(more: Partial<Parameters<typeof startStandIn>[0]> = {}): Promise<number> {
  const device = await startStandIn({
    port: 0,
    dir: temporaryFolder(),
    serial: 'stand-in',
    sdk: 36,
    state: 'device',
    ...more,
  });
  running.push(device);
  return device.port;
}

/** Packs the same app with some differences; gives the package. */
async function packed(name: string, config: object = {}, key = 'release'): Promise<string> {
  const dir = join(work, name);
  writeFiles(dir, {
    'site/index.html': '<!doctype html><title>Ferry</title>',
    'icon.svg': ICON,
    'hull.json': JSON.stringify({
      app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 5 },
      web: { folder: 'site' },
      look: { icon: 'icon.svg' },
      android: { key: 'release' },
      keys: { release: { file: join(work, `${key}.p12`) } },
      ...config,
    }),
  });
  const ran = await hull(['pack', 'apk', '--json'], { cwd: dir });
  expect(ran.code, ran.err).toBe(0);
  return join(dir, JSON.parse(ran.out).file);
}

const build = (number: number) => ({
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: number },
});

let first: string;
let facts: PackageFacts;

beforeAll(async () => {
  for (const key of ['release', 'other']) {
    writeFiles(join(work, key), {
      'hull.json': JSON.stringify({
        app: { id: 'example.saltmarsh.ferry', name: 'Ferry', version: '1.0.0', build: 1 },
        web: { url: 'https://ferry.saltmarsh.example/' },
      }),
    });
    const made = await hull(['keys', 'new', '--bits', '2048', '--yes', '--file', join(work, `${key}.p12`)], {
      cwd: join(work, key),
    });
    expect(made.code, made.err).toBe(0);
  }
  first = await packed('first');
  facts = await inspectPackage(first);
});

afterAll(async () => {
  await Promise.all(running.map((device) => device.close()));
});

const request = (port: number, more: Partial<InstallRequest> = {}): InstallRequest => ({
  address: { host: '127.0.0.1', port },
  file: first,
  facts,
  start: 'start',
  ...more,
});

async function put(port: number, file: string) {
  return installOnDevice(request(port, { file, facts: await inspectPackage(file) }));
}

describe('hull install on a stand-in device', () => {
  it('streams the package, starts the app, and takes an update', async () => {
    const dir = temporaryFolder();
    const port = await standIn({ dir });
    const told: number[] = [];
    const report = await installOnDevice(request(port, { onProgress: (done) => told.push(done) }));
    expect(report).toMatchObject({
      sdk: 36,
      started: true,
      device: { serial: 'stand-in', model: 'Stand in' },
    });
    expect(told.at(-1)).toBe(facts.size);
    expect(readFileSync(join(dir, 'example.saltmarsh.ferry.apk')).equals(readFileSync(first))).toBe(true);
    expect(await put(port, await packed('sixth', build(6)))).toMatchObject({ started: true });
    expect(JSON.parse(readFileSync(join(dir, 'installed.json'), 'utf8'))).toMatchObject({
      'example.saltmarsh.ferry': { build: 6 },
    });
  });

  it('keeps what is installed from one day to the next', async () => {
    const dir = temporaryFolder();
    await put(await standIn({ dir }), await packed('ninth', build(9)));
    const error = await refused('device.refused', async () => put(await standIn({ dir }), first));
    expect(error.message).toContain('INSTALL_FAILED_VERSION_DOWNGRADE');
  });

  it('refuses as a device would, each with its remedy', async () => {
    const dir = temporaryFolder();
    const port = await standIn({ dir });
    await put(port, first);
    const older = await refused('device.refused', async () => put(port, await packed('fourth', build(4))));
    expect(older.message).toMatch(/newer build.*code 4 is older than current 5/);
    expect(older.fix).toContain('app.build');
    const foreign = await refused('device.refused', async () =>
      put(port, await packed('foreign', build(7), 'other')),
    );
    expect(foreign.message).toContain('signed with another key');
    const bytes = readFileSync(first);
    bytes[bytes.indexOf('assets/site/index.html') + 40] = 0;
    const spoilt = join(work, 'spoilt.apk');
    writeFileSync(spoilt, bytes);
    const bad = await refused('device.refused', () => installOnDevice(request(port, { file: spoilt })));
    expect(bad.message).toContain('INSTALL_PARSE_FAILED_NO_CERTIFICATES');
    const none = join(work, 'none.apk');
    writeFileSync(none, 'not a package');
    const not = await refused('device.refused', () => installOnDevice(request(port, { file: none })));
    expect(not.message).toContain('INSTALL_PARSE_FAILED_NOT_APK');
    expect(
      JSON.parse(readFileSync(join(dir, 'installed.json'), 'utf8'))['example.saltmarsh.ferry'].build,
    ).toBe(5);
  });

  it('sends nothing to a device that is too old', async () => {
    const port = await standIn({ sdk: 28 });
    const file = await packed('new', { android: { key: 'release', min_sdk: 30 } });
    const error = await refused('device.refused', () => put(port, file));
    expect(error.message).toBe('The package needs API level 30; the device has 28. Nothing was sent.');
  });

  it('explains a device that is locked, asleep, unknown, or not there', async () => {
    const at = async (port: number, serial?: string) =>
      installOnDevice(request(port, serial === undefined ? {} : { serial }));
    expect(
      (await refused('device.unauthorized', async () => at(await standIn({ state: 'unauthorized' })))).fix,
    ).toContain('Allow USB debugging');
    await refused('device.offline', async () => at(await standIn({ state: 'offline' })));
    await refused('device.unknown', async () => at(await standIn(), 'R58-nowhere'));
    const port = await standIn();
    await running.at(-1)?.close();
    expect((await refused('device.no-bridge', () => at(port))).fix).toContainEqual({
      task: 'startDevice',
      args: [],
    });
    await refused('device.port-taken', async () => standIn({ port: await standIn() }));
  });

  it('asks which device is meant only where that is open', () => {
    const device = (serial: string, state = 'device'): AttachedDevice => ({
      serial,
      state,
      model: undefined,
    });
    const choose = (devices: AttachedDevice[], serial?: string) => chooseDevice(devices, serial).serial;
    expect(choose([device('a')])).toBe('a');
    expect(choose([device('a', 'offline'), device('b')])).toBe('b');
    expect(choose([device('a'), device('b')], 'b')).toBe('b');
    for (const [code, devices] of [
      ['device.none', []],
      ['device.several', [device('a'), device('b')]],
      ['device.several', [device('a', 'offline'), device('b', 'unauthorized')]],
      ['device.offline', [device('a', 'bootloader')]],
    ] as const) {
      expect(() => chooseDevice([...devices], undefined)).toThrow(expect.objectContaining({ code }));
    }
  });

  it('tells a device that goes away in the middle, and what is no bridge', async () => {
    const answering = (answer: (socket: Socket, service: string) => void): Promise<number> =>
      new Promise((resolve) => {
        const server = createServer((socket) => {
          socket.on('error', () => undefined);
          socket.on('data', (data: Buffer) => answer(socket, data.toString('latin1')));
        }).listen(0, '127.0.0.1', () => {
          running.push({ port: 0, close: () => new Promise((end) => void server.close(() => end())) });
          const address = server.address();
          resolve(typeof address === 'object' && address ? address.port : 0);
        });
      });
    const list = 'stand-in device\n';
    const leaving = await answering((socket, service) => {
      if (service.includes('host:devices-l'))
        socket.end(`OKAY${list.length.toString(16).padStart(4, '0')}${list}`);
      else if (service.includes('host:transport')) socket.write('OKAY');
      else if (service.includes('getprop')) socket.end('OKAY36\n');
      else if (service.includes('install')) socket.end('OKAY');
    });
    await refused('device.gone', () => installOnDevice(request(leaving)));
    const web = await answering((socket) => void socket.end('HTTP/1.1 400 Bad Request\r\n\r\n'));
    await refused('device.protocol', () => installOnDevice(request(web)));
    const silent = await answering((socket) => void socket.end());
    await refused('device.gone', () => installOnDevice(request(silent)));
  });

  it('answers whatever it is sent, and goes on', async () => {
    const port = await standIn();
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 60 }), async (bytes) => {
        const { connect } = await import('node:net');
        await new Promise<void>((resolve) => {
          const socket = connect(port, '127.0.0.1', () => socket.end(Buffer.from(bytes)));
          socket.on('error', () => resolve());
          socket.on('close', () => resolve());
          socket.resume();
        });
      }),
      { numRuns: 40 },
    );
    expect(await listDevices({ host: '127.0.0.1', port })).toHaveLength(1);
  });

  it('writes requests as the protocol has them, and words what it does not know', () => {
    expect(Buffer.from(encodeRequest('host:version')).toString()).toBe('000chost:version');
    expect(refusalOf('Failure [INSTALL_FAILED_SOMETHING_NEW: oh]', 'a.apk').message).toBe(
      'The device refuses the package. (INSTALL_FAILED_SOMETHING_NEW: oh)',
    );
  });
});

describe('the platform’s own bridge', () => {
  readerTest('adb', 'its client lists the stand-in device and installs on it', async () => {
    const port = String(await standIn());
    // Not waited for in one piece: the stand-in lives in this process.
    const adb = (...args: string[]) => run(reader('adb') ?? 'adb', ['-P', port, ...args]);
    expect((await adb('devices', '-l')).out).toMatch(/stand-in\s+device .*model:Stand_in/);
    expect((await adb('shell', 'getprop', 'ro.build.version.sdk')).out.trim()).toBe('36');
    const put = await adb('install', first);
    expect(put.out + put.err).toContain('Success');
    const older = await adb('install', await packed('third', build(3)));
    expect(older.out + older.err).toContain('INSTALL_FAILED_VERSION_DOWNGRADE');
    expect((await adb('shell', 'pm', 'list', 'packages')).out).toContain('package:example.saltmarsh.ferry');
  });

  readerTest('adb', 'its server says that no device is there, and so do we', async () => {
    // Not from 5554 to 5585: there its server looks for emulators, and would find itself.
    const port = 6100 + Math.floor(Math.random() * 500);
    ask('adb', '-P', String(port), 'start-server');
    try {
      expect(reader('adb')).toBeDefined();
      await refused('device.none', () => installOnDevice(request(port)));
      await refused('device.unknown', () => installOnDevice(request(port, { serial: 'R58' })));
    } finally {
      ask('adb', '-P', String(port), 'kill-server');
    }
  });
});
