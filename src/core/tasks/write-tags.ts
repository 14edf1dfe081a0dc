import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError, HullError, task, withTasks } from '../errors.js';
import { type Project, readProject } from '../project/project.js';
import type { Site } from '../site/site.js';
import { rehashed } from '../tags/page-hashes.js';
import { hasBlock, removeBlock } from '../tags/place.js';
import { planTags, type TagsRequest, taggedManifest, taggedPage } from '../tags/project-tags.js';
import { blockLines, manifestMembers } from '../tags/tags.js';
import { replaceFile, shownPath } from '../util/files.js';
import { readOwnFolder, type SiteReading } from './read-site.js';

export interface TagsOptions {
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
  /** Its members. */
  readonly members: Readonly<Record<string, unknown>>;
}

async function siteOf(project: Project, onProgress: SiteReading['onProgress']): Promise<Site | undefined> {
  const { folder } = project.settings.web;
  if (folder === undefined) return undefined;
  // Judged as it is without what was put in place: else putting it twice would put less.
  const reading = { prepare: removeBlock, ...(onProgress ? { onProgress } : {}) };
  return readOwnFolder(folder, project, reading);
}

async function requestOf(options: TagsOptions): Promise<TagsRequest> {
  const project = readProject(options.project ?? '.');
  return {
    project,
    site: await siteOf(project, options.onProgress),
    zoom: options.zoom ?? 'free',
    ...(options.base === undefined ? {} : { base: options.base }),
  };
}

/** The tags, styles and manifest members to paste. Throws HullError `config.*`, `web.*`. */
export async function printTags(
  options: TagsOptions & { readonly form?: 'html' | 'jsx' },
): Promise<PrintedTags> {
  const { input, head, style } = planTags(await requestOf(options));
  const form = options.form ?? 'html';
  return {
    head: blockLines(head, '', form),
    style,
    block: blockLines(head, style, form),
    manifest: join(input.base, input.manifest),
    members: { ...manifestMembers(input) },
  };
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
  const all = site?.pages.map(({ name }) => name) ?? [];
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
export async function writeTags(options: WriteTagsOptions): Promise<readonly TaggedFile[]> {
  const { mode } = options;
  const plan = planTags(await requestOf(options));
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
  if (folder === undefined || mode === 'check') return results;
  const texts = [
    ...pages.filter(({ isSame }) => !isSame).map(({ text, wanted }) => ({ before: text, after: wanted })),
    ...(manifest?.before === undefined ? [] : [{ before: manifest.before, after: manifest.after }]),
  ];
  for (const { file, after } of rehashed(folder.dir, folder.files, texts)) {
    await replaceFile(file, new TextEncoder().encode(after));
    results.push({ file, state: 'written' });
  }
  return results;
}
