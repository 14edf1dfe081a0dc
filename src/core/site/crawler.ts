import { HullError, type Location } from '../errors.js';
import type { Answer, Fetcher, FetcherOptions } from '../net/fetcher.js';
import type { ResponseFacts } from '../net/response.js';
import { parseUrl } from '../util/url-path.js';
import { Assembler } from './assemble.js';
import { extensionOf } from './media-types.js';
import { fileUrl, type LimitReached, type ReadFault, resolveReference, type SitePage } from './site.js';
import { decodeText, isBinary } from './text.js';

export interface CrawlOptions extends Omit<FetcherOptions, 'named'> {
  /** Pages that are read at most. */
  readonly maxPages?: number;
  /** Links from the start page that are followed at most. */
  readonly maxDepth?: number;
  /** Bytes that are read at most, unpacked, in all. */
  readonly maxBytes?: number;
  /** ms for the whole crawl. */
  readonly maxTime?: number;
  /** `ignore` follows links although the host’s robots.txt asks not to. */
  readonly robots?: 'respect' | 'ignore';
  readonly onProgress?: (done: number, total: number) => void;
}

export const CRAWL_LIMITS = {
  maxPages: 200,
  maxDepth: 8,
  maxBytes: 128 * 1024 * 1024,
  maxTime: 180_000,
} as const;
export const FILE_LIMIT = 8 * 1024 * 1024;
/** ms after which a page counts as slow. */
const SLOW = 4000;
const AT_ONCE = 4;
const MAX_CHECKED_FILES = 300;
/** Endings of links that lead to files rather than pages. */
const NOT_PAGES = new Set(
  'pdf zip gz dmg exe apk csv json xml txt ics png jpg jpeg gif webp avif svg ico mp3 mp4 webm mov wav ogg woff woff2 css js mjs wasm'.split(
    ' ',
  ),
);

/** Answers of a host that will not, or cannot, show a page. */
const REFUSED: ReadonlySet<number> = new Set([401, 403, 429, 503]);

const isHtml = (answer: ResponseFacts) => answer.type === '' || /html/i.test(answer.type);

interface Wanted {
  readonly url: URL;
  readonly depth: number;
}

export class Crawler {
  readonly assembler = new Assembler();
  readonly responses = new Map<string, ResponseFacts>();
  readonly faults: ReadFault[] = [];
  readonly limits: LimitReached[] = [];
  readonly #seenPages = new Set<string>();
  readonly #seenFiles = new Set<string>();
  readonly #pages: Wanted[] = [];
  readonly #files: { readonly url: URL; readonly kind: 'script' | 'style' | 'check' }[] = [];
  readonly #fetcher: Fetcher;
  readonly #options: CrawlOptions;
  readonly #began = performance.now();
  #bytes = 0;
  #checked = 0;
  #readScripts = 0;
  base: URL;
  /** Whether the host’s robots.txt lets an address be read. */
  allows: (url: URL) => boolean = () => true;
  /** Sitemaps that robots.txt names. */
  sitemaps: readonly string[] = [];

  constructor(fetcher: Fetcher, base: URL, options: CrawlOptions) {
    this.#fetcher = fetcher;
    this.base = base;
    this.#options = options;
  }

  record(answer: Answer): void {
    const { bytes, at, ...facts } = answer;
    this.responses.set(answer.url, facts);
    if (at.href !== answer.url) this.responses.set(at.href, { ...facts, url: at.href, redirects: [] });
    this.#bytes += bytes.length;
  }

