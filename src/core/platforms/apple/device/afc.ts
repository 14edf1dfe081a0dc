import { open } from 'node:fs/promises';
import { HullError } from '../../../errors.js';
import type { ByteStream } from '../../../net/byte-stream.js';
import { breach, gone, heard } from './faults.js';

/** Operations of the file service (AFC). */
export const AFC = {
  status: 0x01,
  data: 0x02,
  remove: 0x08,
  makeFolder: 0x09,
  fileInfo: 0x0a,
  deviceInfo: 0x0b,
  open: 0x0d,
  opened: 0x0e,
  write: 0x10,
  close: 0x14,
} as const;

/** Results of an operation. */
export const AFC_STATUS = {
  ok: 0,
  badHandle: 7,
  notFound: 8,
  denied: 10,
  exists: 16,
  noSpace: 18,
  unknown: 1,
  unsupported: 15,
} as const;

/** Write only: makes the file, and empties one that is there. */
export const AFC_WRITE_ONLY = 3n;

const MAGIC = 'CFA6LPAA';
export const AFC_HEAD_SIZE = 40;
/** Bytes of a message that is read: pieces of a file are smaller. */
const MOST_MESSAGE = 8 * 1024 * 1024;
const PIECE = 1024 * 1024;

export interface AfcMessage {
  readonly operation: number;
  readonly number: number;
  /** What the operation says: paths, handles. */
  readonly data: Buffer;
  /** Bytes of a file. */
  readonly payload: Buffer;
}

/** A message: a magic word; lengths of the whole and without the payload; number; operation: 64 bits each, little-endian. */
export function encodeAfc(
  operation: number,
  number: number,
  data: Uint8Array,
  payload: Uint8Array = new Uint8Array(),
): Uint8Array {
  const head = Buffer.alloc(AFC_HEAD_SIZE);
  head.write(MAGIC);
  const own = AFC_HEAD_SIZE + data.length;
  for (const [index, value] of [own + payload.length, own, number, operation].entries())
    head.writeBigUInt64LE(BigInt(value), 8 + 8 * index);
  return Buffer.concat([head, data, payload]);
}

/** The next message; `undefined` where the other side ended. Throws `device.protocol`. */
export async function readAfc(stream: ByteStream): Promise<AfcMessage | undefined> {
  const head = await stream.read(AFC_HEAD_SIZE);
  if (!head) return undefined;
  const [whole, own, number, operation] = [8, 16, 24, 32].map((at) => head.readBigUInt64LE(at)) as [
    bigint,
    bigint,
    bigint,
    bigint,
  ];
  const isSound = own >= AFC_HEAD_SIZE && own <= whole && whole <= MOST_MESSAGE;
  if (head.toString('latin1', 0, MAGIC.length) !== MAGIC || !isSound)
    throw breach('a message of the file service with wrong lengths');
  const data = await stream.read(Number(own) - AFC_HEAD_SIZE);
  const payload = data && (await stream.read(Number(whole - own)));
  return data && payload && { operation: Number(operation), number: Number(number), data, payload };
}

const number64 = (value: bigint) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64LE(value);
  return bytes;
};
const path = (text: string) => Buffer.from(`${text}\0`, 'utf8');

/** Files of a device that programs on a computer may see. */
export class DeviceFiles {
  readonly #stream: ByteStream;
  #number = 0;

  constructor(stream: ByteStream) {
    this.#stream = stream;
  }

  async #ask(operation: number, data: Uint8Array, payload?: Uint8Array): Promise<AfcMessage> {
    const what = 'the package was sent';
    return heard(what, async () => {
      const number = this.#number++;
      await this.#stream.write(encodeAfc(operation, number, data, payload));
      const answer = await readAfc(this.#stream);
      if (!answer) throw gone(what);
      if (answer.number !== number) throw breach('an answer to something that was not asked');
      return answer;
    });
  }

  async #do(operation: number, data: Uint8Array, payload?: Uint8Array): Promise<AfcMessage> {
    const answer = await this.#ask(operation, data, payload);
    const status = statusOf(answer);
    if (status === AFC_STATUS.ok) return answer;
    throw new HullError(
      'device.refused',
      status === AFC_STATUS.noSpace
        ? 'The device has no room left.'
        : `The device does not take the file (status ${status}).`,
      {
        fix:
          status === AFC_STATUS.noSpace
            ? 'Free some space on it.'
            : 'Unlock the device, unplug it and plug it in again, and run the command again.',
      },
    );
  }

  /** Bytes that are free; `undefined` where the device does not say. */
  async freeSpace(): Promise<number | undefined> {
    const answer = await this.#ask(AFC.deviceInfo, Buffer.alloc(0));
    if (answer.operation !== AFC.data) return undefined;
    const words = Buffer.concat([answer.data, answer.payload]).toString('utf8').split('\0');
    const free = words[words.indexOf('FSFreeBytes') + 1];
    return words.includes('FSFreeBytes') && /^\d{1,15}$/.test(free ?? '') ? Number(free) : undefined;
  }

  /** Makes a folder; one that is there stays as it is. */
  async makeFolder(folder: string): Promise<void> {
    const answer = await this.#ask(AFC.makeFolder, path(folder));
    if (statusOf(answer) === AFC_STATUS.exists) return;
    if (statusOf(answer) !== AFC_STATUS.ok) await this.#do(AFC.makeFolder, path(folder));
  }

  /** Removes a file, where it is still there. */
  async remove(file: string): Promise<void> {
    await this.#ask(AFC.remove, path(file));
  }

  /**
   * Copies a file of this computer to the device.
   *
   * @param onProgress called with bytes sent
   * @throws HullError `device.*`
   */
  async upload(
    from: string,
    to: string,
    onProgress: (done: number) => void,
    signal: AbortSignal | undefined,
  ): Promise<void> {
    const answer = await this.#do(AFC.open, Buffer.concat([number64(AFC_WRITE_ONLY), path(to)]));
    if (answer.operation !== AFC.opened || answer.data.length < 8) throw breach('a file without a handle');
    const handle = answer.data.subarray(0, 8);
    const file = await open(from, 'r');
    try {
      const piece = Buffer.alloc(PIECE);
      for (let done = 0; ; ) {
        signal?.throwIfAborted();
        const { bytesRead } = await file.read(piece, 0, PIECE, done);
        if (bytesRead === 0) break;
        await this.#do(AFC.write, handle, piece.subarray(0, bytesRead));
        done += bytesRead;
        onProgress(done);
      }
      await this.#do(AFC.close, handle);
    } finally {
      await file.close();
    }
  }
}

/** The status that an answer carries; any other answer is one that went well. */
function statusOf({ operation, data }: AfcMessage): number {
  if (operation !== AFC.status) return AFC_STATUS.ok;
  return data.length < 8 ? AFC_STATUS.unknown : Number(data.readBigUInt64LE());
}
