import { createHash, randomBytes } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, rename, rm } from 'node:fs/promises';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import type { Books } from './books.js';
import { Refusal } from './refusal.js';

/** A file that arrived whole: kept by its digests. */
export interface Arrived {
  readonly file: string;
  readonly size: number;
  readonly sha1: string;
  readonly sha256: string;
}

export interface SessionAnswer {
  readonly status: number;
  readonly body: unknown;
}

/** An upload that continues after a cut line ("Resumable uploads" of the publishing API). */
export interface Session {
  readonly id: string;
  readonly email: string;
  readonly size: number | undefined;
  readonly finish: (arrived: Arrived) => Promise<unknown>;
  readonly file: string;
  received: number;
  /** Once all arrived: the same answer whenever it is asked for. */
  answer: Promise<SessionAnswer> | undefined;
  /** One request writes at a time. */
  writing: Promise<void>;
}

async function digestsOf(file: string): Promise<{ sha1: string; sha256: string }> {
  const [short, long] = [createHash('sha1'), createHash('sha256')];
  for await (const piece of createReadStream(file, { highWaterMark: 1024 * 1024 })) {
    short.update(piece as Buffer);
    long.update(piece as Buffer);
  }
  return { sha1: short.digest('hex'), sha256: long.digest('hex') };
}

export class Uploads {
  readonly #books: Books;
  readonly #sessions = new Map<string, Session>();

  constructor(books: Books) {
    this.#books = books;
  }

  begin(email: string, size: number | undefined, finish: Session['finish']): Session {
    const id = randomBytes(12).toString('hex');
    const session: Session = {
      ...{ id, email, size, finish },
      file: join(this.#books.folder, 'files', `.${id}.part`),
      received: 0,
      answer: undefined,
      writing: Promise.resolve(),
    };
    this.#sessions.set(id, session);
    return session;
  }

  session(id: string): Session {
    const session = this.#sessions.get(id);
    if (session) return session;
    throw new Refusal(404, 'notFound', 'This upload session is not known, or has ended.');
  }

  /** Keeps a whole file that came in one piece. */
  async keep(stream: IncomingMessage, finish: Session['finish']): Promise<unknown> {
    const session = this.begin('', undefined, finish);
    await this.write(session, stream, 0);
    return this.#finish(session);
  }

  /**
   * Writes what comes behind what is there; where the line is cut, what arrived stays.
   *
   * @param from offset of the first byte, in bytes
   */
  async write(session: Session, stream: IncomingMessage, from: number): Promise<void> {
    if (from > session.received)
      throw new Refusal(
        400,
        'badRange',
        `The store has ${session.received} bytes, and these begin at ${from}.`,
      );
    const before = session.writing;
    let done: () => void = () => undefined;
    session.writing = new Promise((resolve) => {
      done = resolve;
    });
    await before;
    const handle = await open(session.file, session.received === 0 ? 'w' : 'r+');
    let at = from;
    try {
      for await (const piece of stream) {
        const bytes = piece as Buffer;
        // What is there already is not written again.
        const own = bytes.subarray(Math.max(0, session.received - at));
        at += bytes.length;
        if (own.length === 0) continue;
        await handle.write(own, 0, own.length, session.received);
        session.received += own.length;
      }
    } finally {
      await handle.close();
      done();
    }
  }

  /** The answer that ends a session, where all has arrived. */
  async answerOf(session: Session): Promise<SessionAnswer | undefined> {
    if (session.size === undefined || session.received < session.size) return undefined;
    session.answer ??= this.#finish(session).then((body) => ({ status: 200, body }));
    return session.answer;
  }

  async #finish(session: Session): Promise<unknown> {
    const digests = await digestsOf(session.file);
    const file = this.#books.fileOf(digests.sha256);
    await rename(session.file, file);
    return session.finish({ file, size: session.received, ...digests });
  }

  async close(): Promise<void> {
    for (const { file } of this.#sessions.values()) await rm(file, { force: true });
  }
}
