import { join } from 'node:path';
import { resolveApp } from '../app/app.js';
import { ART_CACHE } from '../art/icon-set.js';
import { findIconSource } from '../art/icon-source.js';
import { artFolders, artInputs } from '../art/project-art.js';
import { type BrowserOptions, pagePicture } from '../browser/launch.js';
import type { WebKitOptions } from '../browser/webkit/session.js';
import { HullError, type SayTask } from '../errors.js';
import type { LanguageListing } from '../listing/read.js';
import { type KeptShot, keepShots } from '../preview/keep-shots.js';
import { previewHtml } from '../preview/page.js';
import { previewApp } from '../preview/preview.js';
import { takeFlatShots } from '../preview/shots.js';
import type { Preview } from '../preview/types.js';
import { mainLanguage, openProject, type Project, type ProjectSource } from '../project/project.js';
import type { Site } from '../site/site.js';
import { MANIFEST_SHOTS } from '../tags/project-tags.js';
import { replaceFile, shownPath } from '../util/files.js';
import { accessOf, browserAccess } from './host-access.js';
import { outFolder } from './out-folder.js';
import { projectListing } from './project-listing.js';
import { readHost, readOwnFolder, type SiteReading } from './read-site.js';

export interface PreviewOptions extends SiteReading {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** Page to write; by default `out/preview.html` of the project. */
  readonly out?: string | undefined;
  /** File for a picture of the page; needs a browser. */
  readonly png?: string | undefined;
  /** Takes screenshots for manifest and store too; needs a browser. */
  readonly shots?: boolean | undefined;
  /** The browser that shows the pages, or why there is none. */
  readonly browser: BrowserOptions | { readonly missing: string };
  /** Shows Apple's screens in their own engine; needs no browser. */
  readonly webkit?: WebKitOptions | undefined;
  /** How tasks are named on the page. */
  readonly say?: SayTask | undefined;
}

export interface PreviewedProject {
  /** Files that were written: the page, and its picture. */
  readonly files: readonly { readonly file: string; readonly size: number }[];
  readonly shots: readonly KeptShot[];
  readonly preview: Preview;
}

/** CSS px that the picture of the page is wide. */
const PNG_WIDTH = 1280;
/** Device pixels a CSS px in screenshots: a phone of 400 px, a desktop window of 1280. */
const SHOT_RATIO = { narrow: 2.7, wide: 1.5 } as const;

/** Screenshots for the manifest, put where pages are served from. */
async function takeStartShots(project: Project, site: Site, browser: BrowserOptions): Promise<KeptShot[]> {
  const plans = MANIFEST_SHOTS.map((shot) => ({ ...shot, ratio: SHOT_RATIO[shot.formFactor] }));
  return keepShots(project.dir, artFolders(project).web, await takeFlatShots(site, plans, browser));
}

/** The project's listing in the app's own language; one that cannot be read is for its own check to report. */
function ownListing(project: Project): LanguageListing | undefined {
  const main = mainLanguage(project);
  try {
    const { languages } = projectListing(project);
    return languages.find(({ language }) => language.toLowerCase() === main.toLowerCase());
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}

/**
 * Writes one page of what users will see: icon and label, start, questions, store listing.
 *
 * @throws HullError `config.*`, `app.*`, `web.*`, `art.*`, `net.*`, `browser.*`, `disk.*`
 */
export async function previewProject(options: PreviewOptions): Promise<PreviewedProject> {
  const { browser, png, shots = false } = options;
  const project = openProject(options.project);
  const app = await resolveApp(project);
  if ('missing' in browser && (png !== undefined || shots)) {
    throw new HullError('browser.missing', browser.missing, {
      fix: 'Install Chromium, Chrome or Edge, or name one.',
    });
  }
  const { folder } = project.settings.web;
  const access = accessOf(project, options);
  const site =
    folder === undefined ? await readHost(app.start, access) : await readOwnFolder(folder, project, options);
  const preview = await previewApp({
    project,
    app,
    site,
    inputs: artInputs(project, await findIconSource(project, app.folder)),
    cacheDir: join(project.dir, ART_CACHE),
    browser: 'missing' in browser ? browser : browserAccess(browser, app.start, access),
    webkit: options.webkit,
    listing: ownListing(project),
  });
  const page = previewHtml(preview, options.say);
  const written: { file: string; size: number }[] = [];
  const write = async (file: string, bytes: Uint8Array) => {
    await replaceFile(file, bytes);
    written.push({ file, size: bytes.length });
  };
  await write(
    options.out ?? shownPath(join(outFolder(project), 'preview.html')),
    new TextEncoder().encode(page),
  );
  if (png !== undefined && !('missing' in browser))
    await write(png, await pagePicture(page, PNG_WIDTH, browser));
  const taken = shots && !('missing' in browser) ? await takeStartShots(project, site, browser) : [];
  return { files: written, shots: taken, preview };
}
