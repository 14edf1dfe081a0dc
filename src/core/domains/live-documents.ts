import { isDeepStrictEqual } from 'node:util';
import { HullError } from '../errors.js';
import { Fetcher, type FetcherOptions } from '../net/fetcher.js';
import { isObject } from '../util/json-object.js';
import { readDocumentJson } from './documents/read-json.js';
import { VERIFIER_TIMEOUT } from './fetch-documents.js';

/** What a host serves at a path now. */
export type LiveDocument =
  | { readonly is: 'there'; readonly value: unknown }
  /** The host says that there is none, or is itself not in the name system yet. */
  | { readonly is: 'none'; readonly because: string };

const MOST_BYTES = 1024 * 1024;

function unreadable(url: URL, observed: string, cause?: unknown): HullError {
  return new HullError(
    'domains.live-unreadable',
    `What the host serves now could not be read: ${observed} Nothing was written, so that no entry of another app is lost.`,
    {
      location: { url: url.href },
      fix: 'Fix the host; or skip the live document, where nothing in it is to be kept.',
      cause,
    },
  );
}

const isNowhere = (error: HullError) =>
  error.code === 'net.unreachable' && /ENOTFOUND|EAI_NONAME/.test(error.message);

/**
 * Gets the documents that hosts serve now, so that what is written is merged into them. Redirects are followed, since what is
 * behind them would be lost too.
 *
 * @throws HullError `domains.live-unreadable` where nobody can say what is there
 */
export async function liveDocument(fetcher: Fetcher, host: string, path: string): Promise<LiveDocument> {
  const url = new URL(`https://${host}${path}`);
  let answer: Awaited<ReturnType<Fetcher['fetch']>>;
  try {
    answer = await fetcher.fetch(url, MOST_BYTES);
  } catch (error) {
    if (!(error instanceof HullError) || !error.code.startsWith('net.')) throw error;
    if (isNowhere(error)) return { is: 'none', because: `${host} is not in the name system yet` };
    throw unreadable(url, error.message, error);
  }
  const { status, bytes, type } = answer;
  if (status === 404 || status === 410) return { is: 'none', because: `${url.href} is not there yet` };
  if (status !== 200) throw unreadable(url, `status ${status}.`);
  // A host that answers every address with its start page has no document.
  if (/html/i.test(type)) return { is: 'none', because: `${url.href} is a page of HTML` };
  const { json, faults } = readDocumentJson({ url: url.href }, bytes);
  if (json === undefined) throw unreadable(url, faults[0]?.observed ?? 'It is not valid JSON.');
  return { is: 'there', value: json.value };
}

/** A fetcher for live documents; close it after use. */
export const liveFetcher = (options: FetcherOptions): Fetcher =>
  new Fetcher({ timeout: VERIFIER_TIMEOUT, ...options });

/** Everything of two documents: lists one behind the other without what is there twice, members of both, the first counting. */
export function bothOf(first: unknown, second: unknown): unknown {
  if (Array.isArray(first) && Array.isArray(second)) {
    return [...first, ...second.filter((one) => !first.some((other) => isDeepStrictEqual(one, other)))];
  }
  if (!isObject(first) || !isObject(second)) return first;
  const keys = [...new Set([...Object.keys(first), ...Object.keys(second)])];
  return Object.fromEntries(
    keys.map((key) => [
      key,
      !Object.hasOwn(first, key)
        ? second[key]
        : Object.hasOwn(second, key)
          ? bothOf(first[key], second[key])
          : first[key],
    ]),
  );
}
