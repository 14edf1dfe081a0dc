import { existsSync } from 'node:fs';
import { join, relative, resolve, sep } from 'node:path';
import { type App, resolveApp } from '../app/app.js';
import { ART_CACHE } from '../art/icon-set.js';
import { findIconSource } from '../art/icon-source.js';
import { catalogPictures, launcherIcon } from '../art/launcher-icon.js';
import { artInputs } from '../art/project-art.js';
import type { SayTask } from '../errors.js';
import {
  exportProject,
  type ProjectPlatform,
  projectOf,
  type RefitResult,
  readRecord,
  refitExported,
} from '../packaging/exported-project.js';
import type { ProjectFile } from '../packaging/project-file.js';
import { appInEngine, readAndroidOptions } from '../platforms/android/app/options.js';
import { type ProjectKey, projectFiles } from '../platforms/android/project/export.js';
import { readAppleOptions } from '../platforms/apple/app/options.js';
import { appleProjectFiles } from '../platforms/apple/project/export.js';
import { CONFIG_FILE } from '../project/config.js';
import { type Project, readProject } from '../project/project.js';
import { isSchemaCurrent, writeSchemaCopy } from '../project/schema-copy.js';
import { hasCatalog } from '../store/catalog/read.js';
import { shownPath } from '../util/files.js';
import { packagedPath } from '../util/packaged.js';
import { VERSION } from '../util/version.js';
import { outFolder } from './out-folder.js';

const APPLE_SOURCES = 'shell/apple/src';
const SHELL_SOURCES = { main: 'shell/android/src/main/java', test: 'shell/android/src/test/java' };

export interface SourceProjectOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** `android` by default. */
  readonly platform?: ProjectPlatform | undefined;
  /** Folder for the source project; by default `out/android-project` or `out/apple-project` of the project. */
  readonly out?: string | undefined;
  readonly signal?: AbortSignal | undefined;
  /** How tasks are named in its README. */
  readonly say?: SayTask | undefined;
}

export interface SourceProject {
  readonly folder: string;
  /** Paths below the folder. */
  readonly files: readonly string[];
}

/** Where the key of releases is, seen from the source project; none where its private part is not here. */
function releaseKey(project: Project, folder: string): ProjectKey | undefined {
  const name = project.settings.android.key;
  const key = name === undefined ? undefined : project.settings.keys[name];
  if (key?.file === undefined) return undefined;
  return {
    file: relative(resolve(folder), project.resolve(key.file)).split(sep).join('/'),
    alias: key.alias ?? name,
  };
}

async function filesOf(
  project: Project,
  folder: string,
  platform: ProjectPlatform,
  say: SayTask | undefined,
): Promise<ProjectFile[]> {
  const app = await resolveApp(project);
  if (platform === 'apple') return appleFiles(project, app);
  const android = readAndroidOptions(project);
  const sells = android.engine === 'browser' && hasCatalog(project);
  const options = {
    ...android,
    ...(sells ? { shop: { app: project.settings.android.id, test: undefined } } : {}),
  };
  const inputs = artInputs(project, await findIconSource(project, app.folder));
  const icon = await launcherIcon(inputs, join(project.dir, ART_CACHE));
  const sources = { main: packagedPath(SHELL_SOURCES.main), test: packagedPath(SHELL_SOURCES.test) };
  const key = releaseKey(project, folder);
  return projectFiles(appInEngine(app, options), icon, options, sources, key, say);
}

async function appleFiles(project: Project, app: App): Promise<ProjectFile[]> {
  const inputs = artInputs(project, await findIconSource(project, app.folder));
  const pictures = await catalogPictures(inputs, join(project.dir, ART_CACHE));
  return appleProjectFiles(app, readAppleOptions(project), pictures, packagedPath(APPLE_SOURCES));
}

/**
 * Writes the app as a source project that the platform's usual build opens.
 *
 * @throws HullError `project.exists`, `project.folder-not-empty`, `config.*`, `app.*`, `web.*`, `art.*`
 */
export async function packSourceProject(options: SourceProjectOptions): Promise<SourceProject> {
  const project = readProject(options.project ?? '.');
  const { platform = 'android' } = options;
  const folder = options.out ?? shownPath(join(outFolder(project), `${platform}-project`));
  const files = await filesOf(project, folder, platform, options.say);
  await exportProject({
    dir: folder,
    projectDir: project.dir,
    ...(platform === 'apple' ? { platform } : {}),
    files,
    version: VERSION,
    ...(options.signal ? { signal: options.signal } : {}),
  });
  return { folder, files: files.map(({ path }) => path) };
}

export interface RefitOptions {
  /** A source project, or the folder of a `hull.json`. */
  readonly folder?: string | undefined;
  /** `check` writes nothing. */
  readonly mode?: 'write' | 'check' | undefined;
  readonly say?: SayTask | undefined;
}

export type Refitted =
  /** A project's own schema copy. */
  | { readonly of: 'config'; readonly schema: 'unchanged' | 'updated' }
  | { readonly of: 'source project'; readonly files: readonly RefitResult[] };

/**
 * Brings an exported project up to date, with edits kept; or the copy of the schema beside a `hull.json`.
 *
 * @throws HullError `project.not-exported`, `config.*`, and as {@link packSourceProject}
 */
export async function refitProject(options: RefitOptions): Promise<Refitted> {
  const { folder = '.', mode = 'write' } = options;
  if (existsSync(join(folder, CONFIG_FILE))) {
    const { dir } = readProject(folder);
    const isCurrent = isSchemaCurrent(dir);
    if (!isCurrent && mode === 'write') await writeSchemaCopy(dir);
    return { of: 'config', schema: isCurrent ? 'unchanged' : 'updated' };
  }
  const { platform = 'android' } = readRecord(folder);
  const files = await filesOf(readProject(projectOf(folder)), folder, platform, options.say);
  return { of: 'source project', files: await refitExported({ dir: folder, files, version: VERSION, mode }) };
}
