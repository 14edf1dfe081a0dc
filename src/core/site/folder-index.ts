import { filesForPath, mayBeRoute } from './files-for-path.js';
import type { WebFile } from './folder.js';
import { type AddressStatus, pathBelow } from './site.js';

/** Looks addresses up among the files of a folder, as the shell does on the device. */
export class FolderIndex {
  readonly #base: URL;
  readonly #paths: ReadonlyMap<string, WebFile>;
  readonly #folded: ReadonlyMap<string, string>;
  /** Whether paths without a file name ending are answered from the index page: the app routes by itself. */
  readonly #routes: boolean;

  constructor(base: URL, files: readonly WebFile[]) {
    this.#base = base;
    this.#paths = new Map(files.map((file) => [file.path, file]));
    this.#folded = new Map(files.map((file) => [file.path.toLowerCase(), file.path]));
    this.#routes = !this.#paths.has('404.html');
  }

  /** The file that answers an address; `undefined` where none does. */
  file(url: URL): WebFile | undefined {
    const path = pathBelow(this.#base, url);
    return path === undefined ? undefined : this.#find(path);
  }

  #find(path: string): WebFile | undefined {
    for (const name of filesForPath(path)) {
      const found = this.#paths.get(name);
      if (found) return found;
    }
    return undefined;
  }

  resolveStatus(url: URL): AddressStatus {
    if (url.origin !== this.#base.origin) return { is: 'foreign' };
    const path = pathBelow(this.#base, url);
    if (path === undefined) {
      if (url.pathname.startsWith(this.#base.pathname)) return { is: 'missing' };
      if (`${url.pathname}/` === this.#base.pathname) return { is: 'there' };
      const meant = pathBelow(new URL('/', this.#base), url);
      return { is: 'outside', meant: meant !== undefined && this.#find(meant) !== undefined };
    }
    if (this.#find(path)) return { is: 'there' };
    for (const name of filesForPath(path)) {
      const other = this.#folded.get(name.toLowerCase());
      if (other !== undefined) return { is: 'case', other };
    }
    const routed = this.#routes && mayBeRoute(path);
    return { is: routed ? 'unknown' : 'missing' };
  }
}
