import type { ByteStream } from '../core/net/byte-stream.js';
import { openService } from '../core/platforms/android/bridge/bridge.js';
import { type DeviceServer, serveDevice } from './device-server.js';

/**
 * A device's own end of the debug bridge, as a server of the bridge connects to it over the network (`adb connect`): messages of six
 * little-endian words and their data (Android platform sources, "protocol.txt"). Each stream becomes a connection to the simulated device.
 */

const HEADER = 24;
const CONNECT = 0x4e584e43;
const OPEN = 0x4e45504f;
const READY = 0x59414b4f;
const WRITE = 0x45545257;
const CLOSE = 0x45534c43;
/** From this version on the sum of the data is not checked. */
const VERSION = 0x01000001;
/** Bytes of data in one message. */
const MOST_DATA = 256 * 1024;
const BANNER =
  'device::ro.product.name=stand_in;ro.product.model=Stand_in;ro.product.device=stand_in;features=cmd';

interface Message {
  readonly command: number;
  readonly first: number;
  readonly second: number;
  readonly data: Buffer;
}

function encode(command: number, first: number, second: number, data: Uint8Array = Buffer.alloc(0)): Buffer {
  const header = Buffer.alloc(HEADER);
  const sum = data.reduce((total, byte) => (total + byte) >>> 0, 0);
  [command, first, second, data.length, sum, (command ^ 0xffffffff) >>> 0].forEach((word, index) => {
    header.writeUInt32LE(word >>> 0, index * 4);
  });
  return Buffer.concat([header, data]);
}

/** @returns `undefined` at the end. @throws for what is no message */
async function readMessage(stream: ByteStream): Promise<Message | undefined> {
  const header = await stream.read(HEADER);
  if (!header) return undefined;
  const [command = 0, first = 0, second = 0, length = 0, , magic] = [0, 4, 8, 12, 16, 20].map((at) =>
    header.readUInt32LE(at),
  );
  if (magic !== (command ^ 0xffffffff) >>> 0 || length > MOST_DATA)
    throw new Error('not a message of the bridge');
  const data = length === 0 ? Buffer.alloc(0) : await stream.read(length);
  return data && { command, first, second, data };
}

/** One service on the device, as a stream within the connection. */
interface Service {
  readonly far: ByteStream;
  /** Told when the other side can take more. */
  ready: () => void;
}

export interface TransportOptions {
  readonly port: number;
  /** The simulated device that answers. */
  readonly device: { readonly port: number; readonly serial: string };
}

class Connection {
  readonly #stream: ByteStream;
  readonly #device: TransportOptions['device'];
  readonly #services = new Map<number, Service>();
  #last = 0;

  constructor(stream: ByteStream, device: TransportOptions['device']) {
    this.#stream = stream;
    this.#device = device;
  }

  async serve(): Promise<void> {
    this.#stream.patience = undefined;
    try {
      for (let one = await readMessage(this.#stream); one; one = await readMessage(this.#stream))
        await this.#take(one);
    } finally {
      for (const { far } of this.#services.values()) far.close();
    }
  }

  async #take({ command, first, second, data }: Message): Promise<void> {
    switch (command) {
      case CONNECT:
        await this.#stream.write(encode(CONNECT, VERSION, MOST_DATA, Buffer.from(`${BANNER}\0`)));
        break;
      case OPEN:
        void this.#open(first, data.toString('utf8').replace(/\0$/, ''));
        break;
      case WRITE:
        // What was written is taken before more is asked for.
        void this.#services
          .get(second)
          ?.far.write(data)
          .then(() => this.#stream.write(encode(READY, second, first)))
          .catch(() => undefined);
        break;
      case READY:
        this.#services.get(second)?.ready();
        break;
      case CLOSE:
        this.#services.get(second)?.far.close();
        this.#services.delete(second);
        break;
    }
  }

  async #open(remote: number, name: string): Promise<void> {
    const { port, serial } = this.#device;
    let far: ByteStream;
    try {
      far = await openService({ host: '127.0.0.1', port }, serial, name);
    } catch {
      await this.#stream.write(encode(CLOSE, 0, remote)).catch(() => undefined);
      return;
    }
    far.patience = undefined;
    this.#last += 1;
    const own = this.#last;
    const service: Service = { far, ready: () => undefined };
    this.#services.set(own, service);
    try {
      await this.#stream.write(encode(READY, own, remote));
      for (let piece = await far.some(MOST_DATA); piece; piece = await far.some(MOST_DATA)) {
        const taken = new Promise<void>((resolve) => {
          service.ready = resolve;
        });
        await this.#stream.write(encode(WRITE, own, remote, piece));
        await taken;
      }
      await this.#stream.write(encode(CLOSE, own, remote));
    } catch {
      // One side is gone; the other learns it.
    } finally {
      far.close();
      this.#services.delete(own);
    }
  }
}

/** Lets a server of the bridge connect to a simulated device. Throws `device.port-taken`. */
export function serveTransport({ port, device }: TransportOptions): Promise<DeviceServer> {
  return serveDevice(port, (stream) => new Connection(stream, device).serve(), 'Choose another port.');
}
