import { WebSocket } from 'ws';
import { asText, isObject, type JsonObject } from '../util/json-object.js';

/** The protocol by which a Chromium, or a web view of its kind, is inspected from outside: JSON over HTTP and WebSockets. */

/** Something that can be inspected. */
export interface InspectedPage {
  readonly id: string;
  /** `page`, `service_worker`, `iframe`, … */
  readonly type: string;
  readonly title: string;
  readonly url: string;
}

/** Milliseconds that an answer may take. A page that computes without end answers nothing. */
const PATIENCE = 10_000;
const LONGEST_LIST = 4 * 1024 * 1024;
/** Bytes of one message: a picture of a large page, or the source of a script. */
const LONGEST_MESSAGE = 128 * 1024 * 1024;

/**
 * What can be inspected behind a port on loopback.
 *
 * @throws where nothing answers there, or not in this protocol
 */
export async function listInspectedPages(port: number): Promise<InspectedPage[]> {
  const answer = await fetch(`http://127.0.0.1:${port}/json/list`, {
    signal: AbortSignal.timeout(PATIENCE),
  });
  const body = await answer.text();
  if (!answer.ok || body.length > LONGEST_LIST)
    throw new Error(`The list of pages came with ${answer.status}.`);
  const list: unknown = JSON.parse(body);
  if (!Array.isArray(list)) throw new Error('The list of pages is not a list.');
  return list
    .filter(isObject)
    .flatMap(({ id, type, title, url }): InspectedPage[] =>
      typeof id === 'string' && /^[\w-]+$/.test(id)
        ? [{ id, type: asText(type), title: asText(title), url: asText(url) }]
        : [],
    );
}

const socketAddress = (port: number, id: string): string => `127.0.0.1:${port}/devtools/page/${id}`;

/** What a Chromium on this computer opens to inspect a page with its own tools. */
export const inspectorAddress = (port: number, id: string): string =>
  `devtools://devtools/bundled/inspector.html?ws=${socketAddress(port, id)}`;

interface Waiting {
  readonly done: (result: JsonObject) => void;
  readonly failed: (error: Error) => void;
}

/** A connection to one page. */
export class Inspection {
  readonly #socket: WebSocket;
  readonly #waiting = new Map<number, Waiting>();
  #last = 0;

  private constructor(
    socket: WebSocket,
    onEvent: (method: string, params: JsonObject) => void,
    onEnd: () => void,
  ) {
    this.#socket = socket;
    socket.on('message', (data) => this.#take(String(data), onEvent));
    // What follows an error is the end.
    socket.on('error', () => undefined);
    socket.on('close', () => {
      for (const { failed } of this.#waiting.values()) failed(new Error('The connection ended.'));
      this.#waiting.clear();
      onEnd();
    });
  }

  /**
   * Connects to a page.
   *
   * @throws where it is gone, or is inspected by someone who shares it with nobody
   */
  static async open(
    port: number,
    id: string,
    onEvent: (method: string, params: JsonObject) => void,
    onEnd: () => void,
  ): Promise<Inspection> {
    const socket = new WebSocket(`ws://${socketAddress(port, id)}`, {
      maxPayload: LONGEST_MESSAGE,
      handshakeTimeout: PATIENCE,
      perMessageDeflate: false,
    });
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve);
      socket.once('error', reject);
    });
    return new Inspection(socket, onEvent, onEnd);
  }

  #take(message: string, onEvent: (method: string, params: JsonObject) => void): void {
    let said: unknown;
    try {
      said = JSON.parse(message);
    } catch {
      return;
    }
    if (!isObject(said)) return;
    const { id, method, params, result, error } = said;
    if (typeof method === 'string') {
      onEvent(method, isObject(params) ? params : {});
      return;
    }
    const waiting = typeof id === 'number' ? this.#waiting.get(id) : undefined;
    if (waiting === undefined) return;
    this.#waiting.delete(id as number);
    if (isObject(error)) waiting.failed(new Error(asText(error.message)));
    else waiting.done(isObject(result) ? result : {});
  }

  /** Asks for something. Rejects with what the page says, where the connection ends, and after ten seconds. */
  send(method: string, params: JsonObject = {}): Promise<JsonObject> {
    this.#last += 1;
    const id = this.#last;
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => {
        this.#waiting.delete(id);
        reject(new Error(`No answer to ${method}.`));
      }, PATIENCE);
      this.#waiting.set(id, {
        done: (result) => {
          clearTimeout(timer);
          resolve(result);
        },
        failed: (error) => {
          clearTimeout(timer);
          reject(error);
        },
      });
      this.#socket.send(JSON.stringify({ id, method, params }), (error) => {
        if (error) this.#waiting.get(id)?.failed(error);
      });
    });
  }

  close(): void {
    this.#socket.terminate();
  }
}
