import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { artFolders } from '../art/project-art.js';
import type { BrowserOptions } from '../browser/launch.js';
import { fromSystemError, HullError, task, withTasks } from '../errors.js';
import { type Project, readProject } from '../project/project.js';
import type { Site } from '../site/site.js';
import type { TagsCheck } from '../tags/check-tags.js';
import { findTemplates } from '../tags/find-templates.js';
import { rehashed } from '../tags/page-hashes.js';
import { hasBlock, removeBlock, withoutTags } from '../tags/place.js';
import {
  liveTags,
  membersForBuild,
  planTags,
  type TagsPlan,
  type TagsRequest,
  taggedManifest,
  taggedPage,
} from '../tags/project-tags.js';
import { blockLines, manifestMembers } from '../tags/tags.js';
import { pathFrom, replaceFile, shownPath } from '../util/files.js';
import { parseUrl } from '../util/url-path.js';
import { accessOf, type HostAccess } from './host-access.js';
import { readHost, readOwnFolder, type SiteReading } from './read-site.js';

/** How the host of an app that has no folder is read is among these. */
export interface TagsOptions extends HostAccess {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Path that the site is served below; by default that of `web.url`. */
  readonly base?: string | undefined;
  /** `off` stops zooming, which low-vision users need. */
  readonly zoom?: 'free' | 'off' | undefined;
  readonly onProgress?: SiteReading['onProgress'];
}

export interface WriteTagsOptions extends TagsOptions {
  /** Pages or templates; by default all of the web folder. */
  readonly pages?: readonly string[] | undefined;
  readonly mode: 'write' | 'check' | 'remove';
  /** Opens some of the written pages, to see that the tags do what they are for. */
  readonly browser?: BrowserOptions | undefined;
}

/** What became of the pages. */
export interface WrittenTags {
  readonly files: readonly TaggedFile[];
  /** What a browser says of the pages with and without the tags, where one was given and pages were written. */
  readonly check?: TagsCheck;
  /** What a build makes the written pages from, where files show that there is one: the next build makes them again, without tags. */
  readonly templates: readonly string[];
  /** Members that the manifest lacks which only the build can add, since it makes the manifest. */
  readonly forBuild?: Readonly<Record<string, unknown>>;
}

export interface TaggedFile {
  readonly file: string;
  /** `off`: with `check`, not as it should be. */
  readonly state: 'written' | 'unchanged' | 'removed' | 'off';
}

export interface PrintedTags {
  /** Lines of the head, in the form asked for. */
  readonly head: readonly string[];
  /** The styles, without their element. */
  readonly style: string;
  /** Both, as they are put between the marks. */
  readonly block: readonly string[];
  /** Address of the manifest from the root of the host. */
  readonly manifest: string;
  /** Its members; of a manifest that is live already, those that it lacks (a JSON Merge Patch, RFC 7396). */
  readonly members: Readonly<Record<string, unknown>>;
  /** `undefined` for a web folder. */
  readonly live?: LiveApp;
}

/** What was seen of a hosted app, and what to bring to its host. */
export interface LiveApp {
  /** `unread`: everything is printed, since it is not known what the host has. */
  readonly manifest: 'patch' | 'new' | 'unread';
  /** Why the host could not be read. */
  readonly fault?: HullError;
  /** Folder of images, relative to the project, and the address that it is served at. */
  readonly upload: { readonly folder: string; readonly url: string };
}

const isUnread = (error: unknown): error is HullError =>
  error instanceof HullError && /^(net|web|survey)\./.test(error.code);

/** The site that tags are for; of a hosted app its start page, or why that cannot be read. */
async function siteOf(
  project: Project,
  options: TagsOptions,
): Promise<{ readonly site: Site | undefined; readonly fault?: HullError }> {
  const { folder, url } = project.settings.web;
  if (folder !== undefined) {
    // Judged as it is without what was put in place: else putting it twice would put less.
    const { onProgress } = options;
    const reading = { prepare: withoutTags, ...(onProgress ? { onProgress } : {}) };
    return { site: await readOwnFolder(folder, project, reading) };
  }
  const address = url === undefined ? undefined : parseUrl(url);
  if (address === undefined) return { site: undefined };
  try {
    return { site: await readHost(address, { ...accessOf(project, options), pages: 1, depth: 1 }) };
  } catch (error) {
    if (isUnread(error)) return { site: undefined, fault: error };
    throw error;
  }
}

async function requestOf(
  options: TagsOptions,
): Promise<{ readonly request: TagsRequest; readonly fault?: HullError }> {
  const project = readProject(options.project ?? '.');
  const { site, fault } = await siteOf(project, options);
  return {
    request: {
      project,
      site,
      zoom: options.zoom ?? 'free',
      ...(options.base === undefined ? {} : { base: options.base }),
    },
    ...(fault ? { fault } : {}),
  };
}

