import { existsSync } from 'node:fs';
import { HullError, systemErrorCode, task, withTasks } from '../../../errors.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import { dictIn, isDict, type PlistDict, type PlistValue, stringIn } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { ByteStream, type StreamAddress } from '../../../net/byte-stream.js';
import { breach, gone, heard } from './faults.js';

/** Where the system's service for devices on USB listens (usbmuxd), and how long it may take to answer. */
export interface MuxAddress {
  readonly at: StreamAddress;
  /** Milliseconds; 20 seconds where nothing is said. */
  readonly patience?: number;
}

/** A device on a cable or in the network. */
export interface AppleDevice {
  /** By which this service calls it until it is unplugged. */
  readonly id: number;
  /** UDID. */
  readonly serial: string;
  readonly connection: 'usb' | 'network';
}

const PATIENCE = 20_000;
const SOCKET_FILE = '/var/run/usbmuxd';
/** Port of the service on Windows. */
export const MUX_PORT = 27_015;

const HEAD_SIZE = 16;
const VERSION = 1;
const PLIST = 8;
const MOST_MESSAGE = 1024 * 1024;
/** Results of a request. */
const RESULT = { ok: 0, noDevice: 2, refused: 3 } as const;
const DEVICE_SERIAL = /^[0-9A-Za-z-]{8,64}$/;

/**
 * Where the service listens: the system's own socket; where there is none, the port that Windows has for it, and at which a
 * simulated device listens.
 */
export function defaultMuxAddress(): StreamAddress {
  const hasSocket = process.platform !== 'win32' && existsSync(SOCKET_FILE);
  return hasSocket ? { path: SOCKET_FILE } : { host: '127.0.0.1', port: MUX_PORT };
}

/** An address as people write it: `UNIX:/path`, `/path` or `host:port`; `undefined` where it is none. */
export function readMuxAddress(text: string): StreamAddress | undefined {
  const path = /^(?:UNIX:)?(\/.+)$/i.exec(text)?.[1];
  if (path !== undefined) return { path };
  const match = /^([\w.-]+|\[[0-9a-fA-F:]+\]):(\d{1,5})$/.exec(text);
  const port = Number(match?.[2]);
  if (!match || port < 1 || port > 65_535) return undefined;
  return { host: (match[1] as string).replaceAll(/[[\]]/g, ''), port };
}

export const shownAddress = (at: StreamAddress): string => ('path' in at ? at.path : `${at.host}:${at.port}`);

/** A message: length, version, kind and tag, each four bytes, little-endian; then a property list. */
export function encodeMuxMessage(message: PlistDict, tag: number): Uint8Array {
  const bytes = writeXmlPlist(message);
  const whole = Buffer.alloc(HEAD_SIZE + bytes.length);
  for (const [index, value] of [whole.length, VERSION, PLIST, tag].entries())
    whole.writeUInt32LE(value, index * 4);
  whole.set(bytes, HEAD_SIZE);
  return whole;
}

/** The next message; `undefined` where the other side ended. Throws `device.protocol`, `plist.malformed`. */
export async function readMuxMessage(
  stream: ByteStream,
): Promise<{ readonly message: PlistDict; readonly tag: number } | undefined> {
  const head = await stream.read(HEAD_SIZE);
  if (!head) return undefined;
  const length = head.readUInt32LE(0);
  if (length < HEAD_SIZE || length > MOST_MESSAGE) throw breach(`a message of ${length} bytes`);
  const bytes = await stream.read(length - HEAD_SIZE);
  return bytes && { message: readPlistDict(bytes), tag: head.readUInt32LE(12) };
}

/** A port as a request names it: its two bytes are in the network's order. */
export const swapPort = (port: number): number => ((port & 0xff) << 8) | (port >> 8);

