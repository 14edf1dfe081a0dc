import { HullError } from '../../core/errors.js';
import { isLoopback, parseUrl } from '../../core/util/url-path.js';

/** The address of a server on this computer. Throws `cli.usage`. */
export function loopback(text: string | undefined, option: string): string | undefined {
  if (text === undefined) return undefined;
  const url = parseUrl(text);
  if (url?.protocol === 'http:' && isLoopback(url.hostname)) return url.origin;
  throw new HullError('cli.usage', `"${text}" is not the address of a server on this computer.`, {
    location: { option },
    fix: `Write it as ${option} http://127.0.0.1:8091`,
  });
}
