import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError, HullError, type Location } from '../errors.js';
import { parseUrl } from '../util/url-path.js';
import { type OwnAnswers, readAnswers } from './answer-rules.js';
import { Assembler, assembleManifest, manifestLink } from './assemble.js';
import { type BuiltBase, findBuiltBase } from './built-base.js';
import type { WebFile, WebFolder } from './folder.js';
import { FolderIndex } from './folder-index.js';
import { extensionOf } from './media-types.js';
import type { ParseTexts } from './parsed-texts.js';
import { type Picture, readPicture } from './picture.js';
import { LineIndex } from './positions.js';
import {
  type FolderFacts,
  fileUrl,
  type LimitReached,
  manifestList,
  pageBase,
  type ReadFault,
  type Site,
} from './site.js';
import { MANIFEST_NAMES } from './start-page.js';
import { decodeText, isBinary } from './text.js';
import { FOLDER_ROOT } from './web-source.js';

export interface ReadFolderOptions {
  /** Where the folder is hosted, or will be served; ends with a slash. */
  readonly base?: URL;
  /** First page, below the base. */
  readonly start?: URL;
  /** How the pages answer, where a project says it. */
  readonly answers?: OwnAnswers;
  /** Whether what is not in the folder is asked of the host, because a project says so. */
  readonly network?: boolean;
  /** Pages that are read at most. */
  readonly maxPages?: number;
  /** What pages are read as: their text without what is not to be judged. */
  readonly prepare?: (name: string, text: string) => string;
  readonly onProgress?: (done: number, total: number) => void;
  /** What other readings have parsed already. */
  readonly parsed?: ParseTexts;
}

export const FOLDER_PAGES = 50_000;
const MAX_TEXT_BYTES = 16 * 1024 * 1024;
const MAX_SECRET_BYTES = 256 * 1024;

const PAGES = new Set(['html', 'htm', 'xhtml']);
const SCRIPTS = new Set(['js', 'mjs', 'cjs']);
/** Other texts in which a private key may have been left. */
const MAY_HOLD_SECRETS = new Set(
  'json txt pem key crt cer xml yml yaml env conf cfg ini md toml properties'.split(' '),
);
/** A private key in PEM (RFC 7468), its line ends as they are or as a script's text has them; a placeholder is none. */
const PRIVATE_KEY = /-----BEGIN (?:[A-Z]+ )*PRIVATE KEY-----((?:\\[rn]|[\sA-Za-z0-9+/=]){64,})/;
const MIN_LETTERS = 12;

/** Reads a listed folder file by file; a fault in one leaves the others to be judged. */
class FolderReader {
  readonly assembler: Assembler;
  readonly faults: ReadFault[] = [];
  readonly limits: LimitReached[] = [];
  readonly secrets: { location: Location; what: string }[] = [];
  readonly base: URL;
  readonly #folder: WebFolder;
  readonly #prepare: NonNullable<ReadFolderOptions['prepare']>;

  constructor(folder: WebFolder, base: URL, { prepare, parsed }: ReadFolderOptions) {
    this.assembler = new Assembler(parsed);
    this.#prepare = prepare ?? ((_name, text) => text);
    this.#folder = folder;
    this.base = base;
  }

  url(file: WebFile): string {
    const path = file.path.split('/').map(encodeURIComponent).join('/');
    return new URL(path.replace(/(^|\/)index\.html$/, '$1'), this.base).href;
  }

