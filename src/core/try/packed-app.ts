import { fromSystemError, HullError } from '../errors.js';
import { FileSource } from '../formats/bytes/source.js';
import { readEntry, readZip } from '../formats/zip/reader.js';
import type { ZipEntry, ZipLayout } from '../formats/zip/types.js';
import { SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../platforms/android/app/shell-settings.js';
import { packageFace } from '../platforms/android/inspect/inspect.js';
import {
  SETTINGS_PATH as APPLE_SETTINGS_PATH,
  SITE_PATH as APPLE_SITE_PATH,
  WORDS_PATH as APPLE_WORDS_PATH,
} from '../platforms/apple/app/shell-settings.js';
import { ipaFace } from '../platforms/apple/inspect/identity.js';
import { bundleFolderOf, isIpa } from '../platforms/apple/package/bundle-folder.js';
import { assumedSettings, type PackedSettings, readPackedSettings } from './settings.js';

/** An entry of the icon's menu. */
export interface Shortcut {
  readonly name: string;
  readonly url: string;
}

/** An app as its package has it: what it says of itself, and its pages. Close it when it is no longer run. */
export interface PackedApp {
  readonly file: string;
  readonly kind: 'apk' | 'aab' | 'ipa';
  readonly platform: 'android' | 'apple';
  readonly id: string;
  readonly name: string;
  /** Below its icon. */
  readonly label: string;
  readonly version: string | undefined;
  readonly build: string | undefined;
  /** PNG or WebP. */
  readonly icon: Uint8Array | undefined;
  readonly settings: PackedSettings;
  /** The icon's menu: each entry opens a page. */
  readonly shortcuts: readonly Shortcut[];
  /** The table of the shell's own words; empty where the package has none. */
  readonly words: string;
  /** Whether there is a page at a path below the packed folder. */
  has(path: string): boolean;
  read(path: string): Promise<Uint8Array>;
  close(): Promise<void>;
}

const MOST_SETTINGS = 4 * 1024 * 1024;
/** The most bytes of one packed file that are run. */
const MOST_FILE = 512 * 1024 * 1024;

interface Opened {
  readonly source: FileSource;
  readonly layout: ZipLayout;
}

/** Where a kind of package has what the shell reads. */
interface Places {
  readonly settings: string;
  readonly words: string;
  readonly site: string;
  /** Where pages may be in packages of others. */
  readonly assets: string;
}

function placesIn(layout: ZipLayout): Places {
  if (isIpa(layout)) {
    const folder = bundleFolderOf(layout);
    return {
      settings: folder + APPLE_SETTINGS_PATH,
      words: folder + APPLE_WORDS_PATH,
      site: folder + APPLE_SITE_PATH,
      assets: folder,
    };
  }
  const base = layout.entries.some(({ path }) => path === 'BundleConfig.pb') ? 'base/' : '';
  return {
    settings: base + SETTINGS_PATH,
    words: base + WORDS_PATH,
    site: base + SITE_PATH,
    assets: `${base}assets/`,
  };
}

async function settingsIn({ source, layout }: Opened, path: string): Promise<PackedSettings | undefined> {
  const entry = layout.entries.find((one) => one.path === path);
  if (entry === undefined) return undefined;
  const bytes = await readEntry(source, entry, MOST_SETTINGS);
  try {
    return readPackedSettings(JSON.parse(Buffer.from(bytes).toString('utf8')));
  } catch (error) {
    if (error instanceof HullError) throw error;
    return undefined;
  }
}

async function wordsIn({ source, layout }: Opened, path: string): Promise<string> {
  const entry = layout.entries.find((one) => one.path === path);
  return entry === undefined
    ? ''
    : Buffer.from(await readEntry(source, entry, MOST_SETTINGS)).toString('utf8');
}

/** The folder of the first page that a package of others has: the least deep. */
function foreignSite({ layout }: Opened, assets: string): string | undefined {
  const pages = layout.entries
    .map(({ path }) => path)
    .filter((path) => path.startsWith(assets) && /(?:^|\/)index\.html?$/i.test(path));
  const depth = (path: string) => path.split('/').length;
  const [first] = pages.sort((one, other) => depth(one) - depth(other) || one.length - other.length);
  return first?.replace(/[^/]+$/, '');
}

async function faceOf(opened: Opened, file: string) {
  if (!isIpa(opened.layout)) {
    const { kind, id, version, build, name, label, icon, shortcuts } = await packageFace(
      file,
      opened.source,
      opened.layout,
    );
    return {
      kind,
      platform: 'android',
      id,
      version,
      build: build === undefined ? undefined : String(build),
      name,
      label,
      icon,
      shortcuts,
    } as const;
  }
  const { id, version, build, name, icon, shortcuts } = await ipaFace(opened.source, opened.layout);
  return { kind: 'ipa', platform: 'apple', id, version, build, name, label: name, icon, shortcuts } as const;
}

async function appIn(opened: Opened, file: string): Promise<PackedApp> {
  const { source, layout } = opened;
  const places = placesIn(layout);
  const face = await faceOf(opened, file);
  const own = await settingsIn(opened, places.settings);
  const site = own ? places.site : foreignSite(opened, places.assets);
  if (site === undefined) {
    throw new HullError('try.no-pages', 'This package holds no pages that could be run here.', {
      location: { file },
      fix: 'Name a package that Jolly Hull made, or one that has its pages among its assets.',
    });
  }
  const name = face.name ?? face.id;
  const files = new Map<string, ZipEntry>(
    layout.entries
      .filter(({ path }) => path.startsWith(site) && !path.endsWith('/'))
      .map((entry) => [entry.path.slice(site.length), entry]),
  );
  return {
    ...face,
    file,
    name,
    label: face.label ?? name,
    settings: own ?? assumedSettings(name),
    words: await wordsIn(opened, places.words),
    has: (path) => files.has(path),
    read: async (path) => {
      const entry = files.get(path);
      if (entry === undefined) throw new HullError('file.missing', `There is no ${path} in the package.`, {});
      return readEntry(source, entry, MOST_FILE);
    },
    close: () => source.close(),
  };
}

/**
 * Opens a package to run its pages: an `.apk`, `.aab` or `.ipa`, ours or one with pages among its assets.
 *
 * @throws HullError `try.no-pages`, `package.unknown`, `file.missing`, `zip.*`, `axml.malformed`, `plist.malformed`
 */
export async function openPackedApp(file: string): Promise<PackedApp> {
  let source: FileSource | undefined;
  try {
    source = await FileSource.open(file);
    return await appIn({ source, layout: await readZip(source) }, file);
  } catch (error) {
    await source?.close();
    throw error instanceof HullError ? error.at({ file }) : fromSystemError(error, file);
  }
}
