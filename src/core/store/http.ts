import { createReadStream } from 'node:fs';
import { type IncomingMessage, request as plainRequest, type RequestOptions } from 'node:http';
import { request as secureRequest } from 'node:https';
import { setTimeout as wait } from 'node:timers/promises';
import { HullError } from '../errors.js';

/** What a store answered. */
export interface StoreAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | undefined>>;
  readonly body: Buffer;
}

/** What is sent: JSON, a form, or a part of a file. */
export type StoreBody =
  | { readonly json: unknown }
  | { readonly form: Readonly<Record<string, string>> }
  | { readonly bytes: Uint8Array; readonly type: string }
  | { readonly file: string; readonly from: number; readonly size: number; readonly type: string };

export interface StoreCall {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: StoreBody | undefined;
  /** Called with the bytes of `body` that were handed to the connection. */
  readonly onSent?: ((bytes: number) => void) | undefined;
}

/** How a store is reached. */
export interface StoreAccess {
  readonly signal?: AbortSignal | undefined;
  /** Called before a call is made again, with why and after how many milliseconds. */
  readonly onRetry?: ((why: string, delay: number) => void) | undefined;
}

/** An answer of JSON is at most this long, in bytes. */
const MOST_BODY = 16 * 1024 * 1024;
/** ms without a byte in either direction. */
const IDLE = 60_000;
const PIECE = 512 * 1024;
/** Times that a call is made at most, and ms between them where the store names none. */
const ATTEMPTS = 6;
const FIRST_DELAY = 500;
const LONGEST_DELAY = 120_000;

/** The connection was lost or never made: whether the store has acted is not known. */
export class LineCut extends Error {
  constructor(cause: unknown) {
    super(cause instanceof Error ? cause.message : String(cause), { cause });
    this.name = 'LineCut';
  }
}

function encode(body: StoreBody | undefined): {
  readonly headers: Record<string, string>;
  readonly bytes?: Uint8Array;
} {
  if (body === undefined) return { headers: { 'content-length': '0' } };
  if ('file' in body) return { headers: { 'content-type': body.type, 'content-length': String(body.size) } };
  const [type, bytes] =
    'json' in body
      ? ['application/json; charset=utf-8', Buffer.from(JSON.stringify(body.json))]
      : 'form' in body
        ? ['application/x-www-form-urlencoded', Buffer.from(new URLSearchParams(body.form).toString())]
        : [body.type, body.bytes];
  return { headers: { 'content-type': type, 'content-length': String(bytes.length) }, bytes };
}

async function readBody(answer: IncomingMessage): Promise<Buffer> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of answer) {
    size += (part as Buffer).length;
    if (size > MOST_BODY) throw new Error(`the answer is longer than ${MOST_BODY} bytes`);
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts);
}

/** One call, once. Throws {@link LineCut}. */
export function callOnce(call: StoreCall, access: StoreAccess): Promise<StoreAnswer> {
  const url = new URL(call.url);
  const { headers, bytes } = encode(call.body);
  const options: RequestOptions = {
    method: call.method,
    headers: { accept: 'application/json', 'user-agent': 'jolly-hull', ...headers, ...call.headers },
    timeout: IDLE,
    ...(access.signal ? { signal: access.signal } : {}),
  };
  return new Promise((resolve, reject) => {
    const fail = (error: unknown) =>
      reject(
        access.signal?.aborted
          ? access.signal.reason
          : error instanceof HullError
            ? error
            : new LineCut(error),
      );
    const onAnswer = (answer: IncomingMessage) => {
      readBody(answer).then(
        (body) =>
          resolve({
            status: answer.statusCode ?? 0,
            headers: answer.headers as StoreAnswer['headers'],
            body,
          }),
        fail,
      );
    };
    const request =
      url.protocol === 'https:'
        ? secureRequest(url, options, onAnswer)
        : plainRequest(url, options, onAnswer);
    request.on('timeout', () => request.destroy(new Error('nothing came for a minute')));
    request.on('error', fail);
    const { body } = call;
    if (body && 'file' in body) {
      const stream = createReadStream(body.file, {
        start: body.from,
        end: body.from + body.size - 1,
        highWaterMark: PIECE,
      });
      let sent = 0;
      stream.on('data', (piece) => {
        sent += piece.length;
        call.onSent?.(sent);
      });
      stream.on('error', (error) => {
        request.destroy(error);
      });
      request.on('close', () => stream.destroy());
      stream.pipe(request);
    } else request.end(bytes);
  });
}

/** ms to wait, as the store asks for (RFC 9110, 10.2.3: Retry-After), or longer each time. */
export function delayOf(answer: StoreAnswer | undefined, attempt: number): number {
  const asked = answer?.headers['retry-after'];
  if (asked !== undefined) {
    const seconds = Number(asked);
    const delay = Number.isFinite(seconds) ? seconds * 1000 : Date.parse(asked) - Date.now();
    if (delay >= 0) return Math.min(delay, LONGEST_DELAY);
  }
  const base = FIRST_DELAY * 2 ** attempt;
  return Math.min(base + Math.random() * base, LONGEST_DELAY);
}

/** Whether the store may answer otherwise after a while. */
export const isTransient = (status: number): boolean =>
  status === 429 || status === 408 || (status >= 500 && status !== 501);

const hostOf = (url: string): string => new URL(url).host;

export function unreachable(url: string, cause: unknown): HullError {
  return new HullError(
    'store.unreachable',
    `The store at ${hostOf(url)} cannot be reached: ${(cause as Error).message}.`,
    {
      location: { url },
      fix: 'Check the connection and the address, then try again: what was sent already is not sent twice.',
      cause,
    },
  );
}

/**
 * A call that is made again where the line is cut, the store is busy or has trouble of its own. Only for calls that may be made twice.
 *
 * @throws HullError `store.unreachable`
 */
export async function callStore(call: StoreCall, access: StoreAccess): Promise<StoreAnswer> {
  for (let attempt = 0; ; attempt += 1) {
    access.signal?.throwIfAborted();
    let answer: StoreAnswer | undefined;
    let why: string;
    try {
      answer = await callOnce(call, access);
      if (!isTransient(answer.status)) return answer;
      why = `the store answers ${answer.status}`;
    } catch (error) {
      if (!(error instanceof LineCut)) throw error;
      if (attempt + 1 >= ATTEMPTS) throw unreachable(call.url, error);
      why = error.message;
    }
    if (attempt + 1 >= ATTEMPTS && answer) return answer;
    const delay = delayOf(answer, attempt);
    access.onRetry?.(why, delay);
    await wait(delay, undefined, access.signal ? { signal: access.signal } : {});
  }
}

/**
 * The JSON of an answer.
 *
 * @throws HullError `store.not-json` where a proxy or a sign-in page answers in the store's place
 */
export function jsonOf(answer: StoreAnswer, url: string): unknown {
  const text = answer.body.toString('utf8').trim();
  if (text === '') return {};
  try {
    return JSON.parse(text);
  } catch (cause) {
    const isHtml = /^<(!doctype|html|head|body)\b/i.test(text);
    throw new HullError(
      'store.not-json',
      `${hostOf(url)} answers ${answer.status} with ${isHtml ? 'a web page' : 'something'} that is not JSON.`,
      {
        location: { url },
        fix: 'A proxy or a sign-in page may answer in the store’s place: check the network and the store’s address.',
        cause,
      },
    );
  }
}
