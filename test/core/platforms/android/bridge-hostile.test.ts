import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { connect, createServer, type Socket } from 'node:net';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { ByteStream } from '../../../../src/core/net/byte-stream.js';
import { listDevices } from '../../../../src/core/platforms/android/bridge/bridge.js';
import { installOnDevice } from '../../../../src/core/platforms/android/bridge/install.js';
import { isAppId, isClassName } from '../../../../src/core/platforms/android/bridge/names.js';
import { inspectPackage } from '../../../../src/core/platforms/android/inspect/inspect.js';
import { startStandIn } from '../../../../src/drydock/device.js';
import { makeCast, plainRecipe } from '../../../support/crafted/quirks.js';
import { craft } from '../../../support/crafted/recipe.js';
import { refused } from '../../../support/errors.js';
import { choose, generator } from '../../../support/random.js';
import { temporaryFolder } from '../../../support/temporary.js';

/** Packages, bridges and clients that mean no good. */

const closing: (() => unknown)[] = [];
afterAll(async () => {
  for (const close of closing) await close();
});

async function packageNamed(id: string, launcher?: string): Promise<string> {
  const { a } = await makeCast();
  const file = join(temporaryFolder(), 'app.apk');
  const recipe = plainRecipe(['v2', 'v3'], a, 24, 36);
  recipe.files.delete('resources.arsc');
  writeFileSync(file, await craft({ ...recipe, id, launcher }));
  return file;
}

const IDS = [
  '../../evil',
  '..',
  '__proto__',
  'constructor',
  'a/../../b.c',
  'a.b\0c',
  'a.b;reboot',
  'a.b c',
  'a.$(reboot)',
  '.a.b',
  'a..b',
  '1a.b',
  'a',
  '',
  `a.${'b'.repeat(300)}`,
  'con.aux\\..\\..\\x.y',
  'a.b\u202ec',
];
const CLASSES = [
  'a.b;reboot',
  'a.b`id`',
  'a.b$(id)',
  'a.b c',
  'a.b\nid',
  "a.b'",
  '',
  '../x',
  'a.b|c',
  'a.b&c',
];

describe('names out of packages', () => {
  it('are taken where a device takes them, and nowhere else', () => {
    for (const id of IDS) expect(isAppId(id), id).toBe(false);
    for (const id of ['a.b', 'example.saltmarsh.ferry', 'a.B_1.c2']) expect(isAppId(id), id).toBe(true);
    for (const name of CLASSES) expect(isClassName(name), name).toBe(false);
    for (const name of ['.Main', 'a.b.C$D', 'Main_1']) expect(isClassName(name), name).toBe(true);
    // Whatever is put together of letters that a shell or a file system knows.
    const pick = generator(1);
    const letters = [...'aB1._$/\\;|&`\'" \n\0<>(){}*?!#~%\u202e'];
    for (let i = 0; i < 3000; i += 1) {
      const text = Array.from({ length: pick(12) }, () => choose(pick, letters)).join('');
      if (isAppId(text)) expect(text).toMatch(/^[\w.]+$/);
      if (isClassName(text)) expect(text).toMatch(/^[\w.$]+$/);
    }
  });
});

describe('a stand-in device', () => {
  it.each(IDS)('keeps nothing of a package that is called %j', async (id) => {
    const parent = temporaryFolder();
    const dir = join(parent, 'deep', 'device');
    const device = await startStandIn({ port: 0, dir, serial: 's', sdk: 36, state: 'device' });
    closing.push(() => device.close());
    const file = await packageNamed(id);
    const facts = await inspectPackage(file);
    const address = { host: '127.0.0.1', port: device.port };
    const error = await refused('device.refused', () =>
      installOnDevice({ address, file, facts, start: 'leave' }),
    );
    expect(error.message).toContain('INSTALL_PARSE_FAILED_BAD_PACKAGE_NAME');
    expect(readdirSync(dir)).toEqual([]);
    expect(readdirSync(parent)).toEqual(['deep']);
  });

  it('begins anew, clearly, where what it kept was changed by hand', async () => {
    for (const text of ['{"__proto__": 5}', '[1]', '{"a.b": {"id": "../x"}}', '5', '{"a.b": null}']) {
      const dir = temporaryFolder();
      writeFileSync(join(dir, 'installed.json'), text);
      await refused('device.damaged', () =>
        startStandIn({ port: 0, dir, serial: 's', sdk: 36, state: 'device' }),
      );
    }
  });

  it('takes no more from a client than it can put away', async () => {
    const received: ByteStream[] = [];
    const server = createServer((socket) => received.push(new ByteStream(socket)));
    await new Promise<void>((resolve) => {
      server.listen(0, '127.0.0.1', resolve);
    });
    const { port } = server.address() as { port: number };
    const client: Socket = connect(port, '127.0.0.1');
    closing.push(
      () => client.destroy(),
      () => server.close(),
    );
    client.on('error', () => undefined);
    const piece = Buffer.alloc(1024 * 1024);
    let taken = 0;
    const pump = () => {
      while (taken < 256 && client.write(piece)) taken += 1;
    };
    client.on('drain', () => {
      taken += 1;
      pump();
    });
    client.once('connect', pump);
    await new Promise((resolve) => setTimeout(resolve, 400));
    // Some of it is in the system's own buffers.
    expect(taken).toBeLessThan(32);
    const read = await received[0]?.read(3 * 1024 * 1024);
    expect(read?.length).toBe(3 * 1024 * 1024);
  });
});

