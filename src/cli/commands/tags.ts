import { readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fromSystemError, HullError } from '../../core/errors.js';
import { type Project, readProject } from '../../core/project/project.js';
import type { Site } from '../../core/site/site.js';
import { removeBlock } from '../../core/tags/place.js';
import { type TagsRequest, taggedManifest, taggedPage, tagsInput } from '../../core/tags/project-tags.js';
import { blockLines, headTags, manifestMembers, styleRules } from '../../core/tags/tags.js';
import { replaceFile } from '../../core/util/files.js';
import { safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { readWebFolder } from '../site-options.js';

export interface TagsOptions extends CommonOptions {
  readonly write?: boolean;
  readonly check?: boolean;
  readonly remove?: boolean;
  readonly jsx?: boolean;
  readonly base?: string;
  readonly zoom?: 'free' | 'off';
}

type PageState = 'written' | 'unchanged' | 'removed' | 'off';

async function siteOf(io: Io, project: Project): Promise<Site | undefined> {
  const { folder } = project.config.web;
  if (folder === undefined) return undefined;
  const dir = relative('.', project.resolve(folder)) || '.';
  // Judged as it is without what was put in place: else putting it twice would put less.
  return readWebFolder(io, dir, project, { prepare: removeBlock });
}

function read(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/** The pages that are meant: those named, else all of the web folder (to check or remove: those with marks). */
function pagesOf(named: readonly string[], site: Site | undefined, options: TagsOptions): string[] {
  if (named.length > 0) return [...named];
  const all = site?.pages.map(({ name }) => name) ?? [];
  if (all.length === 0) {
    throw new HullError('cli.missing-answer', 'There is no web folder whose pages could be meant.', {
      place: { option: 'pages' },
      remedy: 'Name the pages or templates: hull tags --write app/layout.tsx',
    });
  }
  return options.write ? all : all.filter((file) => read(file).includes('hull tags: begin'));
}

export async function tags(io: Io, options: TagsOptions, named: readonly string[]): Promise<number> {
  const modes = [options.write, options.check, options.remove].filter(Boolean).length;
  if (modes > 1) {
    throw new HullError('cli.usage', 'Only one of --write, --check and --remove can be meant.', {
      remedy: 'Leave the others out.',
    });
  }
  const project = readProject(options.project ?? '.');
  const site = await siteOf(io, project);
  const request: TagsRequest = {
    project,
    site,
    zoom: options.zoom ?? 'free',
    ...(options.base === undefined ? {} : { base: options.base }),
  };
  if (modes === 0) {
    print(io, request, options.jsx ? 'jsx' : 'html');
    return 0;
  }
  const results: { file: string; state: PageState }[] = [];
  for (const file of pagesOf(named, site, options)) {
    const text = read(file);
    const wanted = options.remove ? removeBlock(file, text) : taggedPage(request, file, text);
    const isSame = wanted === text;
    if (!isSame && !options.check) await replaceFile(file, new TextEncoder().encode(wanted));
    results.push({
      file,
      state: isSame ? 'unchanged' : options.check ? 'off' : options.remove ? 'removed' : 'written',
    });
  }
  const manifest = options.remove ? undefined : taggedManifest(request);
  if (manifest) {
    if (options.write) await replaceFile(manifest.file, new TextEncoder().encode(manifest.after));
    results.push({ file: relative('.', manifest.file), state: options.write ? 'written' : 'off' });
  }
  show(io, results, options);
  return options.check && results.some(({ state }) => state === 'off') ? 1 : 0;
}

function show(io: Io, results: readonly { file: string; state: PageState }[], options: TagsOptions): void {
  if (io.json) {
    outJson(io, { files: results });
    return;
  }
  const changed = results.filter(({ state }) => state !== 'unchanged');
  const words = { written: 'written', removed: 'taken out', off: 'not as it should be', unchanged: '' };
  for (const { file, state } of changed)
    io.out(`${state === 'off' ? io.paint.bad(words[state]) : words[state]}  ${safe(file)}`);
  const same = results.length - changed.length;
  if (changed.length === 0)
    io.out(
      results.length === 0
        ? 'No page has the tags yet.'
        : `Nothing to do: ${same} file${same === 1 ? '' : 's'} as they should be.`,
    );
  if (options.check && changed.length > 0) io.note(`${io.paint.dim('next')} hull tags --write`);
  if (options.write && changed.length > 0) io.note(`${io.paint.dim('next')} hull survey`);
  if (options.remove && changed.length > 0)
    io.note(`${io.paint.warn('note')} members that were added to the manifest stay there.`);
}

/** The tags, manifest members and style rules, to paste. */
function print(io: Io, request: TagsRequest, form: 'html' | 'jsx'): void {
  const input = tagsInput(request);
  const head = headTags(input, request.site);
  const style = styleRules(request.site);
  const manifest = manifestMembers(input);
  if (io.json) {
    outJson(io, { head: blockLines(head, '', form), style, manifest });
    return;
  }
  io.out(blockLines(head, style, form).join('\n'));
  io.note(`\n${io.paint.bold(join(input.base, input.manifest))}`);
  io.note(JSON.stringify(manifest, undefined, 2));
  io.note(
    `\n${io.paint.dim('next')} hull tags --write puts them in place; hull art makes the images that they name`,
  );
}
