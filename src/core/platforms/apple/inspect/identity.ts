import { HullError } from '../../../errors.js';
import type { FileSource } from '../../../formats/bytes/source.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import { dictIn, dictsIn, type PlistDict, stringIn } from '../../../formats/plist/types.js';
import { readEntry } from '../../../formats/zip/reader.js';
import type { ZipLayout } from '../../../formats/zip/types.js';
import { withPackage } from '../../../packaging/read-package.js';
import { bundleFolderOf } from '../package/bundle-folder.js';

/** Which app a package of Apple's systems is, as its `Info.plist` says. */
export interface IpaIdentity {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly id: string;
  readonly version: string | undefined;
  readonly build: string | undefined;
  /** The vendor's SDK that built it; `undefined` for packages that others' tools made. */
  readonly sdk: string | undefined;
}

const MOST_INFO = 4 * 1024 * 1024;

/**
 * Which app a package is: nothing else of it is read.
 *
 * @throws HullError `file.missing`, `zip.*`, `package.unknown`, `plist.malformed`
 */
export function ipaIdentity(file: string): Promise<IpaIdentity> {
  return withPackage(file, async (source, layout) => {
    const info = await infoOf(source, layout);
    return {
      file,
      size: source.size,
      id: stringIn(info, 'CFBundleIdentifier') ?? '?',
      version: stringIn(info, 'CFBundleShortVersionString'),
      build: stringIn(info, 'CFBundleVersion'),
      sdk: stringIn(info, 'DTSDKName'),
    };
  });
}

/** How home screens show an app. */
export interface IpaFace {
  readonly id: string;
  readonly version: string | undefined;
  readonly build: string | undefined;
  readonly name: string | undefined;
  /** The largest loose icon, PNG; `undefined` where icons are in a catalog. */
  readonly icon: Uint8Array | undefined;
  /** The icon's menu, as far as it names pages. */
  readonly shortcuts: readonly { readonly name: string; readonly url: string }[];
}

/** As {@link ipaIdentity}, of a package that is open: with what home screens show. */
export async function ipaFace(source: FileSource, layout: ZipLayout): Promise<IpaFace> {
  const info = await infoOf(source, layout);
  const folder = bundleFolderOf(layout);
  const [icon] = layout.entries
    .filter(({ path }) => path.startsWith(folder) && /^AppIcon[^/]*\.png$/.test(path.slice(folder.length)))
    .sort((one, other) => other.size - one.size);
  return {
    id: stringIn(info, 'CFBundleIdentifier') ?? '?',
    version: stringIn(info, 'CFBundleShortVersionString'),
    build: stringIn(info, 'CFBundleVersion'),
    name: stringIn(info, 'CFBundleDisplayName') ?? stringIn(info, 'CFBundleName'),
    icon: icon && (await readEntry(source, icon, MOST_INFO)),
    shortcuts: shortcutsOf(info),
  };
}

/** Entries of the icon's menu (Information Property List, UIApplicationShortcutItems). */
function shortcutsOf(info: PlistDict): IpaFace['shortcuts'] {
  return dictsIn(info, 'UIApplicationShortcutItems').flatMap((item) => {
    const name = stringIn(item, 'UIApplicationShortcutItemTitle');
    const url = stringIn(dictIn(item, 'UIApplicationShortcutItemUserInfo'), 'url');
    return name === undefined || url === undefined ? [] : [{ name, url }];
  });
}

async function infoOf(source: FileSource, layout: ZipLayout): Promise<PlistDict> {
  const path = `${bundleFolderOf(layout)}Info.plist`;
  const entry = layout.entries.find((one) => one.path === path);
  if (entry === undefined) {
    throw new HullError('package.unknown', 'The app in this archive has no Info.plist.', {
      fix: 'Give an .ipa file as it was exported.',
    });
  }
  return readPlistDict(await readEntry(source, entry, MOST_INFO));
}
