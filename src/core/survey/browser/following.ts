import { manifestList, type Site } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import type { Device } from '../browser-facts.js';

/** Pages that are looked at on the phone, of those that were read. */
const MAX_VIEWED = 12;
/** Pages that are opened because shown ones lead to them. */
const MAX_FOLLOWED = 24;

/** Pages that are looked at on a device: those that were read on a phone, the start page on others. */
export const viewedPages = (site: Site, device: Device): string[] =>
  site.pages.slice(0, device.name.startsWith('phone') ? MAX_VIEWED : 1).map(({ url }) => url);

/** Endings of addresses that are no pages. */
const A_FILE = /\.(?!html?$|xhtml$|php$|aspx?$)[a-z0-9]{1,5}$/i;

/** Which pages are opened beyond those that were read: those that the manifest names, and that shown pages lead to. */
export class Following {
  readonly #site: Site;
  readonly #seen: Set<string>;
  #opened = 0;
  /** Pages that were found, and are too many. */
  left = 0;

  constructor(site: Site) {
    this.#site = site;
    this.#seen = new Set(site.pages.map(({ url }) => url));
    // The start page may be reached by more than its own address.
    this.#seen.add(site.start.href).add(new URL('index.html', site.base).href);
  }

  /** The start URL and the shortcuts of the manifest. */
  named(): string[] {
    const { manifest } = this.#site;
    const shortcuts = manifestList(this.#site, 'shortcuts').map(
      (one) => (one as { url?: unknown } | null)?.url,
    );
    const texts = [manifest?.members?.start_url, ...shortcuts].filter((one) => typeof one === 'string');
    return manifest
      ? this.next(texts.flatMap((text) => parseUrl(text, new URL(manifest.url))?.href ?? []))
      : [];
  }

  next(links: readonly string[]): string[] {
    const { base } = this.#site;
    return links.flatMap((text) => {
      const url = parseUrl(text);
      if (url?.origin !== base.origin || !url.pathname.startsWith(base.pathname)) return [];
      if (A_FILE.test(url.pathname)) return [];
      // Behind a number sign only a router's own addresses are pages (`#/pier`).
      if (!/^#!?\//.test(url.hash)) url.hash = '';
      url.search = '';
      const isKnown = [url.href, `${url.href}.html`, `${url.href}/`, url.href.replace(/\/$/, '')].some(
        (one) => this.#seen.has(one),
      );
      if (isKnown || this.#site.resolveStatus(url).is === 'missing') return [];
      this.#seen.add(url.href);
      if (this.#opened >= MAX_FOLLOWED) {
        this.left += 1;
        return [];
      }
      this.#opened += 1;
      return [url.href];
    });
  }
}
