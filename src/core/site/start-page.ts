import { HullError } from '../errors.js';
import { parseUrl } from '../util/url-path.js';
import type { PageHead } from './page-facts.js';
import type { Site } from './site.js';
import { bestIcon, type OnFault, parseWebManifest, type WebManifest } from './web-manifest.js';
import type { SourceText, WebSource } from './web-source.js';

/** What the start page of a web app leads to. */
export interface FirstLook {
  readonly page: Pick<SourceText, 'name' | 'url'>;
  readonly head: PageHead;
  readonly manifest: WebManifest | undefined;
  /** Address and name of the manifest. */
  readonly manifestText: Pick<SourceText, 'name' | 'url'> | undefined;
}

/** Names that a folder's manifest most often has, where no page links to it. */
export const MANIFEST_NAMES = ['manifest.webmanifest', 'manifest.json', 'site.webmanifest'];

/**
 * Reads a web app's start page and its manifest.
 *
 * @throws HullError `web.no-index`, `manifest.*`, `net.*`
 */
export async function readStartPage(source: WebSource): Promise<FirstLook> {
  const page = await source.text(source.start);
  if (page === undefined) {
    throw new HullError('web.no-index', 'The start page is not there.', {
      location: { url: source.start.href },
    });
  }
  // Loaded here, because packing reads a page only where hull.json names no icon.
  const { readPage } = await import('./page.js');
  const { head } = readPage(page.text);
  for (const reference of head.manifest === undefined ? MANIFEST_NAMES : [head.manifest, ...MANIFEST_NAMES]) {
    const url = parseUrl(reference, page.url);
    const manifestText = url && (await source.text(url));
    if (manifestText) {
      return { page, head, manifest: parseWebManifest(manifestText.name, manifestText.text), manifestText };
    }
  }
  return { page, head, manifest: undefined, manifestText: undefined };
}

/**
 * What a site that was read leads to.
 *
 * @param onFault takes what is wrong with the manifest, which is then read without it
 * @throws HullError `web.no-index`
 */
export function siteLook(site: Site, onFault: OnFault): FirstLook {
  const { startPage, manifest } = site;
  if (startPage === undefined) {
    throw new HullError('web.no-index', 'The start page is not there.', {
      location: { url: site.start.href },
    });
  }
  const page = { name: startPage.name, url: new URL(startPage.url) };
  const { head } = startPage.facts;
  if (manifest?.text === undefined) return { page, head, manifest: undefined, manifestText: undefined };
  const manifestText = { name: manifest.name, url: new URL(manifest.url) };
  try {
    return { page, head, manifest: parseWebManifest(manifest.name, manifest.text, onFault), manifestText };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    onFault(error);
    return { page, head, manifest: undefined, manifestText: undefined };
  }
}

/** A picture to make icons from: its address, and where it is named. */
export interface IconChoice {
  readonly url: URL;
  readonly origin: string;
}

/** The best icon that the manifest names. */
export function manifestIcon({ manifest, manifestText }: FirstLook): IconChoice | undefined {
  const icon = manifest && bestIcon(manifest.icons);
  const url = icon && manifestText && parseUrl(icon.src, manifestText.url);
  return url && { url, origin: `${manifestText.name} /icons` };
}

/** The best icon that the page itself links to. */
export function linkedIcon({ head, page }: FirstLook): IconChoice | undefined {
  const icon = bestIcon(head.icons.map((item) => ({ ...item, src: item.href, purpose: ['any'] })));
  const url = icon && parseUrl(icon.src, page.url);
  return url && { url, origin: `${page.name} <link rel="icon">` };
}
