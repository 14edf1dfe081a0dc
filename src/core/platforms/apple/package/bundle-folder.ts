import { HullError } from '../../../errors.js';
import { MODE_TYPE, type ZipEntry, type ZipLayout } from '../../../formats/zip/types.js';

/** In packages for devices the app is in a folder of this name, in those for simulators at the top. */
const BUNDLE = /^(?:Payload\/)?[^/]+\.app\//;

/** The folder of the app in a package. Throws HullError `package.unknown`. */
export function bundleFolderOf({ entries }: Pick<ZipLayout, 'entries'>): string {
  const folders = new Set(entries.flatMap(({ path }) => BUNDLE.exec(path)?.[0] ?? []));
  const [folder, ...more] = folders;
  if (folder === undefined || more.length > 0) {
    throw new HullError(
      'package.unknown',
      folder === undefined ? 'There is no app in this archive.' : 'There are several apps in this archive.',
      { fix: 'Give an .ipa file: it holds one folder Payload/Name.app.' },
    );
  }
  return folder;
}

/** Whether an archive is a package of Apple's systems: for devices, or for simulators. */
export const isIpa = ({ entries }: Pick<ZipLayout, 'entries'>): boolean =>
  areIpaPaths(entries.map(({ path }) => path));

/** The same of an archive's paths. */
export const areIpaPaths = (paths: readonly string[]): boolean =>
  paths.some((path) => /^(?:Payload\/)?[^/]+\.app\/Info\.plist$/.test(path));

/** Refuses symbolic links. Throws `ipa.malformed`. */
export function checkLinks(entries: readonly ZipEntry[]): void {
  const link = entries.find(({ mode = 0 }) => (mode & MODE_TYPE.mask) === MODE_TYPE.link);
  if (link === undefined) return;
  throw new HullError('ipa.malformed', 'The archive holds a symbolic link, which packages never do.', {
    location: { entry: link.path },
    fix: 'Do not install this package; get it from its maker again.',
  });
}