/** The tags, styles and manifest members to paste. Throws HullError `config.*`, `web.*`, `manifest.*`. */
export async function printTags(
  options: TagsOptions & { readonly form?: 'html' | 'jsx' },
): Promise<PrintedTags> {
  const { request, fault } = await requestOf(options);
  const plan = planTags(request);
  const { input, style } = plan;
  const { project, site } = request;
  const isHosted = project.settings.web.folder === undefined;
  const lacking = isHosted && site ? liveTags(plan) : undefined;
  const head = lacking?.head ?? plan.head;
  const form = options.form ?? 'html';
  return {
    head: blockLines(head, '', form),
    style,
    block: blockLines(head, style, form),
    manifest: join(input.base, input.manifest),
    members: lacking?.members ?? manifestMembers(input),
    ...(isHosted ? { live: liveApp(project, lacking?.manifest ?? 'unread', input.base, fault) } : {}),
  };
}

function liveApp(
  project: Project,
  manifest: LiveApp['manifest'],
  base: string,
  fault: HullError | undefined,
): LiveApp {
  const folder = pathFrom(project.dir, artFolders(project).web);
  const url = new URL(`${base}art/`, project.settings.web.url).href;
  return { manifest, ...(fault ? { fault } : {}), upload: { folder, url } };
}

function read(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/** The pages that are meant: those named, else all of the web folder (to check or remove: those with the block). */
function pagesOf(site: Site | undefined, { pages = [], mode }: WriteTagsOptions): readonly string[] {
  if (pages.length > 0) return pages;
  const all = site?.folder ? site.pages.map(({ name }) => name) : [];
  if (all.length === 0) {
    throw new HullError('tags.no-pages', 'There is no web folder whose pages could be meant.', {
      location: { option: 'pages' },
      fix: withTasks`Name the pages or templates: ${task('writeTags', 'app/layout.tsx')}`,
    });
  }
  return mode === 'write' ? all : all.filter((file) => hasBlock(read(file)));
}

/**
 * Puts the tags between two marks in each page and adds to the manifest what it lacks; checks them; or removes them. Lists of
 * service workers that name the pages by their digests are brought up to date with them.
 *
 * @throws HullError `tags.*`, `config.*`, `web.*`, `disk.*`
 */
export async function writeTags(options: WriteTagsOptions): Promise<WrittenTags> {
  const { mode } = options;
  const { request } = await requestOf(options);
  const plan = planTags(request);
  const changed = ({ write: 'written', check: 'off', remove: 'removed' } as const)[mode];
  // All pages are made before the first is written, so that one with a fault leaves none half done.
  const pages = pagesOf(plan.site, options).map((file) => {
    const text = read(file);
    const wanted = mode === 'remove' ? removeBlock(file, text) : taggedPage(plan, file, text);
    return { file, text, wanted, isSame: wanted === text };
  });
  const results: TaggedFile[] = [];
  for (const { file, wanted, isSame } of pages) {
    if (!isSame && mode !== 'check') await replaceFile(file, new TextEncoder().encode(wanted));
    results.push({ file, state: isSame ? 'unchanged' : changed });
  }
  const manifest = mode === 'remove' ? undefined : taggedManifest(plan);
  if (manifest) {
    if (mode === 'write') await replaceFile(manifest.file, new TextEncoder().encode(manifest.after));
    results.push({ file: shownPath(manifest.file), state: mode === 'write' ? 'written' : 'off' });
  }
  const { folder } = plan.site ?? {};
  const isOfFolder = (options.pages ?? []).length === 0;
  const forBuild = mode === 'write' ? membersForBuild(plan) : undefined;
  const written = {
    files: results,
    templates: mode === 'write' && isOfFolder ? findTemplates(request.project) : [],
    ...(forBuild ? { forBuild } : {}),
  };
  if (folder === undefined || mode === 'check') return written;
  const texts = [
    ...pages.filter(({ isSame }) => !isSame).map(({ text, wanted }) => ({ before: text, after: wanted })),
    ...(manifest?.before === undefined ? [] : [{ before: manifest.before, after: manifest.after }]),
  ];
  for (const { file, after } of rehashed(folder.dir, folder.files, texts)) {
    await replaceFile(file, new TextEncoder().encode(after));
    results.push({ file, state: 'written' });
  }
  const changedPages = pages.filter(({ isSame }) => !isSame);
  if (mode !== 'write' || options.browser === undefined || changedPages.length === 0) return written;
  const served = new Set(plan.site?.pages.map(({ name }) => name));
  const without = new Map(
    changedPages.flatMap(({ file, text }) =>
      served.has(file) ? [[file, removeBlock(file, text)] as const] : [],
    ),
  );
  // What a build makes of a template is not there yet.
  if (without.size === 0) return written;
  return { ...written, check: await checkWritten(request.project, plan, without, options.browser) };
}

/** Has a browser look at what was written. */
async function checkWritten(
  project: Project,
  { site, insets }: TagsPlan,
  without: ReadonlyMap<string, string>,
  browser: BrowserOptions,
): Promise<TagsCheck> {
  const { checkTags } = await import('../tags/check-tags.js');
  // Read again: what is served has the sizes of what was written.
  const now = await readOwnFolder(project.settings.web.folder ?? '.', project, {});
  return checkTags(site ? { ...now, styleGroups: site.styleGroups } : now, without, insets, browser);
}
