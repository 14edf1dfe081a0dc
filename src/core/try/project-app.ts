import { readFileSync } from 'node:fs';
import { type App, resolveApp } from '../app/app.js';
import { ART_CACHE } from '../art/icon-set.js';
import { findIconSource } from '../art/icon-source.js';
import { launcherIcon } from '../art/launcher-icon.js';
import { artInputs } from '../art/project-art.js';
import { HullError } from '../errors.js';
import { buildWords } from '../packaging/shell-settings.js';
import { appInEngine, readAndroidOptions } from '../platforms/android/app/options.js';
import { buildShellSettings } from '../platforms/android/app/shell-settings.js';
import type { Project } from '../project/project.js';
import type { WebFile } from '../site/folder.js';
import type { PackedApp } from './packed-app.js';
import { readPackedSettings } from './settings.js';

/** The app of a project as it would be packed, with its files where they are. */
export interface ProjectApp extends PackedApp {
  /** Folder of its pages; `undefined` for a hosted app. */
  readonly folder: string | undefined;
  /** Looks which files there are now. */
  refresh(): Promise<void>;
}

const filesOf = ({ folder }: App): ReadonlyMap<string, WebFile> =>
  new Map((folder?.files ?? []).map((file) => [file.path, file]));

/** The icon as home screens draw it whole; `undefined` where the project has none yet. */
async function iconOf(project: Project, app: App): Promise<Uint8Array | undefined> {
  try {
    const inputs = artInputs(project, await findIconSource(project, app.folder));
    const { pictures } = await launcherIcon(inputs, project.resolve(ART_CACHE));
    const whole = [...pictures].filter(([path]) => /\/icon(?:_round)?\.(?:webp|png)$/.test(path));
    return whole.sort(([, one], [, other]) => other.length - one.length)[0]?.[1];
  } catch (error) {
    if (error instanceof HullError && error.code.startsWith('art.')) return undefined;
    throw error;
  }
}

/**
 * The app of a project, without making a package of it: it runs from the same settings and files.
 *
 * @throws HullError `config.*`, `app.*`, `web.*`
 */
export async function openProjectApp(project: Project): Promise<ProjectApp> {
  const options = readAndroidOptions(project);
  const app = appInEngine(await resolveApp(project), options);
  const settings = readPackedSettings(
    JSON.parse(Buffer.from(buildShellSettings(app, options)).toString('utf8')),
  );
  if (settings === undefined) throw new Error('the settings of the project say no first page');
  const { folder } = project.settings.web;
  let files = filesOf(app);
  return {
    file: project.location('').file ?? project.dir,
    kind: 'apk',
    platform: 'android',
    id: app.androidId,
    name: app.name,
    label: app.shortName,
    version: app.version,
    build: String(app.build),
    icon: await iconOf(project, app),
    settings,
    shortcuts: app.shortcuts.map(({ shortName, url }) => ({ name: shortName, url: url.href })),
    words: Buffer.from(buildWords(app)).toString('utf8'),
    folder: folder === undefined ? undefined : project.resolve(folder),
    has: (path) => files.has(path),
    read: async (path) => {
      const file = files.get(path);
      if (file === undefined)
        throw new HullError('file.missing', `There is no ${path} in the web folder.`, {});
      return readFileSync(file.file);
    },
    refresh: async () => {
      files = filesOf(appInEngine(await resolveApp(project), options));
    },
    close: async () => undefined,
  };
}
