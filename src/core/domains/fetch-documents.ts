import { type Fix, HullError, type Location, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { type Answer, Fetcher, type FetcherOptions } from '../net/fetcher.js';
import { DOCUMENT_IMPACT } from './documents/read-json.js';

/** A document as a verifier got it, or why it got none. */
export interface FetchedDocument {
  readonly location: Location;
  /** `undefined` where there is nothing to read. */
  readonly bytes: Uint8Array | undefined;
  /** What keeps verifiers from taking it, before anything in it is read. */
  readonly faults: readonly Finding[];
  /** That the content type is another one, which not every verifier minds. */
  readonly typeFault?: Finding;
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
  /** How a host answers at its root, where that can be asked: with pages, by leading to another host, or not at all. */
  root?(host: string): Promise<RootAnswer>;
}

export type RootAnswer = 'pages' | 'redirect' | 'nothing';

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

function answerFaults(location: Location, answer: Answer): Finding[] {
  const fault = (observed: string, fix: Fix): Finding => ({
    code: 'domains.document-refused',
    severity: 'error',
    location,
    observed,
    impact: DOCUMENT_IMPACT.error,
    fix,
  });
  const { status, location: target } = answer;
  if (status >= 300 && status < 400) {
    return [
      fault(
        `The host redirects to ${target ?? 'nowhere'} (status ${status}), and verifiers follow no redirect.`,
        'Answer with the document at this address itself, on every host that is named.',
      ),
    ];
  }
  if (status === 404 || status === 410) {
    return [
      fault(
        `The document is not there (status ${status}).`,
        withTasks`Deploy it: ${task('writeDomains')} makes it. Many deployments drop folders that begin with a dot.`,
      ),
    ];
  }
  if (status === 401 || status === 403) {
    return [
      fault(
        `The host refuses to give it (status ${status}).`,
        'Let everyone read /.well-known: verifiers sign in nowhere.',
      ),
    ];
  }
  if (status !== 200) {
    const fix = status >= 500 ? 'Look into the server’s log.' : 'Answer with status 200.';
    return [fault(`The host answers with status ${status}.`, fix)];
  }
  return [];
}

/** That a page came: of an app that answers every address with itself, as a rule. */
function pageFault(location: Location, { status, type, bytes }: Answer): Finding | undefined {
  if (status !== 200) return undefined;
  const begin = new TextDecoder().decode(bytes.subarray(0, 200)).trimStart();
  if (!/^<(!doctype html|html\b)/i.test(begin) && !(/html/i.test(type) && begin.startsWith('<')))
    return undefined;
  return {
    code: 'domains.document-refused',
    severity: 'error',
    location,
    observed: 'The host answers with an HTML page where the document should be.',
    impact: DOCUMENT_IMPACT.error,
    fix: withTasks`Deploy the document (${task('writeDomains')} makes it), and keep what answers every other address with the app’s page away from /.well-known.`,
  };
}

function typeFault(location: Location, { status, type }: Answer): Finding | undefined {
  if (status !== 200 || isJson(type)) return undefined;
  const observed = type === '' ? 'The answer has no content type.' : `The content type is ${type}.`;
  return {
    code: 'domains.content-type',
    severity: 'error',
    location,
    observed,
    impact: DOCUMENT_IMPACT.error,
    fix: 'Answer with Content-Type: application/json',
  };
}

function tlsRemedy(message: string): string {
  if (/expired/.test(message))
    return 'Renew the certificate on the server, and see why that did not happen by itself.';
  if (/not valid yet/.test(message)) return 'Compare the clocks of the server and of this machine.';
  if (/another name/.test(message))
    return 'Get a certificate that names this host, and have the server send that one.';
  return 'Fix the certificate on the server: verifiers accept only certificates of public authorities. For a test server, name its authority.';
}

/** What to do about a connection that fails, and in which words. */
function connectionFault(location: Location, error: HullError): Finding {
  const remedies: Partial<Record<HullError['code'], string>> = {
    'net.tls': tlsRemedy(error.message),
    'net.timeout': 'Verifiers wait no longer; look at what answers /.well-known on the server.',
    'net.too-large': 'This is not the document; see what the host answers there.',
  };
  return {
    code: 'domains.host-unreachable',
    severity: 'error',
    location: { ...location, ...error.location },
    observed: error.message,
    impact: DOCUMENT_IMPACT.error,
    fix: remedies[error.code] ?? 'Check the name and that the host answers on port 443.',
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

  async root(host: string): Promise<RootAnswer> {
    try {
      const { status } = await this.#fetcher.fetch(new URL(`https://${host}/`), MOST_BYTES, 'HEAD');
      return status >= 300 && status < 400 ? 'redirect' : status < 300 ? 'pages' : 'nothing';
    } catch (error) {
      if (!(error instanceof HullError)) throw error;
      return 'nothing';
    }
  }

  async include(url: URL): Promise<FetchedDocument> {
    const location: Location = { url: url.href };
    try {
      const answer = await this.#fetcher.fetch(url, MOST_BYTES);
      const page = pageFault(location, answer);
      const faults = page ? [page] : answerFaults(location, answer);
      const maxAge = maxAgeOf(answer.cacheControl);
      const type = page ? undefined : typeFault(location, answer);
      return {
        location,
        bytes: faults.length === 0 ? answer.bytes : undefined,
        faults,
        ...(type ? { typeFault: type } : {}),
        ...(maxAge === undefined ? {} : { maxAge }),
        ...(answer.tls ? { certificateEnds: answer.tls.notAfter } : {}),
        took: answer.took,
      };
    } catch (error) {
      if (!(error instanceof HullError) || !error.code.startsWith('net.')) throw error;
      return { location, bytes: undefined, faults: [connectionFault(location, error)] };
    }
  }
}
