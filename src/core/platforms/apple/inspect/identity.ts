import { HullError } from '../../../errors.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import { stringIn } from '../../../formats/plist/types.js';
import { readEntry } from '../../../formats/zip/reader.js';
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
    const path = `${bundleFolderOf(layout)}Info.plist`;
    const entry = layout.entries.find((one) => one.path === path);
    if (entry === undefined) {
      throw new HullError('package.unknown', 'The app in this archive has no Info.plist.', {
        fix: 'Give an .ipa file as it was exported.',
      });
    }
    const info = readPlistDict(await readEntry(source, entry, MOST_INFO));
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
