import { createPublicKey } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import {
  type AppleInstallReport,
  installOnAppleDevice,
} from '../../../../src/core/platforms/apple/device/install.js';
import {
  listAppleDevices,
  type MuxAddress,
  readMuxAddress,
  readPairRecord,
  savePairRecord,
} from '../../../../src/core/platforms/apple/device/mux.js';
import { keptRecord, makePairing, readPairing } from '../../../../src/core/platforms/apple/device/pairing.js';
import { inspectIpa } from '../../../../src/core/platforms/apple/inspect/inspect.js';
import { type SimulatedDeviceOptions, TEST_DEVICE } from '../../../../src/drydock/apple-device/options.js';
import { ID, TEAM, type TestTeam, testTeam } from '../../../support/apple.js';
import { type TestDevice, testDevice } from '../../../support/apple-device.js';
import { refused } from '../../../support/errors.js';
import { packTestIpa, type TestIpa } from '../../../support/ipa.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** Packages onto a simulated device: our own client, and what the device says against packages. */

let team: TestTeam;
/** A package that the device takes. */
let good: string;

async function packageOf(config: object = {}, ipa: TestIpa = {}): Promise<string> {
  const dir = temporaryFolder();
  const app = { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 };
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app,
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
      ...config,
    }),
    'site/index.html': '<!doctype html><title>Ferry</title>',
  });
  const profile = await team.profileBytes({ devices: [TEST_DEVICE] });
  return (await packTestIpa(dir, { profile, ...ipa })).file;
}

async function install(
  { address }: TestDevice,
  file: string,
  more: Partial<Parameters<typeof installOnAppleDevice>[0]> = {},
): Promise<AppleInstallReport> {
  return installOnAppleDevice({ address, file, facts: await inspectIpa(file, team.root), ...more });
}

beforeAll(async () => {
  team = await testTeam();
  good = await packageOf();
});

describe('installing on an Apple device', () => {
  for (const connections of ['encrypted', 'plain'] as const) {
    it(`pairs once, sends and installs over ${connections} connections`, async () => {
      const one = await testDevice({ connections });
      const sent: number[] = [];
      const doing: string[] = [];
      const report = await install(one, good, {
        onProgress: (done) => sent.push(done),
        onInstalling: (what) => doing.push(what),
      });
      expect(report).toEqual({
        device: {
          serial: TEST_DEVICE,
          connection: 'usb',
          name: 'Drydock',
          model: 'iPhone17,3',
          version: '18.2',
          developerMode: 'on',
        },
        before: undefined,
        onDevice: [],
      });
      expect(sent.at(-1)).toBe(readFileSync(good).length);
      expect(doing).toContain('VerifyingApplication');
      expect(readFileSync(join(one.dir, `${ID}.ipa`)).equals(readFileSync(good))).toBe(true);
      const next = await packageOf({ app: { id: ID, name: 'Ferry', version: '1.1.0', build: 2 } });
      expect((await install(one, next)).before).toEqual({ version: '1.0.0', build: '1' });
      expect(one.events.filter((text) => text === 'trusts a computer')).toHaveLength(1);
      // What was sent is not left beside what was installed.
      expect(readdirSync(one.dir).sort()).toEqual([`${ID}.ipa`, 'installed.json']);
    });
  }

  it('waits for "Trust" to be tapped, and says so once', async () => {
    const waiting: string[] = [];
    await install(await testDevice({ trust: 'asked' }), good, { onWaiting: (what) => waiting.push(what) });
    expect(waiting).toEqual(['trust']);
  });

  it('ends where nobody taps, or somebody taps "Don’t Trust"', async () => {
    const slow = await testDevice({ trust: 'asked' });
    const nobody = await refused('device.unauthorized', () => install(slow, good, { trustWithin: 0 }));
    expect(nobody.fix).toContain('tap "Trust"');
    const no = await testDevice({ trust: 'refused' });
    expect((await refused('device.unauthorized', () => install(no, good))).message).toContain('Don’t Trust');
    expect(await readPairRecord(no.address, TEST_DEVICE)).toBeUndefined();
    expect(existsSync(join(no.dir, `${ID}.ipa`))).toBe(false);
  });

  it('pairs again with a device that was erased, and keeps this computer’s part and what others wrote', async () => {
    const before = await testDevice();
    await install(before, good);
    const record = { ...(await readPairRecord(before.address, TEST_DEVICE)), Note: 'another program’s' };
    const erased = await testDevice();
    const [found] = await listAppleDevices(erased.address);
    if (!found) throw new Error('no device');
    await savePairRecord(erased.address, found, record);
    await install(erased, good);
    const after = await readPairRecord(erased.address, TEST_DEVICE);
    expect(after?.Note).toBe('another program’s');
    const [one, other] = [readPairing(record), readPairing(after ?? {})];
    expect(other).toEqual({ ...one, deviceCertificate: other?.deviceCertificate });
    expect(other?.deviceCertificate).not.toBe(one?.deviceCertificate);
  });

  it('does not go on with a device that has another key than the one it paired with', async () => {
    const real = await testDevice();
    await install(real, good);
    const record = (await readPairRecord(real.address, TEST_DEVICE)) ?? {};
    const kept = readPairing(record);
    const stranger = await makePairing(
      String(createPublicKey(kept?.hostCertificate ?? '').export({ type: 'pkcs1', format: 'pem' })),
      'someone',
    );
    const [found] = await listAppleDevices(real.address);
    if (!found || !kept) throw new Error('no device');
    // The device goes on with the certificate it was given; this computer remembers another key.
    await savePairRecord(
      real.address,
      found,
      keptRecord({ ...kept, deviceCertificate: stranger.deviceCertificate }),
    );
    const error = await refused('device.protocol', () => install(real, good));
    expect(error.message).toContain('does not have the key of the device');
  });

  it('tells what is to be done on the device before the app opens', async () => {
    const off = await install(await testDevice({ developerMode: 'off' }), good);
    expect(off.onDevice).toEqual([expect.stringContaining('Developer mode is off')]);
    const older = await install(await testDevice({ developerMode: 'off', system: '15.4' }), good);
    expect(older.onDevice).toEqual([]);
    const distribution = await team.authority.developer({
      team: TEAM,
      name: 'Apple Distribution: Test',
      kind: 'distribution',
    });
    const own = await team.profileBytes({
      kind: 'enterprise',
      devices: [],
      certificates: distribution.certificates.slice(0, 1),
    });
    const file = await packageOf(
      {},
      { profile: own, developer: distribution, entitlements: { 'get-task-allow': false } },
    );
    expect((await install(await testDevice(), file)).onDevice).toEqual([
      expect.stringContaining('VPN & Device Management'),
    ]);
  });
});

