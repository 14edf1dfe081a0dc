import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { connect, createServer, type Socket } from 'node:net';
import { join } from 'node:path';
import { connect as connectTls } from 'node:tls';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { PlistDict } from '../../../../src/core/formats/plist/types.js';
import { ByteStream } from '../../../../src/core/net/byte-stream.js';
import { AFC, DeviceFiles, encodeAfc, readAfc } from '../../../../src/core/platforms/apple/device/afc.js';
import { installOnAppleDevice } from '../../../../src/core/platforms/apple/device/install.js';
import { Lockdown } from '../../../../src/core/platforms/apple/device/lockdown.js';
import {
  connectToDevice,
  encodeMuxMessage,
  listAppleDevices,
  type MuxAddress,
  readMuxMessage,
  swapPort,
} from '../../../../src/core/platforms/apple/device/mux.js';
import { PlistMessages } from '../../../../src/core/platforms/apple/device/plist-messages.js';
import type { IpaFacts } from '../../../../src/core/platforms/apple/inspect/facts.js';
import { inspectIpa } from '../../../../src/core/platforms/apple/inspect/inspect.js';
import { TEST_DEVICE } from '../../../../src/drydock/apple-device/options.js';
import { ID, testTeam } from '../../../support/apple.js';
import { testDevice } from '../../../support/apple-device.js';
import { holdsAgainst, refused } from '../../../support/errors.js';
import { packTestIpa } from '../../../support/ipa.js';
import { generator } from '../../../support/random.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** Devices, hosts and what lies between them that mean no good. */

const closing: (() => unknown)[] = [];
let file: string;
let facts: IpaFacts;

const device = (connections: 'encrypted' | 'plain', dir = temporaryFolder()) =>
  testDevice({ connections, dir, free: 4_000_000 });

/** Listens on loopback, and hands every connection over. */
async function listen(serve: (socket: Socket) => void, patience: number): Promise<MuxAddress> {
  const server = createServer((socket) => {
    socket.on('error', () => undefined);
    serve(socket);
  });
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  closing.push(() => server.close());
  return { at: { host: '127.0.0.1', port: (server.address() as { port: number }).port }, patience };
}

const install = (address: MuxAddress) => installOnAppleDevice({ address, file, facts });

beforeAll(async () => {
  const team = await testTeam();
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
    }),
    'site/index.html': '<!doctype html><title>Ferry</title>',
  });
  ({ file } = await packTestIpa(dir, { profile: await team.profileBytes({ devices: [TEST_DEVICE] }) }));
  facts = await inspectIpa(file, team.root);
});

afterAll(async () => {
  for (const close of closing) await close();
});

