import { realAddress } from '../../browser/launch.js';
import type { Site } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import type { BrowserFacts, Device, Measured, SeenRequest } from '../browser-facts.js';

const MAX_ERRORS = 50;
const MAX_TEXT = 300;
/** Pictures that are taken of pages with something to see, besides those of the start page. */
const MAX_PICTURES = 6;

/** What pages said and asked for while an engine showed them, by their addresses in the site; each thing once. */
export class PageNotes {
  readonly errors: BrowserFacts['errors'][number][] = [];
  readonly requests: SeenRequest[] = [];
  readonly asked: BrowserFacts['asked'][number][] = [];
  readonly #site: Site;
  readonly #origin: string;
  #pictures = 0;

  /** @param origin under which the engine finds the site */
  constructor(site: Site, origin: string) {
    this.#site = site;
    this.#origin = origin;
  }

  /** The address of the site that a served one stands for. */
  real(url: string): string {
    return realAddress(this.#site, this.#origin, url);
  }

  /** @param at as in `https://…/app.js:12` */
  error(page: string, said: string, at?: string): void {
    if (this.errors.length >= MAX_ERRORS) return;
    const [line = ''] = said.replaceAll(this.#origin, this.#site.base.origin).split('\n');
    const text = line.slice(0, MAX_TEXT);
    if (this.errors.some((one) => one.page === page && one.text === text)) return;
    this.errors.push({ page, text, ...(at === undefined ? {} : { at: this.real(at) }) });
  }

  /** Keeps requests to other origins, and those without TLS. */
  request(page: string, address: string, kind: string): void {
    const url = parseUrl(address);
    if (!url || !/^(https?|wss?):$/.test(url.protocol) || url.origin === this.#origin) return;
    if (url.origin === this.#site.base.origin && url.protocol === 'https:') return;
    if (this.requests.some((one) => one.url === url.href)) return;
    this.requests.push({ page, url: url.href, kind });
  }

  /** @param names of capabilities, with spaces between */
  ask(page: string, names: string): void {
    for (const name of names.split(' ')) {
      if (name !== '' && !this.asked.some((one) => one.name === name)) this.asked.push({ page, name });
    }
  }

  /** Whether a picture is worth taking: what is wrong on a page is seen at a glance, and a few pictures are enough. */
  takesPicture({ scrollWidth, underCutout, underBar }: Measured, { width }: Device): boolean {
    const isTelling = scrollWidth > width + 1 || underCutout.length > 0 || underBar.length > 0;
    if (!isTelling || this.#pictures >= MAX_PICTURES) return false;
    this.#pictures += 1;
    return true;
  }
}