  name(file: WebFile): string {
    return join(this.#folder.dir, file.path);
  }

  bytes(file: WebFile): Uint8Array | undefined {
    try {
      return readFileSync(file.file);
    } catch (error) {
      const known = fromSystemError(error, file.file);
      if (!(known instanceof HullError)) throw known;
      this.faults.push({ kind: 'unreadable', location: { file: this.name(file) }, message: known.message });
      return undefined;
    }
  }

  /** A file's text; `undefined`, and a fault, where it is none. */
  text(file: WebFile): string | undefined {
    const location = { file: this.name(file) };
    if (file.size > MAX_TEXT_BYTES) {
      const message = `This file has ${Math.round(file.size / 1024 / 1024)} MiB; more than 16 are not read.`;
      this.limits.push({ what: 'file-size', limit: MAX_TEXT_BYTES, location, message });
      return undefined;
    }
    const bytes = this.bytes(file);
    if (bytes === undefined) return undefined;
    if (isBinary(bytes)) {
      const message = `This file is named .${extensionOf(file.path)}, but what is in it is no text.`;
      this.faults.push({ kind: 'binary-page', location, message });
      return undefined;
    }
    return decodeText(bytes);
  }

  #secretsIn(file: WebFile, text: string): void {
    const match = text.includes('PRIVATE KEY-----') ? PRIVATE_KEY.exec(text) : null;
    // X's and dots stand for a key in documents.
    if (match === null || new Set(match[1]).size < MIN_LETTERS) return;
    const spot = new LineIndex(text).spot(match.index);
    this.secrets.push({
      location: { file: this.name(file), ...spot },
      what: match[0].slice(0, match[0].indexOf('KEY-----') + 'KEY-----'.length),
    });
  }