  #reach(what: LimitReached['what'], limit: number, location: Location, message: string): void {
    if (!this.limits.some((item) => item.what === what)) this.limits.push({ what, limit, location, message });
  }

  fault(kind: ReadFault['kind'], location: Location, message: string): void {
    this.faults.push({ kind, location, message });
  }

  /** One file; `undefined` and a fault where it cannot be obtained. */
  async get(url: URL, method: 'GET' | 'HEAD' = 'GET'): Promise<Answer | undefined> {
    try {
      const answer = await this.#fetcher.fetch(url, FILE_LIMIT, method);
      this.record(answer);
      if (answer.took > SLOW) {
        this.fault('slow', { url: url.href }, `The answer took ${(answer.took / 1000).toFixed(1)} seconds.`);
      }
      return answer;
    } catch (error) {
      if (!(error instanceof HullError) || this.#options.signal?.aborted) throw error;
      const kind =
        error.code === 'net.too-large' ? 'too-large' : error.code === 'net.timeout' ? 'slow' : 'unreadable';
      this.fault(kind, error.location ?? { url: url.href }, error.message);
      return undefined;
    }
  }

  /** Takes in a page that was answered, and queues what it leads to. */
  takePage(answer: Answer, depth: number): SitePage {
    const url = fileUrl(answer.at);
    this.#seenPages.add(url).add(fileUrl(new URL(answer.url)));
    const page = this.assembler.addPage(
      answer.at.href,
      answer.at.href,
      decodeText(answer.bytes, answer.type),
    );
    this.#queueFrom(page, depth);
    this.#queueScripts();
    return page;
  }

  #queueFrom(page: SitePage, depth: number): void {
    for (const reference of page.facts.references) {
      const url = resolveReference(page, reference);
      if (!url) continue;
      if (reference.kind === 'link') this.#queuePage(url, depth + 1, page);
      else if (reference.kind === 'script' || reference.kind === 'module') this.#queueFile(url, 'script');
      else if (reference.kind === 'style') this.#queueFile(url, 'style');
      else if (reference.kind === 'image' || reference.kind === 'media') this.#queueFile(url, 'check');
    }
  }

  /** Queues pages that the host itself lists. */
  queueListed(addresses: readonly string[], from: SitePage): void {
    for (const text of addresses) {
      const url = parseUrl(text);
      if (url) this.#queuePage(url, 1, from);
    }
  }

  #queuePage(url: URL, depth: number, from: SitePage): void {
    if (url.origin !== this.base.origin || !url.pathname.startsWith(this.base.pathname)) return;
    if (NOT_PAGES.has(extensionOf(url.pathname)) || this.#seenPages.has(fileUrl(url))) return;
    if (!this.allows(url)) {
      this.#reach(
        'robots',
        0,
        { url: url.href },
        'The host’s robots.txt asks not to read some pages; they were left out.',
      );
      return;
    }
    const { maxPages = CRAWL_LIMITS.maxPages, maxDepth = CRAWL_LIMITS.maxDepth } = this.#options;
    if (depth > maxDepth) {
      this.#reach(
        'depth',
        maxDepth,
        { url: from.url },
        `Links were followed ${maxDepth} deep, and no further.`,
      );
      return;
    }
    if (this.#seenPages.size >= maxPages) {
      this.#reach('pages', maxPages, { url: from.url }, `${maxPages} pages were read; the others were not.`);
      return;
    }
    this.#seenPages.add(fileUrl(url));
    this.#pages.push({ url, depth });
  }

  #queueFile(url: URL, kind: 'script' | 'style' | 'check'): void {
    if (!/^https?:$/.test(url.protocol) || this.#seenFiles.has(fileUrl(url))) return;
    if (kind === 'check' && (url.origin !== this.base.origin || this.#checked >= MAX_CHECKED_FILES)) return;
    if (kind === 'check') this.#checked += 1;
    this.#seenFiles.add(fileUrl(url));
    this.#files.push({ url, kind });
  }

  /** Queues what scripts lead to: their imports, and the workers that they register. */
  #queueScripts(): void {
    const { scripts } = this.assembler;
    for (; this.#readScripts < scripts.length; this.#readScripts += 1) {
      const unit = scripts[this.#readScripts] as (typeof scripts)[number];
      for (const { text, complete } of unit.facts.imports) {
        const isAddress = /^(\.{0,2}\/|https?:)/.test(text);
        const url = complete && isAddress ? parseUrl(text, new URL(unit.url)) : undefined;
        if (url) this.#queueFile(url, 'script');
      }
      for (const { url: text, fromScript } of unit.facts.registrations) {
        const from = fromScript || unit.pages > 0 ? new URL(unit.url) : this.base;
        const url = text === undefined ? undefined : parseUrl(text, from);
        if (url) this.#queueFile(url, 'script');
      }
    }
  }

  async #takeFile(url: URL, kind: 'script' | 'style' | 'check'): Promise<void> {
    const answer = await this.get(url, kind === 'check' ? 'HEAD' : 'GET');
    if (!answer || kind === 'check' || answer.status >= 400) return;
    const text = decodeText(answer.bytes, answer.type);
    // A host that answers everything with its start page: the finding is the wrong type, not the broken syntax.
    if (/html/i.test(answer.type)) return;
    if (kind === 'script') {
      this.assembler.addScript(fileUrl(url), url.href, text);
      this.#queueScripts();
    } else {
      const unit = this.assembler.addStyle(fileUrl(url), url.href, text);
      for (const { kind: use, text: address } of unit.facts.addresses) {
        const next = parseUrl(address, url);
        if (next) this.#queueFile(next, use === 'import' ? 'style' : 'check');
      }
    }
  }

  async #takeQueued({ url, depth }: Wanted): Promise<void> {
    const answer = await this.get(url);
    if (answer && REFUSED.has(answer.status))
      this.fault('refused', { url: url.href }, `status ${answer.status}`);
    if (!answer || answer.status >= 400 || !isHtml(answer)) return;
    const stays = answer.at.origin === this.base.origin && answer.at.pathname.startsWith(this.base.pathname);
    if (!stays) {
      if (answer.at.origin !== this.base.origin) this.fault('elsewhere', { url: url.href }, answer.at.origin);
      return;
    }
    if (isBinary(answer.bytes)) {
      this.fault('binary-page', { url: url.href }, 'This is sent as a page, but what is in it is no text.');
      return;
    }
    // Several addresses may lead to one page; a redirect to one that was read needs no second reading.
    if (fileUrl(answer.at) !== fileUrl(url) && this.#seenPages.has(fileUrl(answer.at))) return;
    this.takePage(answer, depth);
  }

  #mayGoOn(): boolean {
    const { maxBytes = CRAWL_LIMITS.maxBytes, maxTime = CRAWL_LIMITS.maxTime } = this.#options;
    const location = { url: this.base.href };
    if (this.#bytes > maxBytes) {
      this.#reach(
        'bytes',
        maxBytes,
        location,
        `${Math.round(maxBytes / 1024 / 1024)} MiB were read; the rest was not.`,
      );
      return false;
    }
    if (performance.now() - this.#began > maxTime) {
      this.#reach(
        'time',
        maxTime,
        location,
        `${Math.round(maxTime / 1000)} seconds went by; the rest was not read.`,
      );
      return false;
    }
    return true;
  }

  /** Works off the queues, a few requests at a time. */
  async run(): Promise<void> {
    const running = new Set<Promise<void>>();
    let failed: unknown;
    const start = (work: Promise<void>) => {
      const task: Promise<void> = work
        .catch((error: unknown) => {
          failed ??= error;
        })
        .finally(() => running.delete(task));
      running.add(task);
    };
    for (;;) {
      while (
        running.size < (this.#fetcher.isSlowed ? 1 : AT_ONCE) &&
        this.#mayGoOn() &&
        failed === undefined
      ) {
        const file = this.#files.shift();
        const page = file ? undefined : this.#pages.shift();
        if (file) start(this.#takeFile(file.url, file.kind));
        else if (page) start(this.#takeQueued(page));
        else break;
      }
      if (running.size === 0) break;
      await Promise.race(running);
      const left = this.#pages.length + this.#files.length + running.size;
      this.#options.onProgress?.(this.responses.size, this.responses.size + left);
    }
    if (failed !== undefined) throw failed;
  }
}

/** The first answer: what a crawl cannot do without. Throws `net.*`. */
export async function firstPage(fetcher: Fetcher, address: URL): Promise<Answer> {
  const answer = await fetcher.fetch(address, FILE_LIMIT);
  if (answer.status >= 400) {
    throw new HullError('net.http-status', `The host answered with status ${answer.status}.`, {
      location: { url: answer.at.href },
      fix: 'Open the address in a browser; the app would show the same answer.',
    });
  }
  if (!isHtml(answer) && !/xml/.test(answer.type)) {
    throw new HullError('net.not-html', `This is not a page but ${answer.type}.`, {
      location: { url: answer.at.href },
      fix: 'Give the address of the app’s first page.',
    });
  }
  if (isBinary(answer.bytes)) {
    throw new HullError('net.not-html', 'This is sent as a page, but what is in it is no text.', {
      location: { url: answer.at.href },
      fix: 'Give the address of the app’s first page.',
    });
  }
  return answer;
}

export function withoutBytes({ bytes: _bytes, at: _at, ...facts }: Answer): ResponseFacts {
  return facts;
}
