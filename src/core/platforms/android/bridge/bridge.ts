import { open, stat } from 'node:fs/promises';
import { HullError, systemErrorCode, task, withTasks } from '../../../errors.js';
import { ByteStream, SilentPeer } from '../../../net/byte-stream.js';

/** Where the platform's debug bridge listens. */
export interface BridgeAddress {
  readonly host: string;
  readonly port: number;
  /** Milliseconds that an answer may take; 20 seconds where nothing is said. */
  readonly patience?: number;
}

/** An attached device, as the bridge lists it. */
export interface AttachedDevice {
  readonly serial: string;
  /** `device`, `unauthorized`, `offline`, `bootloader`, … */
  readonly state: string;
  readonly model: string | undefined;
}

const MAX_ANSWER = 1024 * 1024;
const STATUS_LENGTH = 4;
/** Milliseconds that the bridge, and a device behind it, have for an answer. */
const PATIENCE = 20_000;
/** The same while a package is installed: a slow device compiles it. */
const INSTALL_PATIENCE = 300_000;

function gone(what: string, cause?: unknown): HullError {
  return new HullError('device.gone', `The device or the bridge went away while ${what}.`, {
    fix: 'Look whether the cable holds and the device is on, and run the command again.',
    cause,
  });
}

/** A request of the host protocol: four hexadecimal digits of length, then the service's name. */
export function encodeRequest(service: string): Uint8Array {
  const bytes = Buffer.from(service, 'utf8');
  return Buffer.concat([Buffer.from(bytes.length.toString(16).padStart(4, '0')), bytes]);
}

/** What work on a connection throws, with a word for the other side's silence. */
async function heard<T>(what: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof SilentPeer)) throw error;
    throw new HullError('device.silent', `The bridge or the device does not answer (${what}).`, {
      fix: 'Unplug the device and plug it in again, restart the bridge (adb kill-server), and run the command again.',
      cause: error,
    });
  }
}

async function readBlock(stream: ByteStream, what: string): Promise<string> {
  const digits = await stream.read(4);
  if (!digits) throw gone(what);
  const text = digits.toString('latin1');
  if (!/^[0-9a-fA-F]{4}$/.test(text)) throw notABridge(`a length of "${text}"`);
  const bytes = await stream.read(Number.parseInt(text, 16));
  if (!bytes) throw gone(what);
  return bytes.toString('utf8');
}

function notABridge(observed: string): HullError {
  return new HullError(
    'device.protocol',
    `What answers there does not speak the debug bridge's protocol: ${observed}.`,
    {
      fix: 'Check what listens on that port, or name another address.',
    },
  );
}

/**
 * Opens a connection and asks for a service; afterwards the connection is the service's own.
 *
 * @throws HullError `device.no-bridge`, `device.gone`, `device.protocol`, or from `refused` with what the bridge says
 */
async function ask(
  address: BridgeAddress,
  services: readonly string[],
  refused: (message: string, service: string) => HullError,
): Promise<ByteStream> {
  let stream: ByteStream;
  try {
    stream = await heard('connecting', () =>
      ByteStream.open({ host: address.host, port: address.port }, address.patience ?? PATIENCE),
    );
  } catch (error) {
    if (error instanceof HullError) throw error;
    throw new HullError('device.no-bridge', `No debug bridge answers at ${address.host}:${address.port}.`, {
      fix: withTasks`Start the platform’s (adb start-server) or a simulated device (${task('startDevice')}), or name another address.`,
      cause: error,
    });
  }
  try {
    await heard('asking', () => askInTurn(stream, services, refused));
    return stream;
  } catch (error) {
    stream.close();
    throw error;
  }
}

async function askInTurn(
  stream: ByteStream,
  services: readonly string[],
  refused: (message: string, service: string) => HullError,
): Promise<void> {
  for (const service of services) {
    await stream.write(encodeRequest(service)).catch((error: unknown) => {
      throw gone(`${service} was asked for`, error);
    });
    const status = await stream.read(STATUS_LENGTH);
    if (!status) throw gone(`${service} was asked for`);
    const word = status.toString('latin1');
    if (word === 'FAIL') throw refused(await readBlock(stream, 'it said why not'), service);
    if (word !== 'OKAY') throw notABridge(`"${word.replaceAll(/[^\x20-\x7e]/g, '·')}"`);
  }
}

const refusedByBridge = (message: string, service: string) =>
  new HullError('device.protocol', `The bridge refuses ${service}: ${message}.`, {
    fix: 'Bring the bridge up to date, or restart it: adb kill-server.',
  });

