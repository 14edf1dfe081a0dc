import { decodePath, parseUrl } from '../util/url-path.js';

/** The characters that need no encoding anywhere (RFC 3986 section 2.3). */
const UNRESERVED = /^[A-Za-z0-9\-._~]$/;
const isPlain = /^[A-Za-z0-9\-._~/]*$/;

/**
 * One way of writing each percent-encoded text: capital hexadecimal digits, nothing encoded that need not be, everything
 * encoded that must be (RFC 3986 sections 2.1 and 6.2.2). A text that is broken comes back with its percent signs as
 * they are. `*`, `?` and what is in parentheses is left alone, for patterns.
 */
export function normalizeEncoding(text: string): string {
  if (isPlain.test(text)) return text;
  return text
    .replaceAll(/%([0-9A-Fa-f]{2})/g, (_all, hex: string) => {
      const letter = String.fromCharCode(Number.parseInt(hex, 16));
      return UNRESERVED.test(letter) ? letter : `%${hex.toUpperCase()}`;
    })
    .replaceAll(/[^\x21-\x7e]+|["<>\\^`{|}]+/g, (run) => encodeURIComponent(run.toWellFormed()));
}

/** A URL as the three rule languages see it. What only one of them needs is computed when it is asked for. */
export class LinkUrl {
  readonly url: URL;
  readonly #raw: string;
  #path: string | undefined;
  #decodedPath: string | undefined;
  #items: readonly (readonly [string, string])[] | undefined;

  private constructor(url: URL, raw: string) {
    this.url = url;
    this.#raw = raw;
  }

  /** `undefined` where a text is no address of the web. */
  static read(text: string): LinkUrl | undefined {
    const url = parseUrl(text.trim());
    if (url === undefined || (url.protocol !== 'https:' && url.protocol !== 'http:')) return undefined;
    return new LinkUrl(url, text.trim());
  }

  /** Without the colon. */
  get scheme(): string {
    return this.url.protocol.slice(0, -1);
  }

  get host(): string {
    return this.url.hostname;
  }

  /** Where the address names one that is not its scheme's own. */
  get port(): number | undefined {
    return this.url.port === '' ? undefined : Number(this.url.port);
  }

  /** Percent-encoded, in one way of writing. */
  get path(): string {
    this.#path ??= normalizeEncoding(this.url.pathname);
    return this.#path;
  }

  /** As the Android framework gives it (`Uri.getPath`): decoded; empty where the address ends with its host. */
  get decodedPath(): string {
    if (this.#decodedPath === undefined) {
      const { pathname } = this.url;
      const hasNone = pathname === '/' && /^[a-z]+:\/\/[^/?#]*(?:$|[?#])/i.test(this.#raw);
      this.#decodedPath = hasNone ? '' : lenientDecode(pathname);
    }
    return this.#decodedPath;
  }

  /** Percent-encoded, without the question mark; `undefined` where there is none. */
  get query(): string | undefined {
    return this.url.search === '' ? undefined : this.url.search.slice(1);
  }

  /** Names and values of the query, as they are encoded. */
  get queryItems(): readonly (readonly [string, string])[] {
    this.#items ??= (this.query ?? '')
      .split('&')
      .filter((item) => item !== '')
      .map((item) => {
        const at = item.indexOf('=');
        return at === -1 ? [item, ''] : [item.slice(0, at), item.slice(at + 1)];
      });
    return this.#items;
  }

  /** Percent-encoded, without the number sign; `undefined` where there is none. */
  get fragment(): string | undefined {
    return this.url.hash === '' ? undefined : this.url.hash.slice(1);
  }
}

/** Percent-encoding undone; what is broken stays, with a mark where bytes form no letter (as `Uri.decode` does). */
export function lenientDecode(text: string): string {
  if (!text.includes('%')) return text;
  const whole = decodePath(text);
  if (whole !== undefined) return whole;
  return text.replaceAll(/(?:%[0-9A-Fa-f]{2})+/g, (run) =>
    Buffer.from(run.replaceAll('%', ''), 'hex').toString('utf8'),
  );
}

/** A pattern with its percent-encoding undone; what stands for any run of characters stays so. */
export function decodePattern(pattern: string): string {
  return pattern.split('*').map(lenientDecode).join('*');
}