  read(file: WebFile): void {
    const extension = extensionOf(file.path);
    const isPage = PAGES.has(extension);
    const isScript = SCRIPTS.has(extension);
    if (!isPage && !isScript && extension !== 'css') {
      if (MAY_HOLD_SECRETS.has(extension) && file.size <= MAX_SECRET_BYTES) {
        const bytes = this.bytes(file);
        if (bytes) this.#secretsIn(file, Buffer.from(bytes).toString('latin1'));
      }
      return;
    }
    const text = this.text(file);
    if (text === undefined) return;
    const [url, name] = [this.url(file), this.name(file)];
    if (isPage) this.assembler.addPage(url, name, this.#prepare(name, text));
    else if (isScript) this.assembler.addScript(url, name, text);
    else this.assembler.addStyle(url, name, text);
    if (!(extension === 'css')) this.#secretsIn(file, text);
  }
}

/** Where the folder's start page says that it lies. */
export function builtBaseOf(folder: WebFolder): BuiltBase {
  const index = folder.files.find((file) => file.path === 'index.html');
  if (index === undefined || index.size > MAX_TEXT_BYTES) return {};
  const paths = new Set(folder.files.map(({ path }) => path));
  try {
    return findBuiltBase(decodeText(readFileSync(index.file)), (path) => paths.has(path));
  } catch {
    return {}; // read again with the other files, where the fault is reported
  }
}

/** Order in which files are read: the start page, other pages, then the rest; within that by path. */
function inOrder(files: readonly WebFile[]): WebFile[] {
  const rank = ({ path }: WebFile) => (path === 'index.html' ? 0 : PAGES.has(extensionOf(path)) ? 1 : 2);
  return [...files].sort((a, b) => rank(a) - rank(b));
}

/** Reads a listed folder of web files as a {@link Site}. Faults of single files are reported in it, never thrown. */
export async function readFolderSite(
  folder: WebFolder & { readonly faults?: readonly HullError[] },
  options: ReadFolderOptions = {},
): Promise<Site> {
  const index = folder.files.find((file) => file.path === 'index.html');
  const built = builtBaseOf(folder);
  const known = options.base ?? built.hosted;
  const base = known ?? FOLDER_ROOT;
  const reader = new FolderReader(folder, base, options);
  // Start-up images are left out of packages, but served.
  const served = folder.leftOut.filter(({ reason }) => reason === 'web only');
  const answers = readAnswers(folder, base.pathname, options.network ?? false, options.answers);
  const lookup = new FolderIndex(
    base,
    [...folder.files, ...served.map(({ path }) => ({ path, file: join(folder.dir, path), size: 0 }))],
    answers.rules,
  );
  const files = inOrder(folder.files);
  const maxPages = options.maxPages ?? FOLDER_PAGES;
  let pages = 0;
  for (const [at, file] of files.entries()) {
    if (PAGES.has(extensionOf(file.path))) pages += 1;
    if (pages > maxPages && PAGES.has(extensionOf(file.path))) {
      if (pages === maxPages + 1) {
        const message = `Only the first ${maxPages} pages were read.`;
        reader.limits.push({ what: 'pages', limit: maxPages, location: { file: folder.dir }, message });
      }
      continue;
    }
    reader.read(file);
    if (at % 64 === 0) {
      options.onProgress?.(at, files.length);
      // Lets Ctrl-C and the progress bar in between.
      if (at % 1024 === 0) await new Promise((resolve) => setImmediate(resolve));
    }
  }
  const { assembler } = reader;
  const start = options.start ?? base;
  const startFile = lookup.file(start) ?? index ?? folder.files.find((file) => file.path === 'index.htm');
  const startName = startFile && reader.name(startFile);
  const startPage = assembler.pages.find((page) => page.name === startName);
  const manifest = folderManifest(reader, lookup, folder, startPage);
  const site = {
    kind: 'folder',
    name: folder.dir,
    base,
    baseIsKnown: known !== undefined,
    start,
    startPage,
    pages: startPage ? [startPage, ...assembler.pages.filter((page) => page !== startPage)] : assembler.pages,
    scripts: assembler.scripts,
    styles: assembler.styles,
    styleGroups: assembler.styleGroups(),
    workers: assembler.workers({ kind: 'folder', start: startPage ? new URL(startPage.url) : start }),
    manifest,
    responses: new Map(),
    probes: { association: new Map() },
    folder: {
      dir: folder.dir,
      files: folder.files,
      leftOut: folder.leftOut,
      answers,
      built,
      faults: folder.faults ?? [],
      secrets: reader.secrets,
    } satisfies FolderFacts,
    limits: reader.limits,
    faults: reader.faults,
    resolveStatus: (url: URL) => lookup.resolveStatus(url),
    bytes: (url: URL) => {
      const file = lookup.file(url);
      return file && reader.bytes(file);
    },
  } as const;
  const pictures = await namedPictures({ ...site, pictures: new Map() }, async (url) => site.bytes(url));
  return { ...site, pictures };
}

function folderManifest(
  reader: FolderReader,
  lookup: FolderIndex,
  folder: WebFolder,
  startPage: Site['startPage'],
): Site['manifest'] {
  const link = manifestLink('folder', startPage);
  const file = link ? lookup.file(link.url) : folder.files.find((item) => MANIFEST_NAMES.includes(item.path));
  if (file) return assembleManifest(reader.url(file), reader.name(file), link?.location, reader.text(file));
  return link ? assembleManifest(link.url.href, link.url.pathname, link.location, undefined) : undefined;
}

const MAX_PICTURES = 100;

/** Decodes the pictures that the manifest and the start page name as icons. */
export async function namedPictures(
  site: Site,
  bytes: (url: URL) => Promise<Uint8Array | undefined>,
): Promise<Map<string, Picture>> {
  const pictures = new Map<string, Picture>();
  for (const url of namedPictureUrls(site).slice(0, MAX_PICTURES)) {
    const found = await bytes(url);
    if (found) pictures.set(fileUrl(url), await readPicture(found));
  }
  return pictures;
}

/** Addresses of the icons and screenshots of the manifest, its shortcuts, and the start page's touch icons. */
function namedPictureUrls(site: Site): URL[] {
  const { manifest, startPage } = site;
  const urls = new Map<string, URL>();
  const add = (text: unknown, base: URL) => {
    const url = typeof text === 'string' && !text.startsWith('data:') ? parseUrl(text, base) : undefined;
    if (url && /^https?:$/.test(url.protocol)) urls.set(fileUrl(url), url);
  };
  const src = (item: unknown) =>
    typeof item === 'object' && item !== null ? (item as { src?: unknown }).src : undefined;
  if (manifest) {
    const base = new URL(manifest.url);
    for (const key of ['icons', 'screenshots'])
      for (const item of manifestList(site, key)) add(src(item), base);
    for (const item of manifestList(site, 'shortcuts')) {
      const icons =
        typeof item === 'object' && item !== null ? (item as { icons?: unknown }).icons : undefined;
      if (Array.isArray(icons)) for (const icon of icons) add(src(icon), base);
    }
  }
  if (startPage) {
    const base = pageBase(startPage);
    for (const { kind, text } of startPage.facts.references) {
      if (kind === 'touch-icon' || kind === 'icon') add(text, base);
    }
  }
  return [...urls.values()];
}
