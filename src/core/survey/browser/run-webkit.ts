import type { Insets } from '../../browser/app-display.js';
import { servedAddress } from '../../browser/launch.js';
import { serveFolder } from '../../browser/serve-folder.js';
import { asAppWindow, openInApp, type Watched, watched } from '../../browser/webkit/app-window.js';
import { type WebKitOptions, type WebKitSession, withWebKit } from '../../browser/webkit/session.js';
import type { Site } from '../../site/site.js';
import type { Device, Measured, PageView, RenderedPage, WebKitFacts } from '../browser-facts.js';
import { clearOfEdges, DEVICES } from './devices.js';
import { Following, viewedPages } from './following.js';
import { MEASURE, NOTE_CAPABILITIES, RENDERED } from './in-page.js';
import { PageNotes } from './page-notes.js';

const SCALE = 2;
const DISPLAY = 'standalone';
const NONE: Insets = { top: 0, right: 0, bottom: 0, left: 0 };

/** What the page asked others for: its resources, as it can tell them itself. */
const ASKED = `return performance.getEntriesByType('resource').map((one) => [one.name, one.initiatorType]);`;
/** The page's source, as it was sent. */
const SOURCE = `const done = arguments[arguments.length - 1];
fetch(location.href).then((answer) => answer.text()).then(done, () => done(''));`;

class WebKitLook {
  readonly #session: WebKitSession;
  readonly #site: Site;
  readonly #origin: string;
  readonly notes: PageNotes;
  #isWatched = false;
  readonly notLoaded: { page: string; text: string }[] = [];
  readonly rendered: RenderedPage[] = [];

  constructor(session: WebKitSession, site: Site, origin: string) {
    this.#session = session;
    this.#site = site;
    this.#origin = origin;
    this.notes = new PageNotes(site, origin);
  }

  /** What pages said, where they were watched. */
  get watched(): WebKitFacts['watched'] {
    const { errors, asked } = this.notes;
    return this.#isWatched ? { errors, asked } : undefined;
  }

  async view(url: string, device: Device, picture: 'always' | 'where-telling'): Promise<PageView> {
    await openInApp(this.#session, servedAddress(this.#site, this.#origin, url), DISPLAY);
    await this.#note(url);
    const measured = await this.#session.run<Measured>(
      `return (${MEASURE})(${JSON.stringify({ insets: device.insets, width: device.width, height: device.height })})`,
    );
    const isTaken = picture === 'always' || this.notes.takesPicture(measured, device);
    const screenshot = isTaken ? await this.#picture() : undefined;
    return {
      ...{ url, device, engine: 'webkit', ...measured },
      ...(screenshot ? { screenshot } : {}),
    };
  }

  async #picture(): Promise<Uint8Array> {
    const { default: sharp } = await import('sharp');
    const png = await this.#session.picture();
    return new Uint8Array(await sharp(png).jpeg({ quality: 78 }).toBuffer());
  }

  async #note(page: string): Promise<void> {
    const seen: Watched | undefined = await watched(this.#session);
    if (seen) {
      this.#isWatched = true;
      for (const { text, at } of seen.errors) this.notes.error(page, text, at);
      for (const names of seen.asked) this.notes.ask(page, names);
    }
    for (const [url, kind] of await this.#session.run<[string, string][]>(ASKED))
      this.notes.request(page, url, kind === '' ? 'other' : kind);
  }

  /** Notes the open page as its scripts have drawn it; gives the addresses in the site that it leads to. */
  async render(url: string): Promise<string[]> {
    const { html, links } = await this.#session.run<{ html: string; links: string[] }>(
      `return (${RENDERED})()`,
    );
    this.rendered.push({ url, html, source: await this.#session.wait<string>(SOURCE) });
    return links.map((link) => this.notes.real(link));
  }
}

/**
 * Looks at a site in WebKit, as far as its driver can: pages on all screens, what they report and ask for. Pages of a folder get
 * the insets of a screen, and are watched from their beginning; of hosted pages the driver tells no errors, and covers no edge.
 *
 * @param edges `inset` where the app’s window keeps pages clear of bars and cutout
 * @throws HullError `browser.failed`
 */
export async function browseInWebKit(
  site: Site,
  options: WebKitOptions,
  edges: 'inset' | 'cover' = 'cover',
): Promise<WebKitFacts> {
  let insets = NONE;
  const served = site.folder
    ? await serveFolder(
        site.base,
        site.folder.files,
        site.folder.answers.rules,
        asAppWindow({ mode: () => DISPLAY, insets: () => insets, script: () => NOTE_CAPABILITIES }),
      )
    : undefined;
  const devices = edges === 'cover' && served ? DEVICES : DEVICES.map(clearOfEdges);
  const side = Math.max(...devices.flatMap(({ width, height }) => [width, height]));
  try {
    return await withWebKit(
      options,
      { scale: SCALE, scheme: 'light', largest: { width: side, height: side } },
      async (session) => {
        const look = new WebKitLook(session, site, served?.origin ?? site.base.origin);
        const following = new Following(site);
        const views: PageView[] = [];
        for (const device of devices) {
          ({ insets } = device);
          await session.resize(device.width, device.height);
          const isFirst = device === devices[0];
          const pages = [...viewedPages(site, device), ...(isFirst ? following.named() : [])];
          // Pages are added while they are gone through.
          for (const url of isFirst ? pages : pages.slice(0, 1)) {
            options.signal?.throwIfAborted();
            options.onStep?.(`WebKit, ${device.name}: ${new URL(url).pathname}`);
            try {
              views.push(await look.view(url, device, url === pages[0] ? 'always' : 'where-telling'));
              if (isFirst) pages.push(...following.next(await look.render(url)));
            } catch (error) {
              options.signal?.throwIfAborted();
              const [line = ''] = (error instanceof Error ? error.message : String(error)).split('\n');
              look.notLoaded.push({ page: url, text: line.slice(0, 200) });
            }
          }
        }
        return {
          browser: session.name,
          views,
          notLoaded: look.notLoaded,
          rendered: look.rendered.sort((a, b) => (a.url < b.url ? -1 : 1)),
          notOpened: following.left,
          requests: look.notes.requests,
          watched: look.watched,
        };
      },
    );
  } finally {
    await served?.close();
  }
}
