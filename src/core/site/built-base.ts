import { baseOf, parseUrl } from '../util/url-path.js';
import { FOLDER_ROOT } from './web-source.js';

/** Where the pages of a folder lie, as the start page tells. */
export interface BuiltBase {
  /** Address below which the folder is hosted, where the page says so. */
  readonly hosted?: URL;
  /** Path that the page's own addresses begin with, though the folder has no such path: `/shop/`. */
  readonly builtFor?: string;
}

const PATH_REFERENCE = /<(?:script|link)\b[^>]*?\b(?:src|href)\s*=\s*["']?(\/[^"'\s>]*)/gi;

/** Paths on the host of the scripts, styles and icons that a page links to by absolute paths. */
function absolutePaths(page: string): string[] {
  return [...page.matchAll(PATH_REFERENCE)].flatMap(([, text]) => {
    const url = text === undefined || text.startsWith('//') ? undefined : parseUrl(text, FOLDER_ROOT);
    const path = url?.pathname.slice(1);
    return path === undefined || path === '' ? [] : [path];
  });
}

function addressIn(page: string): URL | undefined {
  const canonical = /<link\b[^>]*\brel\s*=\s*["']?canonical["']?[^>]*>/i.exec(page)?.[0];
  const href = canonical && /\bhref\s*=\s*["']?(https?:\/\/[^"'\s>]+)/i.exec(canonical)?.[1];
  const url = href === undefined ? undefined : parseUrl(href);
  // Phones refuse plain http: what is packed is better served under an origin of its own.
  return url?.protocol === 'https:' ? url : undefined;
}

/**
 * Where a folder's own start page says that it lies: by its canonical address, and by addresses that lead to files only
 * when the first steps of their path are left out.
 *
 * @param page text of the folder's `index.html`
 * @param has whether the folder has a file at a path
 */
export function findBuiltBase(page: string, has: (path: string) => boolean): BuiltBase {
  const canonical = addressIn(page);
  const paths = absolutePaths(page);
  const isRoot = paths.some(has);
  const builtFor = isRoot ? undefined : commonPrefix(paths, has);
  if (canonical === undefined) return builtFor === undefined ? {} : { builtFor };
  const own = canonical.pathname;
  // Elsewhere the page could not load what it is made of.
  if (builtFor !== undefined) return { hosted: new URL(builtFor, canonical), builtFor };
  // The folder's start page is at the folder: an address without a slash means the same as one with it, unless the
  // page's files lie at the root of the host, so that the address is only the page's.
  const isFile = own.endsWith('/') || /\.[^/]*$/.test(own);
  return { hosted: isFile || isRoot ? baseOf(canonical) : new URL(`${own}/`, canonical) };
}

/** A path that addresses begin with, behind which there are files. */
function commonPrefix(paths: readonly string[], has: (path: string) => boolean): string | undefined {
  for (const path of paths) {
    const steps = path.split('/');
    for (let count = 1; count < steps.length; count += 1) {
      if (has(steps.slice(count).join('/'))) return `/${steps.slice(0, count).join('/')}/`;
    }
  }
  return undefined;
}
