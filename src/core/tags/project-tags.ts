import { existsSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { artFolders, startSchemes } from '../art/project-art.js';
import { HullError } from '../errors.js';
import { requireOpaqueColor } from '../project/color.js';
import type { Project } from '../project/project.js';
import type { Site } from '../site/site.js';
import { Derived } from '../survey/derived.js';
import { baseOf, parseUrl } from '../util/url-path.js';
import { lackingMembers, mergeManifest, newManifest } from './merge-manifest.js';
import { blockKeys, formOf, keysOf, neededTags, putBlock, removeBlock } from './place.js';
import {
  blockLines,
  type HeadTag,
  headTags,
  type InsetRule,
  insetRules,
  type ManifestShot,
  manifestMembers,
  styleRules,
  type TagsInput,
  topBar,
} from './tags.js';

export interface TagsRequest {
  readonly project: Project;
  /** The project's web folder, or the start page of its host, read; `undefined` where neither could be. */
  readonly site: Site | undefined;
  /** Path that the site is served below, where it is not that of `web.url`. */
  readonly base?: string;
  readonly zoom: 'free' | 'off';
}

/** A text that is to be in a file. */
export interface PlannedText {
  readonly file: string;
  readonly before: string | undefined;
  readonly after: string;
}

/** Images that pages serve are in this folder of the web folder. */
const ART = 'art/';
/** Made by `previewProject` with `shots`: sides at most 2 to 1, so that stores take them too. */
export const MANIFEST_SHOTS: readonly ManifestShot[] = [
  { path: 'shots/start-narrow.webp', width: 1080, height: 2160, formFactor: 'narrow' },
  { path: 'shots/start-wide.webp', width: 1920, height: 1200, formFactor: 'wide' },
];
const NEW_MANIFEST = 'manifest.webmanifest';

function checkedBase(text: string): string {
  const path = `/${text.replaceAll(/^\/+|\/+$/g, '')}/`.replace('//', '/');
  if (/[\s"'<>?#]/.test(path)) {
    throw new HullError('config.bad-value', `"${text}" is not a path that a site is served below.`, {
      location: { option: 'base' },
      fix: 'Write it as in /ferry/',
    });
  }
  return path;
}

/** What tags say of a project. Throws `config.bad-value`. */
export function tagsInput({ project, site, base, zoom }: TagsRequest): TagsInput {
  const { app, look, web } = project.settings;
  const url = web.url === undefined ? undefined : parseUrl(web.url);
  const served = base === undefined ? (url ? baseOf(url).pathname : '/') : checkedBase(base);
  const background = requireOpaqueColor(look.background_color, project.location('/look/background_color'));
  const made = site?.folder || look.art.web !== undefined ? artFolders(project).web : undefined;
  // The status bar has to fit the header; where the pages have one, its colour counts.
  const header = site && topBar(site)?.color;
  const own = site?.manifest?.text === undefined ? undefined : new URL(site.manifest.url);
  const isBelow = site && own?.origin === site.base.origin && own.pathname.startsWith(site.base.pathname);
  const manifest = site && isBelow ? own?.pathname.slice(site.base.pathname.length) : undefined;
  return {
    name: app.name,
    shortName: app.short_name,
    themeColor: header ?? requireOpaqueColor(look.theme_color, project.location('/look/theme_color')),
    backgroundColor: background,
    // Named for dark screens only where the project does: else one tag serves both.
    darkThemeColor:
      project.origin('/look/dark/theme_color').from === 'hull.json'
        ? requireOpaqueColor(look.dark.theme_color, project.location('/look/dark/theme_color'))
        : undefined,
    startSchemes: startSchemes(project),
    base: served,
    art: ART,
    manifest: manifest ?? NEW_MANIFEST,
    hasDrawing: made !== undefined && existsSync(join(made, 'favicon.svg')),
    shots: made === undefined ? [] : MANIFEST_SHOTS.filter(({ path }) => existsSync(join(made, path))),
    zoom,
  };
}

/** What all pages of a project get, computed once. */
export interface TagsPlan extends Pick<TagsRequest, 'project' | 'site'> {
  readonly input: TagsInput;
  readonly head: readonly HeadTag[];
  readonly style: string;
  /** What of the style keeps things clear of the edges. */
  readonly insets: readonly InsetRule[];
}

/** Throws `config.bad-value`. */
export function planTags(request: TagsRequest): TagsPlan {
  const { project, site } = request;
  const input = tagsInput(request);
  return {
    project,
    site,
    input,
    head: headTags(input, site),
    style: styleRules(site),
    insets: site ? insetRules(site, new Derived(site)) : [],
  };
}

/** Start-up images are shown where the app starts; other pages need not name them all. */
function forPage(tags: readonly HeadTag[], isStart: boolean): HeadTag[] {
  return tags.filter(({ key }) => isStart || key !== 'link apple-touch-startup-image');
}

/** Whether a file is one of the pages that were read, rather than what a build makes them from. */
const isPage = (site: Site | undefined, file: string) =>
  site?.pages.some(({ name }) => sameFile(name, file)) ?? false;

/** Tags that a build writes into the start page by itself, so that its template need not have them. */
function builtKeys({ site }: Pick<TagsPlan, 'site'>, file: string, text: string): ReadonlySet<string> {
  if (!site?.startPage || isPage(site, file)) return new Set();
  const ours = blockKeys(file, text);
  return new Set([...keysOf(site.startPage.facts)].filter((key) => !ours.has(key)));
}

/**
 * The block for one page or template: what it lacks, put between the marks. Links in a template are those that its build
 * resolves: below the root, where the built page has the same links below its own path.
 *
 * @throws HullError `tags.*`
 */
export function taggedPage(plan: TagsPlan, file: string, text: string): string {
  const { site, style, input } = plan;
  const bare = removeBlock(file, text);
  const isSource = !isPage(site, file);
  const isStart = isSource || site?.startPage === undefined || sameFile(site.startPage.name, file);
  const isBased = isSource && input.base !== '/' && buildAddsBase(site, input.base, bare);
  const head = isBased ? headTags({ ...input, base: '/' }, site) : plan.head;
  const tags = neededTags(forPage(head, isStart), bare, builtKeys(plan, file, text));
  return putBlock(file, text, blockLines(tags, style, formOf(file), file));
}

/** Whether a build puts the path that the site is served below in front of links that begin at the root. */
function buildAddsBase(site: Site | undefined, base: string, template: string): boolean {
  if (/%BASE_URL%|\bimport\.meta\.env\.BASE_URL\b/.test(template)) return true;
  const own = [...template.matchAll(/(?:href|src)="\/([^"/][^"]*)"/g)].map((match) => match[1] ?? '');
  const built = new Set(site?.startPage?.facts.references.map(({ text }) => text));
  return own.some((path) => built.has(`${base}${path}`));
}

/** Both as someone in the working folder writes them. */
const sameFile = (one: string, other: string) => resolve(one) === resolve(other);

/** Members for a manifest, with sources of icons as it names them: relative to itself. */
export function membersFor({ input }: Pick<TagsPlan, 'input'>): Record<string, unknown> {
  const members = manifestMembers(input);
  const up = '../'.repeat(input.manifest.split('/').length - 1);
  const above = (list: unknown) => (list as { src: string }[]).map((one) => ({ ...one, src: up + one.src }));
  return {
    ...members,
    icons: above(members.icons),
    ...(members.screenshots === undefined ? {} : { screenshots: above(members.screenshots) }),
  };
}

/** The manifest as it should be; `undefined` where nothing is lacking, or it cannot be read. */
export function taggedManifest(plan: TagsPlan): PlannedText | undefined {
  const { site, project } = plan;
  if (!site?.folder) return undefined;
  const { web: source } = project.settings.look.art;
  if (source !== undefined) return sourceManifest(plan, join(project.resolve(source), plan.input.manifest));
  if (site.manifest?.text === undefined) {
    const file = join(project.resolve(project.settings.web.folder ?? '.'), NEW_MANIFEST);
    const before = existsSync(file) ? readFileSync(file, 'utf8') : undefined;
    return before === undefined
      ? { file, before, after: newManifest(manifestMembers(plan.input)) }
      : undefined;
  }
  if (site.manifest.members === undefined) return undefined;
  const after = mergeManifest(site.manifest.text, membersFor(plan));
  return after === undefined ? undefined : { file: site.manifest.name, before: site.manifest.text, after };
}

/** The manifest in the folder that a build copies; one that the build makes is not there, and is left to it. */
function sourceManifest(plan: TagsPlan, file: string): PlannedText | undefined {
  if (existsSync(file)) {
    const before = readFileSync(file, 'utf8');
    const after = mergeManifest(before, membersFor(plan));
    return after === undefined ? undefined : { file, before, after };
  }
  // One that no page links to is none that a build makes.
  return plan.site?.manifest?.link === undefined
    ? { file, before: undefined, after: newManifest(manifestMembers(plan.input)) }
    : undefined;
}

/** Members that a manifest lacks which only the build can add, since it makes the manifest. */
export function membersForBuild(plan: TagsPlan): Readonly<Record<string, unknown>> | undefined {
  const { project, site, input } = plan;
  const { web: source } = project.settings.look.art;
  if (source === undefined || !site?.manifest?.members || !site.manifest.link) return undefined;
  if (existsSync(join(project.resolve(source), input.manifest))) return undefined;
  const lacking = lackingMembers(site.manifest.members, membersFor(plan));
  return Object.keys(lacking).length > 0 ? lacking : undefined;
}

/** What the live page and the live manifest of a hosted app lack. */
export interface LiveTags {
  /** Tags that the start page lacks. */
  readonly head: readonly HeadTag[];
  /** Members to add to the manifest (a JSON Merge Patch, RFC 7396), or a whole one where there is none. */
  readonly members: Readonly<Record<string, unknown>>;
  /** Whether there is a manifest already: a new one in its place would be another app to those who installed it. */
  readonly manifest: 'patch' | 'new';
}

/**
 * What a hosted app lacks. A manifest that is there and cannot be read is never replaced.
 *
 * @throws HullError `manifest.*`
 */
export function liveTags({ site, head, input }: TagsPlan): LiveTags {
  const { manifest, startPage } = site ?? {};
  if (manifest?.fault) throw manifest.fault;
  const own = startPage ? keysOf(startPage.facts) : new Set<string>();
  return {
    head: head.filter(({ key }) => !own.has(key)),
    members: manifest?.members
      ? lackingMembers(manifest.members, membersFor({ input }))
      : manifestMembers(input),
    manifest: manifest?.members ? 'patch' : 'new',
  };
}
