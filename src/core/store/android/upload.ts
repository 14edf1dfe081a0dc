import { setTimeout as wait } from 'node:timers/promises';
import {
  callOnce,
  callStore,
  delayOf,
  isTransient,
  LineCut,
  type StoreAccess,
  type StoreAnswer,
  unreachable,
} from '../http.js';

/** A file that is sent in one session, which continues after a cut line. */
export interface Upload {
  /** Address at which a session begins. */
  readonly url: string;
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly type: string;
  readonly headers: () => Promise<Readonly<Record<string, string>>>;
  readonly onProgress?: ((sent: number, size: number) => void) | undefined;
}

/** Times that a session is continued without a byte more at the store. */
const ATTEMPTS = 8;
/** ms before the store is asked after a cut line. */
const DELAY = 100;
const RESUME = 308;

/** Bytes that the store has, as the `Range` of a 308 says. */
function receivedOf(answer: StoreAnswer): number {
  const last = /bytes=0-(\d+)/.exec(answer.headers.range ?? '')?.[1];
  return last === undefined ? 0 : Number(last) + 1;
}

/**
 * Uploads a file (publishing API, "Resumable uploads"): a POST begins a session, a PUT sends the bytes; where the line is cut, the store is
 * asked how many it has, and the rest is sent.
 *
 * @returns the answer that ends the session, whatever its status
 * @throws HullError `store.unreachable`
 */
export async function uploadFile(upload: Upload, access: StoreAccess): Promise<StoreAnswer> {
  const begun = await callStore(
    {
      method: 'POST',
      url: upload.url,
      headers: {
        ...(await upload.headers()),
        'x-upload-content-type': upload.type,
        'x-upload-content-length': String(upload.size),
      },
    },
    access,
  );
  const session = begun.headers.location;
  if (begun.status >= 400 || session === undefined) return begun;
  const url = new URL(session, upload.url).href;
  let received = 0;
  for (let attempt = 0; ; ) {
    access.signal?.throwIfAborted();
    const tried = await sendOrFail(url, upload, received, access);
    if (!('why' in tried)) return tried.answer;
    const { why, answer } = tried;
    // What has arrived is known after a 308; else it is asked for.
    const now =
      answer?.status === RESUME
        ? receivedOf(answer)
        : await pause(why, answer, attempt, access).then(() => ask(url, upload, access));
    if (typeof now !== 'number') return now;
    attempt = now > received ? 0 : attempt + 1;
    received = now;
    if (attempt >= ATTEMPTS) {
      if (answer) return answer;
      throw unreachable(upload.url, why);
    }
    upload.onProgress?.(received, upload.size);
  }
}

type Tried =
  | { readonly answer: StoreAnswer }
  /** The session goes on. */
  | { readonly why: Error; readonly answer: StoreAnswer | undefined };

async function sendOrFail(url: string, upload: Upload, from: number, access: StoreAccess): Promise<Tried> {
  try {
    const answer = await sendFrom(url, upload, from, access);
    if (answer.status !== RESUME && !isTransient(answer.status)) return { answer };
    return { why: new Error(`the store answers ${answer.status}`), answer };
  } catch (error) {
    if (error instanceof LineCut) return { why: error, answer: undefined };
    throw error;
  }
}

async function pause(
  why: Error,
  answer: StoreAnswer | undefined,
  attempt: number,
  access: StoreAccess,
): Promise<void> {
  const delay = answer === undefined && attempt === 0 ? DELAY : delayOf(answer, attempt);
  access.onRetry?.(why.message, delay);
  await wait(delay, undefined, access.signal ? { signal: access.signal } : {});
}

function sendFrom(url: string, upload: Upload, from: number, access: StoreAccess): Promise<StoreAnswer> {
  const { file, size, type, onProgress } = upload;
  if (from >= size) {
    // All arrived, and the answer did not.
    return callOnce({ method: 'PUT', url, headers: { 'content-range': `bytes */${size}` } }, access);
  }
  return callOnce(
    {
      method: 'PUT',
      url,
      headers: { 'content-range': `bytes ${from}-${size - 1}/${size}` },
      body: { file, from, size: size - from, type },
      onSent: (sent) => onProgress?.(from + sent, size),
    },
    access,
  );
}

/** How many bytes the store has; or its answer, where the session has ended. */
async function ask(url: string, { size }: Upload, access: StoreAccess): Promise<number | StoreAnswer> {
  const answer = await callStore(
    { method: 'PUT', url, headers: { 'content-range': `bytes */${size}` } },
    access,
  );
  return answer.status === RESUME ? receivedOf(answer) : answer;
}
