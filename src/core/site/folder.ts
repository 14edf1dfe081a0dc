import { type Dirent, realpathSync, statSync } from 'node:fs';
import { readdir, realpath } from 'node:fs/promises';
import { join, sep } from 'node:path';
import { type ErrorCode, fromSystemError, HullError, systemErrorCode, task, withTasks } from '../errors.js';
import type { FileStamp } from '../formats/zip/types.js';
import { HOST_FILES } from './host-files.js';
import { extensionOf } from './media-types.js';

/** One file of a web folder. */
export interface WebFile {
  /** Path below the folder, with `/` between names. */
  readonly path: string;
  /** Path on disk. */
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly stamp?: FileStamp;
}

/** Why a file was left out of a package. */
export type LeftOutReason = 'dot file' | 'source map' | 'node_modules' | 'web only' | 'for a host';

/** A file that is not packed, and why. */
export interface ExcludedFile {
  readonly path: string;
  readonly reason: LeftOutReason;
}

export interface WebFolder {
  /** The folder as the user named it. */
  readonly dir: string;
  /** In code-unit order of their paths: the same on every machine. */
  readonly files: readonly WebFile[];
  readonly leftOut: readonly ExcludedFile[];
}

export interface FolderOptions {
  readonly sourceMaps?: boolean;
}

/** Sources that only a server can run. */
export const SERVER_SIDE = new Set('php phtml jsp jspx asp aspx cshtml erb py rb cgi pl cfm'.split(' '));
/** The one dot folder that belongs to a site: association documents (RFC 8615). */
const WELL_KNOWN = '.well-known';

function leaveOut(name: string, options: FolderOptions): LeftOutReason | undefined {
  if (name === 'node_modules') return 'node_modules';
  if (name.startsWith('.') && name !== WELL_KNOWN) return 'dot file';
  if (!options.sourceMaps && extensionOf(name) === 'map') return 'source map';
  return undefined;
}

/** Start-up images and screenshots for browsers, as `makeArt` and `previewProject` make them: of no use inside an app. */
const WEB_ONLY = /(^|\/)art\/(start\/\d+x\d+-\dx(-dark)?\.png|shots\/start-(narrow|wide)\.webp)$/;

class Walker {
  readonly files: WebFile[] = [];
  readonly leftOut: { path: string; reason: LeftOutReason }[] = [];
  /** What is wrong with single files; told only once the folder is known to be a web folder at all. */
  readonly faults: HullError[] = [];
  readonly #root: string;
  readonly #options: FolderOptions;

  constructor(root: string, options: FolderOptions) {
    this.#root = root;
    this.#options = options;
  }

  #fault(code: ErrorCode, message: string, file: string, fix: string): void {
    this.faults.push(new HullError(code, message, { location: { file }, fix }));
  }

  /** The true path of a symbolic link; `undefined`, and a fault, where it leads out of the folder or nowhere. */
  #follow(file: string, path: string): string | undefined {
    let target: string;
    try {
      target = realpathSync(file);
    } catch (error) {
      if (systemErrorCode(error) !== 'ENOENT' && systemErrorCode(error) !== 'ELOOP') {
        throw fromSystemError(error, file);
      }
      const fix = 'Remove the link, or put the file itself in its place.';
      this.#fault('web.link-loop', 'This symbolic link leads nowhere.', file, fix);
      return undefined;
    }
    if (target === this.#root || target.startsWith(this.#root + sep)) return target;
    const fix = `Put a copy of the file at ${path}, so that nothing is packed by accident.`;
    this.#fault(
      'web.link-outside',
      `This symbolic link leads out of the web folder, to ${target}.`,
      file,
      fix,
    );
    return undefined;
  }

  async walk(dir: string, prefix: string, ancestors: readonly string[]): Promise<void> {
    let items: Dirent[];
    try {
      items = await readdir(dir, { withFileTypes: true });
    } catch (error) {
      throw fromSystemError(error, dir);
    }
    for (const item of items) {
      const path = prefix + item.name;
      const file = join(dir, item.name);
      if (item.name.includes('\uFFFD')) {
        const message = 'The name of this file is not valid UTF-8, so no page can name it.';
        this.#fault('web.unreadable-name', message, file, 'Rename the file.');
        continue;
      }
      const reason = HOST_FILES.has(path)
        ? 'for a host'
        : WEB_ONLY.test(path)
          ? 'web only'
          : leaveOut(item.name, this.#options);
      if (reason !== undefined) {
        this.leftOut.push({ path, reason });
        continue;
      }
      const target = item.isSymbolicLink() ? this.#follow(file, path) : file;
      if (target === undefined) continue;
      const isFolder = item.isSymbolicLink() ? statSync(target).isDirectory() : item.isDirectory();
      if (!isFolder) {
        const facts = statSync(target);
        if (!facts.isFile()) continue;
        const { size, ino, mtimeMs, ctimeMs } = facts;
        this.files.push({ path, file, size, stamp: { ino, mtimeMs, ctimeMs } });
        continue;
      }
      const real = item.isSymbolicLink() ? target : await realpath(file);
      if (ancestors.includes(real)) {
        const message = 'This symbolic link leads back to a folder that contains it.';
        this.#fault('web.link-loop', message, file, 'Remove the link.');
      } else await this.walk(file, `${path}/`, [...ancestors, real]);
    }
  }
}