describe('a device that means no good', () => {
  const SHORT = 300;

  /** Answers requests of the multiplexer, then leaves the connection to `serve`. */
  const scripted = (serve: (stream: ByteStream) => Promise<void>, list: PlistDict[] = [ATTACHED]) =>
    listen((socket) => {
      const stream = new ByteStream(socket);
      (async () => {
        for (let read = await readMuxMessage(stream); read; read = await readMuxMessage(stream)) {
          const { message } = read;
          const say = (answer: PlistDict) => stream.write(encodeMuxMessage(answer, 1));
          if (message.MessageType === 'ListDevices') await say({ DeviceList: list });
          else if (message.MessageType === 'Connect') {
            await say({ MessageType: 'Result', Number: 0 });
            return serve(stream);
          } else await say({ MessageType: 'Result', Number: 2 });
        }
      })().catch(() => undefined);
    }, SHORT);
  const ATTACHED = { DeviceID: 1, Properties: { DeviceID: 1, SerialNumber: TEST_DEVICE } };
  const lockdown = (answers: Readonly<Record<string, PlistDict>>) => async (stream: ByteStream) => {
    const messages = new PlistMessages(stream);
    for (let asked = await messages.next(); asked; asked = await messages.next())
      await messages.send(answers[String(asked.Request)] ?? { Error: 'InvalidRequest' });
  };
  const type = { QueryType: { Type: 'com.apple.mobile.lockdown' } };

  it('gets a clear error for every breach of the protocol', async () => {
    const raw = (bytes: Uint8Array | string) => listen((socket) => void socket.end(bytes), SHORT);
    const head = Buffer.alloc(16);
    head.writeUInt32LE(0xffff_ffff, 0);
    await refused('device.protocol', async () => install(await raw(head)));
    await refused('device.protocol', async () => install(await raw('HTTP/1.1 400 Bad Request\r\n\r\n')));
    await refused('device.gone', async () => install(await raw('')));
    await refused('device.silent', async () => install(await listen(() => undefined, SHORT)));
    await refused('plist.malformed', async () =>
      install(await raw(Buffer.concat([Buffer.from([20, 0, 0, 0]), Buffer.alloc(12), Buffer.from('nope')]))),
    );
    const huge = Buffer.alloc(4);
    huge.writeUInt32BE(0x7fff_ffff);
    await refused('device.protocol', async () => install(await scripted((stream) => stream.write(huge))));
    await refused('device.protocol', async () =>
      install(await scripted(lockdown({ QueryType: { Type: 'x' } }))),
    );
    await refused('device.protocol', async () => install(await scripted(lockdown(type))));
    const noKey = {
      ...type,
      GetValue: { Value: new Uint8Array(Buffer.from('-----BEGIN RSA PUBLIC KEY-----')) },
    };
    await refused('device.protocol', async () => install(await scripted(lockdown(noKey))));
  });

  it('cannot pass off a device by a name that is none', async () => {
    const none = { DeviceID: 1, Properties: { DeviceID: 1, SerialNumber: '../../../etc' } };
    await refused('device.none', async () => install(await scripted(async () => undefined, [none])));
  });

  it('gets no further than an error when bytes between it and us are changed, lost or cut off', async () => {
    const { port, address } = await device('plain');
    await installOnAppleDevice({ address, file, facts });
    const pick = generator(20_261_129);
    let passed = 0;
    for (let round = 0; round < 60; round += 1) {
      let left = pick(6000);
      const how = round % 3;
      const between = await listen((socket) => {
        const behind = connect(port, '127.0.0.1');
        behind.on('error', () => undefined);
        socket.pipe(behind);
        behind.on('data', (bytes: Buffer) => {
          const at = left;
          left -= bytes.length;
          if (at >= 0 && at < bytes.length) {
            if (how === 0) bytes.writeUInt8(bytes.readUInt8(at) ^ 0x41, at);
            else if (how === 1) {
              socket.end(bytes.subarray(0, at));
              return;
            } else {
              socket.write(bytes.subarray(0, at));
              socket.write(bytes.subarray(at + 1));
              return;
            }
          }
          if (!socket.writableEnded) socket.write(bytes);
        });
        const end = () => {
          socket.destroy();
          behind.destroy();
        };
        behind.on('close', end);
        socket.on('close', end);
      }, SHORT);
      if ((await holdsAgainst(() => install(between))) === 'result') passed += 1;
    }
    // Some changes hit what nobody reads; most do not.
    expect(passed).toBeLessThan(40);
  }, 60_000);
});

