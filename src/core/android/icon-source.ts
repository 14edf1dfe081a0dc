import { readFileSync } from 'node:fs';
import { dirname, posix } from 'node:path';
import type { IconSource } from '../art/launcher-icon.js';
import { fromSystemError, HullError } from '../errors.js';
import type { Project } from '../project/project.js';
import type { WebFolder } from '../site/folder.js';
import { bestIcon, parseWebManifest } from '../site/web-manifest.js';

/** Names that a manifest has where no page needs to be read to find it. */
const MANIFEST_NAMES = ['manifest.webmanifest', 'manifest.json', 'site.webmanifest', 'app.webmanifest'];

const ICON_REMEDY =
  'Name a picture in hull.json: "look": { "icon": "art/icon.svg" }; an SVG, or a square PNG of at least 512 px.';

async function manifestPath(folder: WebFolder): Promise<string | undefined> {
  const has = (path: string) => folder.files.some((file) => file.path === path);
  const index = folder.files.find((file) => file.path === 'index.html');
  if (index !== undefined) {
    const { readPageHead } = await import('../site/page-head.js');
    const { manifest } = readPageHead(readFileSync(index.file, 'utf8'));
    const path = manifest === undefined ? undefined : pathBelow('', manifest);
    if (path !== undefined && has(path)) return path;
  }
  return MANIFEST_NAMES.find(has);
}

/** The path of a reference below the folder, `undefined` where it leads elsewhere. */
function pathBelow(from: string, reference: string): string | undefined {
  const root = 'https://folder.invalid/';
  try {
    const url = new URL(reference, new URL(from, root));
    return url.origin === new URL(root).origin
      ? posix.normalize(decodeURIComponent(url.pathname)).slice(1)
      : undefined;
  } catch {
    return undefined;
  }
}

/**
 * The picture to make the launcher icon from: `look.icon`, else the largest icon of the packed web app manifest.
 *
 * @throws HullError `art.icon-missing`, `manifest.*`
 */
export async function findIconSource(project: Project, folder: WebFolder | undefined): Promise<IconSource> {
  const named = project.config.look?.icon;
  if (named !== undefined) {
    const file = project.resolve(named);
    try {
      return { bytes: readFileSync(file), place: { file } };
    } catch (error) {
      const known = fromSystemError(error, file);
      if (known instanceof HullError && known.code === 'file.missing') {
        throw new HullError('art.icon-missing', `The icon ${named} is not there.`, {
          place: project.place('/look/icon'),
          remedy: ICON_REMEDY,
        });
      }
      throw known;
    }
  }
  const path = folder === undefined ? undefined : await manifestPath(folder);
  const manifestFile = folder?.files.find((file) => file.path === path);
  if (folder === undefined || path === undefined || manifestFile === undefined) {
    throw new HullError(
      'art.icon-missing',
      'There is no icon: look.icon is not set, and no web app manifest names one.',
      {
        place: project.place('/look'),
        remedy: ICON_REMEDY,
      },
    );
  }
  const manifest = parseWebManifest(manifestFile.file, readFileSync(manifestFile.file, 'utf8'));
  const icon = bestIcon(manifest.icons);
  const iconPath = icon && pathBelow(`${dirname(path)}/`, icon.src);
  const iconFile = folder.files.find((file) => file.path === iconPath);
  if (iconFile === undefined) {
    throw new HullError(
      'art.icon-missing',
      icon === undefined
        ? 'The web app manifest names no icon that can be used.'
        : `The web app manifest’s icon ${icon.src} is not in the folder.`,
      { place: manifest.place('/icons'), remedy: ICON_REMEDY },
    );
  }
  return { bytes: readFileSync(iconFile.file), place: { file: iconFile.file } };
}
