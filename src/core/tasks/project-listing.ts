import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { artFolders } from '../art/project-art.js';
import { HullError } from '../errors.js';
import { PICTURE_CLASSES } from '../listing/fields.js';
import { listingFolder } from '../listing/folder.js';
import { type ProposedListing, proposeListing as propose } from '../listing/propose.js';
import { type Listing, type PictureSet, readListing } from '../listing/read.js';
import { mainLanguage, openProject, type Project, type ProjectSource } from '../project/project.js';
import type { Site } from '../site/site.js';
import { shownPath, writeNewFile } from '../util/files.js';
import { parseUrl } from '../util/url-path.js';
import { accessOf } from './host-access.js';
import { readHost, readOwnFolder, type SiteReading } from './read-site.js';

/** Pictures that are made with the icons, where the listing has none of its own. */
const FROM_ART: Readonly<Record<string, string>> = {
  icon: 'store/icon-512.png',
  feature: 'store/feature-1024x500.png',
};

/**
 * The listing of a project; icon and feature graphic come from the art where the listing has none.
 *
 * @throws HullError `listing.malformed`, `file.*`, `disk.*`
 */
export function projectListing(project: Project): Listing {
  const listing = readListing(listingFolder(project));
  const art = artFolders(project).android;
  const made = Object.entries(FROM_ART).flatMap(([name, path]): PictureSet[] => {
    const of = PICTURE_CLASSES.find((one) => one.name === name);
    const file = shownPath(join(art, path));
    const isThere = listing.pictures.some((set) => set.of === of && set.language === undefined);
    return of === undefined || isThere || !existsSync(file)
      ? []
      : [{ of, language: undefined, files: [file] }];
  });
  return { ...listing, pictures: [...listing.pictures, ...made] };
}

/** The web app of a project, from its folder or its host. */
export async function projectSite(project: Project, reading: SiteReading): Promise<Site> {
  const { folder, url } = project.settings.web;
  if (folder !== undefined) return readOwnFolder(folder, project, reading);
  const address = url === undefined ? undefined : parseUrl(url);
  if (address) return readHost(address, accessOf(project, reading));
  throw new HullError('config.bad-value', 'Neither web.folder nor web.url is set.', {
    location: project.location('/web'),
    fix: 'Name the folder of built files, or the address where the app is hosted.',
  });
}

export interface WrittenListing extends Pick<ProposedListing, 'notes' | 'categories'> {
  readonly folder: string;
  readonly written: readonly { readonly file: string; readonly origin: string }[];
  /** Files that were there already; they were not touched. */
  readonly kept: readonly string[];
}

/** Writes what is proposed where nothing is yet. */
export async function writeListing(project: Project, site: Site): Promise<WrittenListing> {
  const folder = listingFolder(project);
  const { app, look } = project.settings;
  const { files, notes, categories } = await propose(site, {
    name: app.name,
    language: mainLanguage(project),
    version: app.version,
    background: look.background_color,
  });
  const written: { file: string; origin: string }[] = [];
  const kept: string[] = [];
  for (const { path, bytes, origin } of files) {
    const file = join(folder, ...path.split('/'));
    if (existsSync(file)) {
      kept.push(file);
      continue;
    }
    const exists = () =>
      new HullError('disk.exists', 'There is a file here already.', { location: { file } });
    await writeNewFile(file, bytes, 0o644, exists);
    written.push({ file, origin });
  }
  return { folder, written, kept, notes, categories };
}

export interface ProposeListingOptions extends SiteReading {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
}

/**
 * Writes a first listing from what the web app says of itself: name, description, screenshots. What is there already stays.
 *
 * @throws HullError `config.*`, `web.*`, `net.*`, `disk.*`
 */
export async function proposeListing(options: ProposeListingOptions): Promise<WrittenListing> {
  const project = openProject(options.project);
  return writeListing(project, await projectSite(project, options));
}
