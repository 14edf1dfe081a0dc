import { createHash } from 'node:crypto';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import type { Project } from '../project/project.js';
import type { ListFolder } from '../site/folder.js';
import { fileSha256 } from '../util/files.js';
import { Kept } from '../util/kept.js';
import { VERSION } from '../util/version.js';
import { namedFiles } from './named-files.js';

/** Digests of folders and files that several brands share; each is read once. */
export class Inputs {
  readonly #list: ListFolder;
  readonly #folders = new Map<string, Promise<string>>();
  readonly #files = new Map<string, Promise<string>>();
  readonly #named = new Kept<Project, 'files', readonly string[]>();

  constructor(list: ListFolder) {
    this.#list = list;
  }

  /** SHA-256 of a file, hexadecimal. */
  file(path: string): Promise<string> {
    const known = this.#files.get(path) ?? fileSha256(path);
    this.#files.set(path, known);
    return known;
  }

  /** As {@link namedFiles}. */
  named(project: Project): readonly string[] {
    return this.#named.get(project, 'files', () => namedFiles(project));
  }

  #folder(dir: string): Promise<string> {
    const known = this.#folders.get(dir) ?? this.#digest(dir);
    this.#folders.set(dir, known);
    return known;
  }

  async #digest(dir: string): Promise<string> {
    const { files } = await this.#list(dir, { sourceMaps: true });
    const hash = createHash('sha256');
    for (const { path, file } of files) hash.update(`${path}\0${await fileSha256(file)}\n`);
    return hash.digest('hex');
  }

  /** A digest of everything that a package is made from: settings, pages, icon, key, and this version. */
  async digest(project: Project, kind: PackageKind): Promise<string> {
    const { web } = project.settings;
    const parts = [
      VERSION,
      kind,
      JSON.stringify(project.settings),
      web.folder === undefined ? '' : await this.#folder(project.resolve(web.folder)),
      ...(await Promise.all(this.named(project).map((file) => this.file(file)))),
    ];
    return createHash('sha256').update(parts.join('\n')).digest('hex');
  }
}
