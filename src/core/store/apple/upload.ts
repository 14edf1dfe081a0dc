import { setTimeout as wait } from 'node:timers/promises';
import { HullError } from '../../errors.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { isLoopback, parseUrl } from '../../util/url-path.js';
import {
  callOnce,
  delayOf,
  isTransient,
  LineCut,
  type StoreAccess,
  type StoreAnswer,
  unreachable,
} from '../http.js';

/** A part of a file, and where it goes: an upload operation of the API. */
export interface UploadOperation {
  readonly method: 'PUT' | 'POST';
  readonly url: string;
  /** Bytes. */
  readonly offset: number;
  readonly length: number;
  readonly headers: Readonly<Record<string, string>>;
}

/** Times that a part is sent at most. */
const ATTEMPTS = 8;
/** ms before a part is sent again after a cut line. */
const DELAY = 100;

function operationOf(value: unknown): UploadOperation | undefined {
  if (!isObject(value)) return undefined;
  const { method, url, offset, length, requestHeaders } = value;
  const target = typeof url === 'string' ? parseUrl(url) : undefined;
  const isSafe =
    target?.protocol === 'https:' || (target?.protocol === 'http:' && isLoopback(target.hostname));
  if (!isSafe || typeof offset !== 'number' || typeof length !== 'number') return undefined;
  const headers = (Array.isArray(requestHeaders) ? requestHeaders.filter(isObject) : []).map(
    ({ name, value: text }) => [String(name), String(text)],
  );
  return {
    method: method === 'POST' ? 'POST' : 'PUT',
    url: target.href,
    offset,
    length,
    headers: Object.fromEntries(headers),
  };
}

/**
 * How a file is to be sent, as the store says: in parts that cover it, in their order.
 *
 * @param size of the file, in bytes
 * @throws HullError `store.not-json` where the parts do not make the file
 */
export function uploadOperations(attributes: JsonObject, size: number, url: string): UploadOperation[] {
  const list = Array.isArray(attributes.uploadOperations) ? attributes.uploadOperations : [];
  const operations = list
    .map(operationOf)
    .filter((one) => one !== undefined)
    .sort((one, other) => one.offset - other.offset);
  const end = operations.reduce((at, { offset, length }) => (offset === at ? at + length : -1), 0);
  if (operations.length === list.length && end === size) return operations;
  throw new HullError('store.not-json', 'The store’s upload operations do not cover the file.', {
    location: { url },
    fix: 'Check that the address is that of App Store Connect’s API.',
  });
}

/**
 * Sends a file in the parts that the store asks for; where the line is cut, only that part is sent again.
 *
 * @throws HullError `store.unreachable`, `store.refused`
 */
export async function sendParts(
  file: string,
  operations: readonly UploadOperation[],
  access: StoreAccess,
  onProgress?: (sent: number) => void,
): Promise<void> {
  for (const operation of operations) await sendPart(file, operation, access, onProgress);
}

async function sendPart(
  file: string,
  { method, url, offset, length, headers }: UploadOperation,
  access: StoreAccess,
  onProgress: ((sent: number) => void) | undefined,
): Promise<void> {
  const { 'content-type': type = 'application/octet-stream', ...others } = Object.fromEntries(
    Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]),
  );
  const { 'content-length': _length, ...own } = others;
  for (let attempt = 0; ; attempt += 1) {
    access.signal?.throwIfAborted();
    let answer: StoreAnswer | undefined;
    let why: unknown;
    try {
      answer = await callOnce(
        {
          method,
          url,
          headers: own,
          body: { file, from: offset, size: length, type },
          onSent: (sent) => onProgress?.(offset + sent),
        },
        access,
      );
      if (answer.status < 300) return;
      why = new Error(`the store answers ${answer.status}`);
    } catch (error) {
      if (!(error instanceof LineCut)) throw error;
      why = error;
    }
    if (answer && !isTransient(answer.status)) {
      throw new HullError('store.refused', `The store refuses a part of the file with ${answer.status}.`, {
        location: { file },
        fix: 'Send it again: addresses of uploads end after a while.',
      });
    }
    if (attempt + 1 >= ATTEMPTS) throw unreachable(url, why);
    const delay = answer === undefined && attempt === 0 ? DELAY : delayOf(answer, attempt);
    access.onRetry?.((why as Error).message, delay);
    await wait(delay, undefined, access.signal ? { signal: access.signal } : {});
  }
}
