import { HullError, type Place } from '../errors.js';
import { type Answer, Fetcher, type FetcherOptions } from '../net/fetcher.js';
import type { DocumentFault } from './documents/read-json.js';

/** A document as a verifier got it, or why it got none. */
export interface FetchedDocument {
  readonly place: Place;
  /** `undefined` where there is nothing to read. */
  readonly bytes: Uint8Array | undefined;
  /** What keeps verifiers from taking it, before anything in it is read. */
  readonly faults: readonly DocumentFault[];
  /** That the content type is another one, which not every verifier minds. */
  readonly typeFault?: DocumentFault;
  /** That it is nowhere yet: what it will say is known, but perhaps not with which certificates. */
  readonly planned?: true;
  /** Seconds that caches may keep it, where the answer says so. */
  readonly maxAge?: number;
  /** ISO 8601: end of the host's TLS certificate. */
  readonly certificateEnds?: string;
  /** ms */
  readonly took?: number;
}

/** Where documents come from: their hosts, or folders before these are deployed. */
export interface DocumentSource {
  document(host: string, path: string): Promise<FetchedDocument>;
  /** What a statement list includes. */
  include(url: URL): Promise<FetchedDocument>;
}

/** No document comes near this; what is larger is not read to its end. */
const MOST_BYTES = 1024 * 1024;
/** ms for one whole answer: devices do not wait longer either. */
export const VERIFIER_TIMEOUT = 10_000;

/** `max-age` of a Cache-Control header (RFC 9111 section 5.2.2.1), in seconds. */
function maxAgeOf(header: string): number | undefined {
  const text = /(?:^|[,\s])max-age\s*=\s*"?(\d{1,12})/i.exec(header)?.[1];
  return text === undefined ? undefined : Number(text);
}

const isJson = (type: string) => /^application\/json\s*(?:;|$)/i.test(type.trim());

function answerFaults(place: Place, answer: Answer): DocumentFault[] {
  const fault = (weight: DocumentFault['weight'], saw: string, remedy: string): DocumentFault => ({
    weight,
    place,
    saw,
    remedy,
  });
  const { status, location } = answer;
  if (status >= 300 && status < 400) {
    return [
      fault(
        'breaks',
        `The host redirects to ${location ?? 'nowhere'} (status ${status}), and verifiers follow no redirect.`,
        'Answer with the document at this address itself, on every host that is named.',
      ),
    ];
  }
  if (status === 404 || status === 410) {
    return [
      fault(
        'breaks',
        `The document is not there (status ${status}).`,
        'Deploy it: hull domains write makes it. Many deployments drop folders that begin with a dot.',
      ),
    ];
  }
  if (status === 401 || status === 403) {
    return [
      fault(
        'breaks',
        `The host refuses to give it (status ${status}).`,
        'Let everyone read /.well-known: verifiers sign in nowhere.',
      ),
    ];
  }
  if (status !== 200) {
    const remedy = status >= 500 ? 'Look into the server’s log.' : 'Answer with status 200.';
    return [fault('breaks', `The host answers with status ${status}.`, remedy)];
  }
  return [];
}

function typeFault(place: Place, { status, type }: Answer): DocumentFault | undefined {
  if (status !== 200 || isJson(type)) return undefined;
  const saw = type === '' ? 'The answer has no content type.' : `The content type is ${type}.`;
  return { weight: 'breaks', place, saw, remedy: 'Answer with Content-Type: application/json' };
}

/** What to do about a connection that fails, and in which words. */
function connectionFault(place: Place, error: HullError): DocumentFault {
  const remedies: Partial<Record<HullError['code'], string>> = {
    'net.tls':
      'Fix the certificate on the server: verifiers take only what public authorities vouch for. On a test server: --ca <file>',
    'net.timeout': 'Verifiers wait no longer; look at what answers /.well-known on the server.',
    'net.too-large': 'This is not the document; see what the host answers there.',
  };
  return {
    weight: 'breaks',
    place: { ...place, ...error.place },
    saw: error.message,
    remedy: remedies[error.code] ?? 'Check the name and that the host answers on port 443.',
  };
}

/**
 * Gets documents as devices and vendors do: https on port 443 alone, no redirect followed, within 10 seconds, not signed in.
 * Close it after use.
 */
export class VerifierFetcher implements DocumentSource {
  readonly #fetcher: Fetcher;

  constructor(options: FetcherOptions) {
    this.#fetcher = new Fetcher({ timeout: VERIFIER_TIMEOUT, ...options, atRedirect: 'stop' });
  }

  close(): void {
    this.#fetcher.close();
  }

  document(host: string, path: string): Promise<FetchedDocument> {
    return this.include(new URL(`https://${host}${path}`));
  }

  async include(url: URL): Promise<FetchedDocument> {
    const place: Place = { url: url.href };
    try {
      const answer = await this.#fetcher.fetch(url, MOST_BYTES);
      const faults = answerFaults(place, answer);
      const maxAge = maxAgeOf(answer.cacheControl);
      const type = typeFault(place, answer);
      return {
        place,
        bytes: faults.length === 0 ? answer.bytes : undefined,
        faults,
        ...(type ? { typeFault: type } : {}),
        ...(maxAge === undefined ? {} : { maxAge }),
        ...(answer.tls ? { certificateEnds: answer.tls.notAfter } : {}),
        took: answer.took,
      };
    } catch (error) {
      if (!(error instanceof HullError) || !error.code.startsWith('net.')) throw error;
      return { place, bytes: undefined, faults: [connectionFault(place, error)] };
    }
  }
}

/** Runs over a list with a bounded number under way: a slow one holds up its own place alone. */
export async function inParallel<T, R>(
  items: readonly T[],
  atOnce: number,
  run: (item: T) => Promise<R>,
): Promise<R[]> {
  const results: R[] = [];
  let next = 0;
  const worker = async () => {
    while (next < items.length) {
      const index = next;
      next += 1;
      results[index] = await run(items[index] as T);
    }
  };
  await Promise.all(Array.from({ length: Math.min(atOnce, items.length) }, worker));
  return results;
}
