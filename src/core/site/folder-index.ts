import { type AnswerRules, answerOf, filesLedTo, isRouted } from './answer.js';
import type { WebFile } from './folder.js';
import { type AddressStatus, pathBelow } from './site.js';

/** A file that answers an address, and with which status. */
export interface FoundFile {
  readonly file: WebFile;
  readonly status: 200 | 404;
}

/** Looks addresses up among the files of a folder, as the shell does on the device. */
export class FolderIndex {
  readonly rules: AnswerRules;
  readonly #base: URL;
  readonly #paths: ReadonlyMap<string, WebFile>;
  readonly #folded: ReadonlyMap<string, string>;

  constructor(base: URL, files: readonly WebFile[], rules: AnswerRules) {
    this.rules = rules;
    this.#base = base;
    this.#paths = new Map(files.map((file) => [file.path, file]));
    this.#folded = new Map(files.map((file) => [file.path.toLowerCase(), file.path]));
  }

  /** What answers a path whose percent-encoding is undone: a file, or why there is none. */
  answer(
    method: string,
    path: string,
    page: boolean,
  ): FoundFile | Exclude<ReturnType<typeof answerOf>, { is: 'file' }> {
    const answer = answerOf(this.rules, (name) => this.#paths.has(name), { method, path, page });
    if (answer.is !== 'file') return answer;
    const file = this.#paths.get(answer.path);
    return file === undefined ? { is: 'nothing', status: 404 } : { file, status: answer.status };
  }

  /** The file that answers an address by its name; `undefined` where none does. */
  file(url: URL): WebFile | undefined {
    const path = pathBelow(this.#base, url);
    return path === undefined ? undefined : this.#find(path);
  }

  #find(path: string): WebFile | undefined {
    for (const name of filesLedTo(path)) {
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
    for (const name of filesLedTo(path)) {
      const other = this.#folded.get(name.toLowerCase());
      if (other !== undefined) return { is: 'case', other };
    }
    return { is: isRouted(this.rules, path) ? 'unknown' : 'missing' };
  }
}