async function connected({ at, patience = PATIENCE }: MuxAddress): Promise<ByteStream> {
  try {
    return await ByteStream.open(at, patience);
  } catch (error) {
    const isDenied = systemErrorCode(error) === 'EACCES';
    throw new HullError(
      'device.no-usbmuxd',
      isDenied
        ? `You may not use the service for Apple devices at ${shownAddress(at)}.`
        : `No service for Apple devices answers at ${shownAddress(at)}.`,
      {
        fix: withTasks`On Linux, install and start usbmuxd and plug the device in; on Windows, install Apple’s device support; macOS has it. Or start a simulated device (${task('startAppleDevice')}) and name its address.`,
        cause: error,
      },
    );
  }
}

async function exchange(stream: ByteStream, type: string, more: PlistDict): Promise<PlistDict> {
  const what = 'the service for Apple devices was asked';
  return heard(what, async () => {
    await stream.write(
      encodeMuxMessage(
        { MessageType: type, ProgName: 'hull', ClientVersionString: 'hull', kLibUSBMuxVersion: 3, ...more },
        1,
      ),
    );
    const answer = await readMuxMessage(stream);
    if (!answer) throw gone(what);
    return answer.message;
  });
}

async function ask(address: MuxAddress, type: string, more: PlistDict = {}): Promise<PlistDict> {
  const stream = await connected(address);
  try {
    return await exchange(stream, type, more);
  } finally {
    stream.close();
  }
}

function readDevice(entry: PlistValue): AppleDevice[] {
  const properties = isDict(entry) ? dictIn(entry, 'Properties') : {};
  const { DeviceID: id } = properties;
  const serial = stringIn(properties, 'SerialNumber');
  if (typeof id !== 'number' || serial === undefined || !DEVICE_SERIAL.test(serial)) return [];
  return [{ id, serial, connection: properties.ConnectionType === 'Network' ? 'network' : 'usb' }];
}

/** Devices that are attached; one that is there by cable and in the network counts once, by its cable. Throws `device.*`. */
export async function listAppleDevices(address: MuxAddress): Promise<AppleDevice[]> {
  const { DeviceList: list } = await ask(address, 'ListDevices');
  if (!Array.isArray(list)) throw breach('it lists no devices');
  const found = list.flatMap((entry: PlistValue) => readDevice(entry));
  return found.filter(
    (one) =>
      one.connection === 'usb' ||
      !found.some(({ serial, connection }) => serial === one.serial && connection === 'usb'),
  );
}

/** Opens a connection to a port of a device. Throws `device.gone`, `device.refused`, `device.*`. */
export async function connectToDevice(
  address: MuxAddress,
  device: AppleDevice,
  port: number,
): Promise<ByteStream> {
  const stream = await connected(address);
  try {
    const { Number: result } = await exchange(stream, 'Connect', {
      DeviceID: device.id,
      PortNumber: swapPort(port),
    });
    if (result === RESULT.ok) return stream;
    if (result === RESULT.noDevice) throw gone('it was connected to');
    throw new HullError('device.refused', `The device does not take a connection to port ${port}.`, {
      fix: 'Unlock the device, unplug it and plug it in again, and run the command again.',
    });
  } catch (error) {
    stream.close();
    throw error;
  }
}

/** The name of this computer's service, which pairings carry. */
export async function readSystemId(address: MuxAddress): Promise<string> {
  return stringIn(await ask(address, 'ReadBUID'), 'BUID') ?? '';
}

/** What this computer keeps of its pairing with a device; `undefined` where they never met. */
export async function readPairRecord(address: MuxAddress, serial: string): Promise<PlistDict | undefined> {
  const { PairRecordData: data } = await ask(address, 'ReadPairRecord', { PairRecordID: serial });
  return data instanceof Uint8Array ? readPlistDict(data) : undefined;
}

/** Keeps a pairing, for every program of this computer. Throws `device.refused`. */
export async function savePairRecord(
  address: MuxAddress,
  device: AppleDevice,
  record: PlistDict,
): Promise<void> {
  const { Number: result } = await ask(address, 'SavePairRecord', {
    PairRecordID: device.serial,
    PairRecordData: writeXmlPlist(record),
    DeviceID: device.id,
  });
  if (result === RESULT.ok) return;
  throw new HullError('device.refused', 'The service for Apple devices does not keep the pairing.', {
    fix: 'Look whether it may write in its own folder, and run the command again.',
  });
}
