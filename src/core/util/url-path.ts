/** A URL from a reference that nobody has checked (WHATWG URL), `undefined` where it is none. */
export function parseUrl(reference: string, base?: URL): URL | undefined {
  return URL.canParse(reference, base?.href) ? new URL(reference, base) : undefined;
}

/** The folder that an address lies in, as a base for others: ends with a slash, without query and fragment. */
export function baseOf(url: URL): URL {
  return new URL('.', url);
}

/** A path with its percent-encoding undone (RFC 3986 section 2.1), `undefined` where that is broken. */
export function decodePath(path: string): string | undefined {
  try {
    return decodeURIComponent(path);
  } catch {
    return undefined;
  }
}