describe('what is seen before anything is sent', () => {
  it.each<[string, Partial<SimulatedDeviceOptions>, object, string]>([
    ['an older system', { system: '14.8' }, {}, 'needs system version 15.0'],
    ['a tablet’s app', {}, { apple: { devices: ['tablet'] } }, 'for tablets'],
    ['another device', { serial: '00008030-000000000000FFFF' }, {}, 'does not name this device'],
    ['a full device', { free: 1000 }, {}, 'no room'],
  ])('%s', async (_name, options, config, message) => {
    const one = await testDevice(options);
    const file = Object.keys(config).length === 0 ? good : await packageOf(config);
    expect((await refused('device.refused', () => install(one, file))).message).toContain(message);
    expect(one.events.filter((text) => text !== 'trusts a computer')).toEqual([]);
  });

  it('a package that is for simulators, or whose signature does not hold', async () => {
    const one = await testDevice();
    const simulator = await packageOf({}, { platform: 'simulator' });
    await refused('package.unknown', () => install(one, simulator));
    const facts = await inspectIpa(good, '00'.repeat(32));
    await refused('device.refused', () => installOnAppleDevice({ address: one.address, file: good, facts }));
    expect(one.events).toEqual([]);
  });

  it('no service, no device, several, and one that is not there', async () => {
    const nowhere = { at: { path: join(temporaryFolder(), 'usbmuxd') } };
    const facts = await inspectIpa(good, team.root);
    const at = (address: MuxAddress, serial?: string) =>
      installOnAppleDevice({ address, file: good, facts, serial });
    await refused('device.no-usbmuxd', () => at(nowhere));
    const one = await testDevice();
    const error = await refused('device.unknown', () => at(one.address, 'FFFF'));
    expect(error.fix).toContain(TEST_DEVICE);
    expect((await install(one, good, { serial: TEST_DEVICE.toLowerCase() })).device.serial).toBe(TEST_DEVICE);
  });
});

