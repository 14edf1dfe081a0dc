import { connect, type Socket } from 'node:net';

/** Where a server listens: a TCP port, or a socket in the file system. */
export type StreamAddress = { readonly host: string; readonly port: number } | { readonly path: string };

/** Bytes that are kept unread before the other side is made to wait. */
const MOST_UNREAD = 1024 * 1024;

/** The other side said nothing for too long. */
export class SilentPeer extends Error {}

/** A connection that is read in exact pieces. It takes no more than it is asked for, but for a little. */
export class ByteStream {
  readonly #socket: Socket;
  readonly #chunks: Buffer[] = [];
  #length = 0;
  #ended = false;
  #fault: Error | undefined;
  #wake: (() => void) | undefined;
  /** Bytes that the present reader needs. */
  #wanted = 0;
  /** Milliseconds that a reader waits for the other side to say something; for ever where undefined. */
  patience: number | undefined;
  readonly #listeners: Readonly<Record<string, (given?: unknown) => void>>;

  constructor(socket: Socket, patience?: number) {
    this.#socket = socket;
    this.patience = patience;
    const end = (error?: unknown) => {
      this.#ended = true;
      if (error instanceof Error) this.#fault ??= error;
      this.#wake?.();
    };
    this.#listeners = {
      data: (chunk) => {
        this.#chunks.push(chunk as Buffer);
        this.#length += (chunk as Buffer).length;
        if (this.#length > Math.max(MOST_UNREAD, this.#wanted)) socket.pause();
        this.#wake?.();
      },
      end: () => end(),
      close: () => end(),
      error: end,
    };
    for (const [event, listener] of Object.entries(this.#listeners)) socket.on(event, listener);
  }

  /** Gives the connection away, with what nobody has read; this stream is of no use afterwards. */
  release(): Socket {
    for (const [event, listener] of Object.entries(this.#listeners)) this.#socket.off(event, listener);
    this.#socket.pause();
    if (this.#length > 0) this.#socket.unshift(this.#take(this.#length));
    return this.#socket;
  }

  /** Connects; rejects with the system's error where nothing listens, and with {@link SilentPeer} where nothing answers. */
  static open(address: StreamAddress, patience?: number): Promise<ByteStream> {
    return new Promise((resolve, reject) => {
      const socket = connect({ ...address, noDelay: true });
      const timer =
        patience === undefined
          ? undefined
          : setTimeout(() => socket.destroy(new SilentPeer('no connection came about')), patience);
      socket.once('error', (error) => {
        clearTimeout(timer);
        reject(error);
      });
      socket.once('connect', () => {
        clearTimeout(timer);
        socket.removeAllListeners('error');
        resolve(new ByteStream(socket, patience));
      });
    });
  }

  /** Waits for more bytes; false at the end. Rejects with {@link SilentPeer} where none come in time. */
  async #more(wanted: number): Promise<boolean> {
    if (this.#ended) return false;
    this.#wanted = wanted;
    this.#socket.resume();
    await new Promise<void>((resolve, reject) => {
      const timer =
        this.patience === undefined
          ? undefined
          : setTimeout(() => reject(new SilentPeer('nothing came')), this.patience);
      this.#wake = () => {
        clearTimeout(timer);
        resolve();
      };
      // The end may have come while nobody waited.
      if (this.#ended) this.#wake();
    });
    this.#wake = undefined;
    return true;
  }

  #take(count: number): Buffer {
    const all = this.#chunks.length === 1 ? (this.#chunks[0] as Buffer) : Buffer.concat(this.#chunks);
    this.#chunks.length = 0;
    if (all.length > count) this.#chunks.push(all.subarray(count));
    this.#length = all.length - count;
    return all.subarray(0, count);
  }

  /** Exactly so many bytes; `undefined` where the other side ended before. */
  async read(count: number): Promise<Buffer | undefined> {
    while (this.#length < count) if (!(await this.#more(count))) return undefined;
    return this.#take(count);
  }

  /** Whatever has come, at least one byte; `undefined` at the end. */
  async some(most = Number.POSITIVE_INFINITY): Promise<Buffer | undefined> {
    while (this.#length === 0) if (!(await this.#more(1))) return undefined;
    return this.#take(Math.min(this.#length, most));
  }

  /** Everything up to the end, `most` bytes of it. */
  async rest(most: number): Promise<Buffer> {
    while (this.#length < most && (await this.#more(most)));
    return this.#take(Math.min(this.#length, most));
  }

  /** Writes, and waits until the other side can take more. Rejects where it went away. */
  write(bytes: Uint8Array | string): Promise<void> {
    return new Promise((resolve, reject) => {
      if (this.#fault || this.#ended) {
        reject(this.#fault ?? new Error('the connection was closed'));
        return;
      }
      const timer =
        this.patience === undefined
          ? undefined
          : setTimeout(() => this.#socket.destroy(new SilentPeer('nothing was taken')), this.patience);
      this.#socket.write(bytes, (error) => {
        clearTimeout(timer);
        if (error) reject(error);
        else resolve();
      });
    });
  }

  /** Says that nothing more is sent. */
  finish(): void {
    this.#socket.end();
  }

  close(): void {
    this.#socket.destroy();
  }
}