function* caseFaults(files: readonly WebFile[]): Generator<HullError> {
  const seen = new Map<string, string>();
  for (const { path, file } of files) {
    const folded = path.normalize('NFC').toLowerCase();
    const other = seen.get(folded);
    if (other !== undefined) {
      yield new HullError(
        'web.case-clash',
        `"${path}" and "${other}" differ only in capital letters or accents’ form.`,
        {
          location: { file },
          fix: 'Rename one: on many disks they would be one file, and pages would get the wrong one.',
        },
      );
    }
    seen.set(folded, path);
  }
}

function indexFault(dir: string, files: readonly WebFile[]): HullError | undefined {
  if (files.some((file) => file.path === 'index.html' || file.path === 'index.htm')) return undefined;
  const server = files.find((file) => SERVER_SIDE.has(extensionOf(file.path)));
  if (server !== undefined) {
    return new HullError(
      'web.server-side',
      'This folder holds sources that only a server can run, and no index.html.',
      {
        location: { file: server.file },
        fix: withTasks`Give the folder of a static export, or the URL where the server runs: ${task('beginProject', 'https://…')}`,
      },
    );
  }
  const nested = files
    .filter((file) => file.path.endsWith('/index.html') && !file.path.includes(`${WELL_KNOWN}/`))
    .sort((a, b) => a.path.length - b.path.length)[0];
  const sources = files.some((file) => file.path === 'package.json');
  const fix =
    nested !== undefined
      ? `Give the folder that holds it: ${join(dir, nested.path.slice(0, -'/index.html'.length))}`
      : sources
        ? 'This looks like a project’s sources: build it, and give the folder of the built files.'
        : 'Give the folder of the built files, the one that a web server would serve.';
  return new HullError('web.no-index', 'There is no index.html in this folder.', {
    location: { file: dir },
    fix,
  });
}

/** Lists a web folder, as {@link listWebFolder} does. */
export type ListFolder = (dir: string, options?: FolderOptions) => Promise<WebFolder>;

/** Lists each web folder once, however often it is asked for. */
export function listOnce(): ListFolder {
  const known = new Map<string, Promise<WebFolder>>();
  return (dir, options = {}) => {
    const key = `${dir}\0${options.sourceMaps ?? false}`;
    const listed = known.get(key) ?? listWebFolder(dir, options);
    known.set(key, listed);
    return listed;
  };
}

/**
 * Lists the files of a web folder that a package would hold. Dot files (but for `.well-known`), `node_modules` and,
 * unless asked for, source maps are left out and told. Symbolic links are followed inside the folder only.
 *
 * @throws HullError `web.no-folder`, `web.no-index`, `web.server-side`, `web.link-outside`, `web.link-loop`,
 *   `web.case-clash`, `web.unreadable-name`
 */
export async function listWebFolder(dir: string, options: FolderOptions = {}): Promise<WebFolder> {
  const { faults, ...folder } = await scanFolder(dir, options);
  const [fault] = faults;
  if (fault !== undefined) throw fault;
  return folder;
}

/**
 * Lists a web folder, and everything for which {@link listWebFolder} would refuse it, the gravest first.
 *
 * @throws HullError `web.no-folder`
 */
export async function scanFolder(
  dir: string,
  options: FolderOptions = {},
): Promise<WebFolder & { readonly faults: readonly HullError[] }> {
  let root: string;
  try {
    root = await realpath(dir);
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') throw noFolder(dir, 'There is no such folder.');
    throw fromSystemError(error, dir);
  }
  if (!statSync(root).isDirectory()) throw noFolder(dir, 'This is a file, not a folder.');
  const walker = new Walker(root, options);
  await walker.walk(dir, '', [root]);
  const byPath = (a: { path: string }, b: { path: string }) =>
    a.path < b.path ? -1 : a.path > b.path ? 1 : 0;
  const files = walker.files.sort(byPath);
  const noIndex = indexFault(dir, files);
  const faults = [...(noIndex ? [noIndex] : []), ...walker.faults, ...caseFaults(files)];
  return { dir, files, leftOut: walker.leftOut.sort(byPath), faults };
}

function noFolder(dir: string, message: string): HullError {
  return new HullError('web.no-folder', message, {
    location: { file: dir },
    fix: 'Check the path; it is the folder of built files, or a URL that starts with https://',
  });
}