/** Devices that are attached, with their states. Throws `device.*`. */
export async function listDevices(address: BridgeAddress): Promise<AttachedDevice[]> {
  const stream = await ask(address, ['host:devices-l'], refusedByBridge);
  try {
    const text = await heard('listing the devices', () => readBlock(stream, 'it listed the devices'));
    return text.split('\n').flatMap((line) => {
      const match = /^(\S+)\s+(no permissions[^[]*|\S+)(.*)$/.exec(line.trim());
      if (!match) return [];
      const [, serial = '', state = '', rest = ''] = match;
      return [{ serial, state: state.trim(), model: /\bmodel:(\S+)/.exec(rest)?.[1]?.replaceAll('_', ' ') }];
    });
  } finally {
    stream.close();
  }
}

function deviceRefused(message: string, service: string): HullError {
  if (/unauthorized/i.test(message)) return unauthorized();
  if (/offline/i.test(message)) return offline();
  if (/not found|no devices/i.test(message)) return gone(`${service} was asked for`);
  return refusedByBridge(message, service);
}

function unauthorized(): HullError {
  return new HullError('device.unauthorized', 'The device does not trust this machine yet.', {
    fix: 'Unlock it and answer its question "Allow USB debugging?"; then run the command again.',
  });
}

function offline(): HullError {
  return new HullError('device.offline', 'The device is attached, and does not answer.', {
    fix: 'Unplug it and plug it in again; turn USB debugging off and on in its developer options.',
  });
}

/** The device that is meant: the one named, else the only one. Throws `device.*`. */
export function chooseDevice(devices: readonly AttachedDevice[], serial: string | undefined): AttachedDevice {
  const list = devices.map((one) => `${one.serial} (${one.state})`).join(', ');
  const found = serial === undefined ? devices : devices.filter((one) => one.serial === serial);
  if (serial !== undefined && found.length === 0) {
    throw new HullError(
      'device.unknown',
      `No device "${serial}" is attached${list === '' ? '' : `; there are: ${list}`}.`,
      {
        location: { option: 'device' },
        fix: 'Name one of those attached.',
      },
    );
  }
  const [one] = found;
  if (!one) {
    throw new HullError('device.none', 'No device is attached.', {
      fix: withTasks`Plug one in with USB debugging turned on (developer options), start an emulator, or try a simulated one: ${task('startDevice')}`,
    });
  }
  const ready = found.filter(({ state }) => state === 'device');
  if (found.length > 1 && ready.length !== 1) {
    throw new HullError('device.several', `Several devices are attached: ${list}.`, {
      location: { option: 'device' },
      fix: `Name one, such as ${ready[0]?.serial ?? one.serial}.`,
    });
  }
  const chosen = ready[0] ?? one;
  if (chosen.state === 'unauthorized') throw unauthorized();
  if (chosen.state === 'offline') throw offline();
  if (chosen.state !== 'device') {
    throw new HullError('device.offline', `The device is in the state "${chosen.state}".`, {
      fix: 'Start it as usual; no app can be installed in this state.',
    });
  }
  return chosen;
}

/** A service on a device, as a connection of its own. */
export function openService(address: BridgeAddress, serial: string, service: string): Promise<ByteStream> {
  return ask(address, [`host:transport:${serial}`, service], deviceRefused);
}

/** What a command on the device prints. Throws `device.*`. */
export async function runOnDevice(address: BridgeAddress, serial: string, command: string): Promise<string> {
  const stream = await openService(address, serial, `shell:${command}`);
  try {
    const said = await heard(`running ${command.split(' ')[0]}`, () => stream.rest(MAX_ANSWER));
    return said.toString('utf8').replaceAll('\r\n', '\n');
  } finally {
    stream.close();
  }
}

export interface SendRequest {
  readonly address: BridgeAddress;
  readonly serial: string;
  readonly file: string;
  readonly signal?: AbortSignal;
  /** Told bytes sent. */
  readonly onProgress?: (done: number, total: number) => void;
}

const CHUNK = 256 * 1024;

/**
 * Streams a package into the device's package manager (`cmd package install -S`), which grants nothing.
 *
 * @returns what the package manager says
 * @throws HullError `device.gone`, `disk.*`
 */
export async function streamInstall(request: SendRequest): Promise<string> {
  const { address, serial, file, signal, onProgress } = request;
  const { size } = await stat(file);
  const stream = await openService(address, serial, `exec:cmd package install -r -S ${size}`);
  const source = await open(file);
  try {
    const buffer = Buffer.alloc(CHUNK);
    let sent = 0;
    while (sent < size) {
      signal?.throwIfAborted();
      const { bytesRead } = await source.read(buffer, 0, CHUNK, sent);
      if (bytesRead === 0) throw gone('the package was read: it became shorter');
      try {
        await stream.write(Buffer.from(buffer.subarray(0, bytesRead)));
      } catch (error) {
        // A device that refuses early says why before it closes.
        const said = (await stream.rest(MAX_ANSWER)).toString('utf8').trim();
        if (/^Failure/.test(said)) return said;
        throw gone(`the package was sent (${systemErrorCode(error) ?? 'closed'})`, error);
      }
      sent += bytesRead;
      onProgress?.(sent, size);
    }
    stream.patience = address.patience ?? INSTALL_PATIENCE;
    const said = (await heard('installing', () => stream.rest(MAX_ANSWER))).toString('utf8').trim();
    if (said === '') throw gone('it installed the package');
    return said;
  } finally {
    await source.close();
    stream.close();
  }
}