/** A bridge that answers as it is told, and notes what it is asked. */
async function bridge(
  answer: (service: string, socket: Socket) => void,
  /** Long where an answer is expected: the machine may be busy. */
  patience = 20_000,
): Promise<{ address: { host: string; port: number; patience: number }; asked: string[] }> {
  const asked: string[] = [];
  const server = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.on('data', (bytes: Buffer) => {
      const service = /^[0-9a-f]{4}(.*)/s.exec(bytes.toString('latin1'))?.[1];
      if (service === undefined) return;
      asked.push(service);
      answer(service, socket);
    });
  });
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  closing.push(() => server.close());
  return {
    address: { host: '127.0.0.1', port: (server.address() as { port: number }).port, patience },
    asked,
  };
}

/** Milliseconds that a bridge gets that will not answer. */
const SHORT = 300;

const block = (text: string) => `${text.length.toString(16).padStart(4, '0')}${text}`;

/** Speaks as a bridge with one device does; `shell` answers what is run there. */
function device(shell: (command: string) => string) {
  return (service: string, socket: Socket) => {
    if (service === 'host:devices-l') socket.end(`OKAY${block('one device model:One\n')}`);
    else if (service.startsWith('host:transport:')) socket.write('OKAY');
    else if (service.startsWith('exec:')) {
      // As a device does: it answers when it has the whole package.
      let missing = Number(/ -S (\d+)/.exec(service)?.[1]);
      socket.on('data', (bytes: Buffer) => {
        missing -= bytes.length;
        if (missing <= 0) socket.end('Success\n');
      });
      socket.write('OKAY');
    } else if (service.startsWith('shell:')) socket.end(`OKAY${shell(service.slice(6))}`);
  };
}

describe('hull install', () => {
  it.each(CLASSES)('never hands the class name %j to a shell', async (name) => {
    const { address, asked } = await bridge(
      device((command) => (command.startsWith('getprop') ? '36\n' : 'Starting: Intent\n')),
    );
    const file = await packageNamed('example.saltmarsh.ferry', name);
    const facts = await inspectPackage(file);
    const report = await installOnDevice({ address, file, facts, start: 'start' });
    expect(report.started).toBe(false);
    expect(asked.filter((service) => service.startsWith('shell:am'))).toEqual([]);
  });

  it('takes an app for started only where the device says so', async () => {
    const file = await packageNamed('example.saltmarsh.ferry', 'a.b.Main$Page');
    const facts = await inspectPackage(file);
    const answers: [string, boolean][] = [
      ['Starting: Intent { cmp=a/b }\n', true],
      ['Starting: Intent { cmp=a/b }\nError: Activity class does not exist.\n', false],
      ['/system/bin/sh: am: not found\n', false],
      ['', false],
      ['Killed\n', false],
    ];
    for (const [answer, started] of answers) {
      const { address, asked } = await bridge(
        device((command) => (command.startsWith('getprop') ? '36\n' : answer)),
      );
      expect((await installOnDevice({ address, file, facts, start: 'start' })).started, answer).toBe(started);
      expect(asked).toContain("shell:am start -n 'example.saltmarsh.ferry/a.b.Main$Page'");
    }
  });

  it('gives up on a bridge that says nothing', async () => {
    const silent = await bridge(() => undefined, SHORT);
    await refused('device.silent', () => listDevices(silent.address));
    const half = await bridge((_service, socket) => socket.write('OK'), SHORT);
    await refused('device.silent', () => listDevices(half.address));
    const listing = await bridge((_service, socket) => socket.write('OKAY00ff'), SHORT);
    await refused('device.silent', () => listDevices(listing.address));
    const stuck = await bridge((service, socket) => {
      if (service === 'host:devices-l') socket.end(`OKAY${block('one device model:One\n')}`);
      else socket.write('OKAY');
    }, SHORT);
    const file = await packageNamed('example.saltmarsh.ferry');
    const facts = await inspectPackage(file);
    await refused('device.silent', () =>
      installOnDevice({ address: stuck.address, file, facts, start: 'leave' }),
    );
    expect(existsSync(file)).toBe(true);
  });
});
