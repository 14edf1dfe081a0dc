import { connect, type Socket } from 'node:net';

/** A TCP connection that is read in exact pieces. */
export class ByteStream {
  readonly #socket: Socket;
  readonly #chunks: Buffer[] = [];
  #length = 0;
  #ended = false;
  #fault: Error | undefined;
  #wake: (() => void) | undefined;

  constructor(socket: Socket) {
    this.#socket = socket;
    socket.on('data', (chunk: Buffer) => {
      this.#chunks.push(chunk);
      this.#length += chunk.length;
      this.#wake?.();
    });
    const end = (error?: Error) => {
      this.#ended = true;
      if (error instanceof Error) this.#fault ??= error;
      this.#wake?.();
    };
    socket.on('end', () => end());
    socket.on('close', () => end());
    socket.on('error', end);
  }

  /** Connects; rejects with the system's error where nothing listens. */
  static open(host: string, port: number): Promise<ByteStream> {
    return new Promise((resolve, reject) => {
      const socket = connect({ host, port, noDelay: true });
      socket.once('error', reject);
      socket.once('connect', () => {
        socket.off('error', reject);
        resolve(new ByteStream(socket));
      });
    });
  }

  async #more(): Promise<boolean> {
    if (this.#ended) return false;
    await new Promise<void>((resolve) => {
      this.#wake = resolve;
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
    while (this.#length < count) if (!(await this.#more())) return undefined;
    return this.#take(count);
  }

  /** Whatever has come, at least one byte; `undefined` at the end. */
  async some(most = Number.POSITIVE_INFINITY): Promise<Buffer | undefined> {
    while (this.#length === 0) if (!(await this.#more())) return undefined;
    return this.#take(Math.min(this.#length, most));
  }

  /** Everything up to the end, `most` bytes of it. */
  async rest(most: number): Promise<Buffer> {
    while (this.#length < most && (await this.#more()));
    return this.#take(Math.min(this.#length, most));
  }

  /** Writes, and waits until the other side can take more. Rejects where it went away. */
  write(bytes: Uint8Array | string): Promise<void> {
    return new Promise((resolve, reject) => {
      if (this.#fault || this.#ended) {
        reject(this.#fault ?? new Error('the connection was closed'));
        return;
      }
      this.#socket.write(bytes, (error) => (error ? reject(error) : resolve()));
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
