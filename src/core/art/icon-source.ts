import { fromSystemError, HullError } from '../errors.js';
import type { Project } from '../project/project.js';
import { listWebFolder, type WebFolder } from '../site/folder.js';
import { manifestIcon, readStartPage } from '../site/start-page.js';
import { sourceOfFolder } from '../site/web-source.js';
import { readRegularFile } from '../util/files.js';
import type { PictureSource } from './logo.js';

const ICON_REMEDY =
  'Name a picture in hull.json: "look": { "icon": "art/icon.svg" }; an SVG, or a square PNG of at least 512 px.';

function namedIcon(project: Project, path: string): PictureSource {
  const file = project.resolve(path);
  try {
    return { bytes: readRegularFile(file), location: { file } };
  } catch (error) {
    const known = fromSystemError(error, file);
    if (known instanceof HullError && known.code === 'file.missing') {
      throw new HullError('art.icon-missing', `The icon ${path} is not there.`, {
        location: project.location('/look/icon'),
        fix: ICON_REMEDY,
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
  const named = project.settings.look.icon;
  if (named !== undefined) return namedIcon(project, named);
  const missing = (message: string, location = project.location('/look')) =>
    new HullError('art.icon-missing', message, { location, fix: ICON_REMEDY });
  const source = folder && sourceOfFolder(folder);
  const look = source && (await readStartPage(source));
  if (!source || !look?.manifest) {
    throw missing('There is no icon: look.icon is not set, and no web app manifest names one.');
  }
  const icon = manifestIcon(look);
  if (icon === undefined) {
    throw missing('The web app manifest names no icon that can be used.', look.manifest.location('/icons'));
  }
  const bytes = await source.bytes(icon.url);
  if (bytes === undefined) {
    throw missing(
      `The web app manifest’s icon ${icon.url.pathname} is not in the folder.`,
      look.manifest.location('/icons'),
    );
  }
  return { bytes, location: { file: source.name(icon.url) } };
}

/** The same for a project whose web folder was not listed yet. Throws `art.icon-missing`, `manifest.*`, `web.*`. */
export async function projectLogo(project: Project): Promise<PictureSource> {
  const { web, look } = project.settings;
  const folder =
    look?.icon === undefined && web.folder !== undefined
      ? await listWebFolder(project.resolve(web.folder))
      : undefined;
  return findIconSource(project, folder);
}
