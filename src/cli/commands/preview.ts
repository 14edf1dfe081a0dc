import { join, relative } from 'node:path';
import { readApp } from '../../core/app/app.js';
import { ART_CACHE } from '../../core/art/kit.js';
import { artInputs, artPlaces } from '../../core/art/project-art.js';
import { findBrowser } from '../../core/browser/find.js';
import { type BrowserOptions, pagePicture } from '../../core/browser/launch.js';
import { HullError } from '../../core/errors.js';
import { findIconSource } from '../../core/platforms/android/app/icon-source.js';
import { type KeptShot, keepShots } from '../../core/preview/keep-shots.js';
import { previewHtml } from '../../core/preview/page.js';
import { type Preview, previewApp } from '../../core/preview/preview.js';
import { takeFlatShots } from '../../core/preview/shots.js';
import { type Project, readProject } from '../../core/project/project.js';
import type { Site } from '../../core/site/site.js';
import { MANIFEST_SHOTS } from '../../core/tags/project-tags.js';
import { replaceFile } from '../../core/util/files.js';
import { browserBasics } from '../browser-options.js';
import { bytes, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { countProgress } from '../progress.js';
import { readHost, readWebFolder, resolutions, type SiteOptions } from '../site-options.js';

export interface PreviewOptions extends CommonOptions, SiteOptions {
  readonly out?: string;
  readonly png?: string;
  readonly shots?: boolean;
  readonly failOnWarning?: boolean;
}

const WIDTH = 92;
/** CSS px that the picture of the page is wide. */
const PNG_WIDTH = 1280;
/** Screens that the start page is shown on. */
const SCREENS = 8;
/** Device pixels a CSS px in screenshots: a phone of 400 px, a desktop window of 1280. */
const SHOT_RATIO = { narrow: 2.7, wide: 1.5 } as const;

/** The browser's program, or why there is none; for a picture of the page there must be one. */
function findProgram(
  io: Io,
  options: PreviewOptions,
): { readonly executable: string } | { readonly missing: string } {
  const wanted = options.png !== undefined ? '--png' : options.shots ? '--shots' : 'HULL_BROWSER';
  try {
    return { executable: findBrowser(io.env.HULL_BROWSER, io.env.PATH ?? '', wanted) };
  } catch (error) {
    const isNeeded = options.png !== undefined || options.shots === true;
    if (isNeeded || !(error instanceof HullError) || error.code !== 'browser.missing') throw error;
    return { missing: error.message };
  }
}

function outFile(project: Project, named: string | undefined): string {
  return named ?? (relative('.', join(project.dir, 'out/preview.html')) || 'preview.html');
}

export async function preview(io: Io, options: PreviewOptions): Promise<number> {
  const project = readProject(options.project ?? '.');
  const app = await readApp(project);
  const program = findProgram(io, options);
  const { folder } = project.config.web;
  const site =
    folder === undefined
      ? await readHost(io, app.start, options)
      : await readWebFolder(io, relative('.', project.resolve(folder)) || '.', project, options);
  const inputs = artInputs(project, await findIconSource(project, app.folder));
  const browser: BrowserOptions | { readonly missing: string } =
    'missing' in program
      ? program
      : {
          ...program,
          resolve: resolutions(options.resolve),
          trustCrawled: options.ca !== undefined,
          ...browserBasics(io),
        };
  const progress =
    io.drawsProgress && !('missing' in browser)
      ? await countProgress(io, Number.POSITIVE_INFINITY, 'looking at', 'screens')
      : undefined;
  let done = 0;
  let found: Preview;
  try {
    found = await previewApp({
      project,
      app,
      site,
      inputs,
      cacheDir: join(project.dir, ART_CACHE),
      browser:
        'missing' in browser || !progress
          ? browser
          : { ...browser, onStep: () => progress.update(++done, SCREENS) },
    });
  } finally {
    progress?.end();
  }
  const file = outFile(project, options.out);
  const page = previewHtml(found);
  const encoded = new TextEncoder().encode(page);
  await replaceFile(file, encoded);
  let png: number | undefined;
  if (options.png !== undefined && !('missing' in browser)) {
    const picture = await pagePicture(page, PNG_WIDTH, browser);
    await replaceFile(options.png, picture);
    png = picture.length;
  }
  const shots = options.shots && !('missing' in browser) ? await takeStartShots(project, site, browser) : [];
  show(io, found, shots, [
    { file, size: encoded.length },
    ...(png === undefined || options.png === undefined ? [] : [{ file: options.png, size: png }]),
  ]);
  return options.failOnWarning && found.warnings.length > 0 ? 1 : 0;
}

/** Screenshots for the manifest, put where pages are served from. */
async function takeStartShots(project: Project, site: Site, browser: BrowserOptions): Promise<KeptShot[]> {
  const plans = MANIFEST_SHOTS.map((shot) => ({ ...shot, ratio: SHOT_RATIO[shot.formFactor] }));
  const taken = await takeFlatShots(site, plans, browser);
  return keepShots(project.dir, artPlaces(project).web, taken);
}

function show(
  io: Io,
  found: Preview,
  shots: readonly KeptShot[],
  files: readonly { file: string; size: number }[],
): void {
  const { warnings, labels, scenes, questions, browser, noBrowser } = found;
  if (io.json) {
    outJson(io, {
      files,
      shots,
      browser: browser ?? null,
      noBrowser,
      labels: labels.map(({ screen, of, label }) => ({ on: screen.name, of, ...label })),
      screens: scenes.map(({ layout: { screen }, scheme, start, shot, notes }) => ({
        device: screen.handset.key,
        held: screen.held,
        scheme,
        start: start.is,
        page: shot !== undefined,
        notes,
      })),
      permissions: questions,
      warnings,
    });
    return;
  }
  for (const { file, size } of files) io.out(`${io.paint.bold(safe(file))}  ${bytes(size)}`);
  for (const { file, size, state } of shots) {
    io.out(
      state === 'written'
        ? `${io.paint.bold(safe(file))}  ${bytes(size)}`
        : `${io.paint.warn('kept')}  ${safe(file)}: another picture has its name`,
    );
  }
  if (warnings.length === 0) io.out(io.paint.good('Nothing that users would not see as it is meant.'));
  for (const { section, saw, remedy } of warnings) {
    io.out(`${io.paint.warn(section)}  ${wrap(safe(saw), WIDTH, ' '.repeat(section.length + 2))}`);
    io.out(
      io.paint.dim(
        `${' '.repeat(section.length + 2)}${wrap(safe(remedy), WIDTH, ' '.repeat(section.length + 2))}`,
      ),
    );
  }
  if (noBrowser !== undefined) {
    io.note(`${io.paint.warn('note')} The pages themselves are not shown: ${safe(noBrowser)}`);
    io.note('     Install Chromium, Chrome or Edge, or name one with HULL_BROWSER=<path>.');
  }
  if (shots.length > 0) io.note(`${io.paint.dim('next')} hull tags --write names them in the manifest`);
  io.note(`${io.paint.dim('next')} open ${safe(files[0]?.file ?? '')} in any browser`);
}
