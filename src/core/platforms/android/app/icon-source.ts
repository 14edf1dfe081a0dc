import type { PictureSource } from '../../../art/logo.js';
import { fromSystemError, HullError } from '../../../errors.js';
import type { Project } from '../../../project/project.js';
import { firstLook, manifestIcon } from '../../../site/first-look.js';
import { listWebFolder, type WebFolder } from '../../../site/folder.js';
import { sourceOfFolder } from '../../../site/web-source.js';
import { readRegularFile } from '../../../util/files.js';

const ICON_REMEDY =
  'Name a picture in hull.json: "look": { "icon": "art/icon.svg" }; an SVG, or a square PNG of at least 512 px.';

function namedIcon(project: Project, path: string): PictureSource {
  const file = project.resolve(path);
  try {
    return { bytes: readRegularFile(file), place: { file } };
  } catch (error) {
    const known = fromSystemError(error, file);
    if (known instanceof HullError && known.code === 'file.missing') {
      throw new HullError('art.icon-missing', `The icon ${path} is not there.`, {
        place: project.place('/look/icon'),
        remedy: ICON_REMEDY,
      });
    }
    throw known;
  }
}

/**
 * The picture to make the launcher icon from: `look.icon`, else the largest icon of the packed web app manifest.
 *
 * @throws HullError `art.icon-missing`, `manifest.*`
 */
export async function findIconSource(
  project: Project,
  folder: WebFolder | undefined,
): Promise<PictureSource> {
  const named = project.config.look?.icon;
  if (named !== undefined) return namedIcon(project, named);
  const missing = (message: string, place = project.place('/look')) =>
    new HullError('art.icon-missing', message, { place, remedy: ICON_REMEDY });
  const source = folder && sourceOfFolder(folder);
  const look = source && (await firstLook(source));
  if (!source || !look?.manifest) {
    throw missing('There is no icon: look.icon is not set, and no web app manifest names one.');
  }
  const icon = manifestIcon(look);
  if (icon === undefined) {
    throw missing('The web app manifest names no icon that can be used.', look.manifest.place('/icons'));
  }
  const bytes = await source.bytes(icon.url);
  if (bytes === undefined) {
    throw missing(
      `The web app manifest’s icon ${icon.url.pathname} is not in the folder.`,
      look.manifest.place('/icons'),
    );
  }
  return { bytes, place: { file: source.name(icon.url) } };
}

/** The same for a project whose web folder was not listed yet. Throws `art.icon-missing`, `manifest.*`, `web.*`. */
export async function projectLogo(project: Project): Promise<PictureSource> {
  const { web, look } = project.config;
  const folder =
    look?.icon === undefined && web.folder !== undefined
      ? await listWebFolder(project.resolve(web.folder))
      : undefined;
  return findIconSource(project, folder);
}
