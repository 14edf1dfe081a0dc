import { HullError } from '../errors.js';
import { parseUrl } from '../project/url-path.js';
import type { PageHead } from './page.js';
import { bestIcon, parseWebManifest, type WebManifest } from './web-manifest.js';
import type { SourceText, WebSource } from './web-source.js';

/** What the start page of a web app leads to. */
export interface FirstLook {
  readonly page: SourceText;
  readonly head: PageHead;
  readonly manifest: WebManifest | undefined;
  /** Address and name of the manifest. */
  readonly manifestText: SourceText | undefined;
}

/** Names that a folder's manifest most often has, where no page links to it. */
export const MANIFEST_NAMES = ['manifest.webmanifest', 'manifest.json', 'site.webmanifest'];

/**
 * Reads a web app's start page and its manifest.
 *
 * @throws HullError `web.no-index`, `manifest.*`, `net.*`
 */
export async function firstLook(source: WebSource): Promise<FirstLook> {
  const page = await source.text(source.start);
  if (page === undefined) {
    throw new HullError('web.no-index', 'The start page is not there.', {
      place: { url: source.start.href },
    });
  }
  // Loaded here, because packing reads a page only where hull.json names no icon.
  const { readPage } = await import('./page.js');
  const { head } = readPage(page.text);
  const usual = source.kind === 'folder' ? MANIFEST_NAMES : [];
  for (const reference of head.manifest === undefined ? usual : [head.manifest, ...usual]) {
    const url = parseUrl(reference, page.url);
    const manifestText = url && (await source.text(url));
    if (manifestText) {
      return { page, head, manifest: parseWebManifest(manifestText.name, manifestText.text), manifestText };
    }
  }
  return { page, head, manifest: undefined, manifestText: undefined };
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