/** Packages that our own look lets pass: the device's answer is what counts. */
describe('what a device refuses', () => {
  let shared: Promise<TestDevice> | undefined;
  const usual = () => {
    shared ??= testDevice();
    return shared;
  };

  /** Sends a package whatever it is, as a client would that does not look first. */
  async function answer(file: string, options: Partial<SimulatedDeviceOptions> = {}, one?: TestDevice) {
    const facts = await inspectIpa(good, team.root);
    const id = await inspectIpa(file, team.root).then(
      (read) => read.id,
      () => facts.id,
    );
    const target = one ?? (Object.keys(options).length > 0 ? await testDevice(options) : await usual());
    return refused('device.refused', () =>
      installOnAppleDevice({
        address: target.address,
        file,
        facts: { ...facts, id, minVersion: undefined, devices: [], profile: undefined },
      }),
    );
  }

  it('by the profile, each with the platform’s own number and what to do', async () => {
    const packed = async (changes: object, ipa: TestIpa = {}) =>
      packageOf({}, { profile: await team.profileBytes({ devices: [TEST_DEVICE], ...changes }), ...ipa });
    const cases: [string, string][] = [
      [await packed({ devices: ['00008030-000000000000FFFF'] }), '0xe8008012'],
      [await packed({ bundleId: 'example.saltmarsh.other' }), '0xe8008015'],
      [await packed({ expires: new Date('2026-11-01T00:00:00Z') }), '0xe8008015'],
      [await packed({ certificates: [] }), '0xe8008015'],
      [await packed({}, { entitlements: { 'aps-environment': 'production' } }), '0xe8008016'],
      [await packed({}, { entitlements: { 'application-identifier': `OTHERTEAM1.${ID}` } }), '0xe8008016'],
    ];
    for (const [file, number] of cases) {
      const error = await answer(file);
      expect(error.message, number).toContain(number);
      expect(error.message).toContain('ApplicationVerificationFailed');
      expect(String(error.fix).length).toBeGreaterThan(20);
    }
    const old = await team.authority.developer({
      team: TEAM,
      name: 'Apple Development: Old',
      notAfter: new Date('2026-11-01T00:00:00Z'),
    });
    const certificates = old.certificates.slice(0, 1);
    expect((await answer(await packed({ certificates }, { developer: old }))).message).toContain(
      '0xe8008018',
    );
  });

  it('by the system and the kind of device', async () => {
    expect((await answer(good, { system: '14.0' })).message).toContain('DeviceOSVersionTooLow');
    const tablet = await packageOf({ apple: { devices: ['tablet'] } });
    expect((await answer(tablet)).message).toContain('DeviceFamilyNotSupported');
  });

  it('a package that was changed, or is none', async () => {
    const bytes = readFileSync(good);
    const dir = temporaryFolder();
    writeFileSync(join(dir, 'none.ipa'), bytes.subarray(0, 5000));
    expect((await answer(join(dir, 'none.ipa'))).message).toContain('PackageExtractionFailed');
    expect((await answer(good, { root: '00'.repeat(32) })).message).toContain('0xe8008019');
  });

  it('an update that another team signed', async () => {
    const one = await testDevice();
    await install(one, good);
    const other = await team.authority.developer({ team: 'OTHERTEAM1', name: 'Apple Development: Other' });
    const profile = await team.profileBytes({
      team: 'OTHERTEAM1',
      devices: [TEST_DEVICE],
      certificates: other.certificates.slice(0, 1),
    });
    const file = await packageOf({}, { profile, developer: other, team: 'OTHERTEAM1' });
    const error = await answer(file, {}, one);
    expect(error.message).toContain('MismatchedApplicationIdentifierEntitlement');
    expect(readFileSync(join(one.dir, `${ID}.ipa`)).equals(readFileSync(good))).toBe(true);
  });
});

describe('addresses', () => {
  it('are a path, with or without its prefix, or a host and a port', () => {
    expect(readMuxAddress('UNIX:/run/usbmuxd')).toEqual({ path: '/run/usbmuxd' });
    expect(readMuxAddress('/run/usbmuxd')).toEqual({ path: '/run/usbmuxd' });
    expect(readMuxAddress('[::1]:27015')).toEqual({ host: '::1', port: 27015 });
    for (const text of ['', 'usbmuxd', 'localhost:', 'localhost:0', 'localhost:70000', 'a b:1'])
      expect(readMuxAddress(text)).toBeUndefined();
  });
});
