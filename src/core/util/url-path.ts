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

/** Second levels below which a country's owners have their names, as in `example.co.uk`. */
const SHARED_LEVELS = /^(co|com|org|net|edu|gov|ac|or|ne|go|gob|gouv)\.[a-z]{2}$/;

/** The part of a host that one owner usually has, as far as it can be told from the name alone. */
function ownerOf(host: string): string {
  if (/^[\d.]+$|:/.test(host)) return host;
  const labels = host.toLowerCase().split('.');
  return labels.slice(SHARED_LEVELS.test(labels.slice(-2).join('.')) ? -3 : -2).join('.');
}

/** Whether two hosts usually have one owner. */
export const isSameOwner = (one: string, other: string): boolean => ownerOf(one) === ownerOf(other);

/** The other of the two names that people take for one: with and without `www.` */
export function wwwVariant(host: string): string | undefined {
  if (host.startsWith('*.')) return undefined;
  if (host.startsWith('www.')) return host.slice(4).includes('.') ? host.slice(4) : undefined;
  // Below a registered name people seldom type www: a host of three labels has one already.
  return host.split('.').length === 2 ? `www.${host}` : undefined;
}

const LOOPBACK = new Set(['localhost', '127.0.0.1', '[::1]']);

/** Whether a host is this computer itself. @param hostname as URLs have it, in lower case */
export const isLoopback = (hostname: string): boolean => LOOPBACK.has(hostname);