describe('a host that means no good', () => {
  const patience = 2000;

  it('gets nothing without a session, and nothing with another key', async () => {
    const { address } = await device('encrypted');
    const [found] = await listAppleDevices(address);
    if (!found) throw new Error('no device');
    const direct = await connectToDevice(address, found, 50_001);
    await direct.write(encodeAfc(AFC.deviceInfo, 0, Buffer.alloc(0))).catch(() => undefined);
    expect(await readAfc(direct)).toBeUndefined();
    const lockdown = await Lockdown.open({ address, device: found });
    const stream = await connectToDevice(address, found, 50_001);
    const anonymous = connectTls({ socket: stream.release(), rejectUnauthorized: false });
    const ended = await new Promise<string>((resolve) => {
      anonymous.once('error', () => resolve('refused'));
      anonymous.once('close', () => resolve('closed'));
      anonymous.once('secureConnect', () => anonymous.write(encodeAfc(AFC.deviceInfo, 0, Buffer.alloc(0))));
      anonymous.once('data', () => resolve('answered'));
    });
    expect(ended).not.toBe('answered');
    lockdown.close();
  });

  it('writes nowhere but in the device’s own folder, and no more than is free', async () => {
    const outer = temporaryFolder();
    const { address, dir } = await device('plain', join(outer, 'device'));
    const [found] = await listAppleDevices(address);
    if (!found) throw new Error('no device');
    const lockdown = await Lockdown.open({ address, device: found });
    const { stream } = await lockdown.service('com.apple.afc');
    const files = new DeviceFiles(stream);
    const small = join(temporaryFolder(), 'small');
    writeFileSync(small, 'x'.repeat(100));
    for (const path of ['../evil', 'PublicStaging/../../evil', '/../evil'])
      await refused('device.refused', () => files.upload(small, path, () => undefined, undefined));
    await files.upload(small, '/etc/passwd', () => undefined, undefined);
    const big = join(temporaryFolder(), 'big');
    writeFileSync(big, Buffer.alloc(5_000_000));
    const full = await refused('device.refused', () =>
      files.upload(big, 'PublicStaging/big', () => undefined, undefined),
    );
    expect(full.message).toContain('no room');
    for (const operation of [AFC.write, AFC.close, AFC.open, 0x99, AFC.remove])
      await stream.write(encodeAfc(operation, 99, Buffer.from('ffffffff')));
    for (let count = 0; count < 5; count += 1) expect(await readAfc(stream)).toBeDefined();
    expect(readdirSync(outer)).toEqual(['device']);
    expect(readdirSync(dir).every((name) => name.startsWith('.arriving-'))).toBe(true);
    expect(readFileSync(small, 'utf8')).toHaveLength(100);
    stream.close();
    lockdown.close();
  });

  it('does not end it with nonsense', async () => {
    const { port, address } = await device('encrypted');
    const pick = generator(7);
    const noise = (length: number) => Buffer.from(Array.from({ length }, () => pick(256)));
    const list = (bytes: Uint8Array) => Buffer.concat([Buffer.from([0, 0, 0, bytes.length]), bytes]);
    const toPort = (number: number) =>
      encodeMuxMessage({ MessageType: 'Connect', DeviceID: 1, PortNumber: swapPort(number) }, 1);
    const pieces = [
      Buffer.from('GET / HTTP/1.1\r\n\r\n'),
      noise(16),
      noise(5000),
      Buffer.alloc(64),
      encodeMuxMessage({ MessageType: 'SavePairRecord' }, 1),
      encodeMuxMessage({ MessageType: 'Connect', DeviceID: 9, PortNumber: -1 }, 1),
      Buffer.concat([toPort(62_078), noise(200)]),
      Buffer.concat([toPort(62_078), list(Buffer.from('not a property list'))]),
      Buffer.concat([toPort(62_078), Buffer.from([255, 255, 255, 255])]),
      toPort(50_002),
    ];
    for (const bytes of pieces) {
      await new Promise<void>((resolve) => {
        const socket = connect(port, '127.0.0.1', () => socket.end(bytes));
        socket.on('error', () => resolve());
        socket.on('close', () => resolve());
        socket.resume();
      });
    }
    expect(await listAppleDevices(address)).toHaveLength(1);
    const [found] = await listAppleDevices(address);
    const stream = await connectToDevice({ ...address, patience }, found as never, 62_078);
    const messages = new PlistMessages(stream);
    const asked = async (request: PlistDict) => (await messages.ask(request, 'it was asked')).Error;
    expect(await asked({ Request: 'Pair', PairRecord: { HostID: 'x' } })).toBe('InvalidPairRecord');
    expect(await asked({ Request: 'StartSession', HostID: '__proto__' })).toBe('InvalidHostID');
    expect(await asked({ Request: 'StartService', Service: 'constructor' })).toBe('SessionInactive');
    expect(await asked({ Request: 'GetValue', Key: 'constructor' })).toBe('MissingValue');
    expect(await asked({})).toBe('InvalidRequest');
    stream.close();
  });
});
