import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { resolveApp } from '../app/app.js';
import { findIconSource } from '../art/icon-source.js';
import { folderOfHost } from '../domains/put.js';
import { type Fix, HullError, task, withTasks } from '../errors.js';
import { documentHost } from '../links/host.js';
import { readAndroidOptions } from '../platforms/android/app/options.js';
import { type Project, readProject } from '../project/project.js';
import { shownPath } from '../util/files.js';

/** One thing that a project needs before it is an app, in the order in which it is done. */
export interface ProjectStep {
  readonly name: 'icon' | 'key' | 'documents' | 'package';
  readonly done: boolean;
  /** What is there, or what is missing. */
  readonly detail: string;
  /** What does it. */
  readonly how: Fix;
}

/** How far a project is. */
export interface ProjectState {
  readonly name: string;
  readonly id: string;
  readonly version: string;
  readonly build: number;
  readonly steps: readonly ProjectStep[];
  /** What comes next. */
  readonly next: Fix;
}

const ASSETLINKS = '.well-known/assetlinks.json';

function keyStep(project: Project): ProjectStep {
  const files = Object.values(project.settings.keys).flatMap(({ file }) => file ?? []);
  const [lost] = files.filter((file) => !existsSync(project.resolve(file)));
  return {
    name: 'key',
    done: files.length > 0 && lost === undefined,
    detail: lost === undefined ? files.join(', ') || 'none yet' : `${lost} is not there`,
    how:
      lost === undefined
        ? withTasks`${task('createKey')}; or ${task('importKey')}, where the app was published before`
        : `Bring back ${lost} from its backup`,
  };
}

/** The documents of hosts whose folders lie here; those of others are seen by asking them. */
function documentsStep(project: Project): ProjectStep | undefined {
  const hosts = [...new Set(project.settings.links.map(({ host }) => documentHost(host.toLowerCase())))];
  if (hosts.length === 0) return undefined;
  const missing = hosts.filter(
    (host) => !existsSync(join(folderOfHost(project, host, undefined).dir, ASSETLINKS)),
  );
  return {
    name: 'documents',
    done: missing.length === 0,
    detail: missing.length === 0 ? hosts.join(', ') : `missing for ${missing.join(', ')}`,
    how: withTasks`${task('writeDomains')}`,
  };
}

/**
 * Says how far a project is, and what comes next: the same answer wherever it is asked.
 *
 * @throws HullError `config.*`, `app.*`, `web.*`
 */
export async function projectState(projectDir: string): Promise<ProjectState> {
  const project = readProject(projectDir);
  const app = await resolveApp(project);
  const { engine } = readAndroidOptions(project);
  let icon: ProjectStep;
  const how = 'Set look.icon in hull.json to an SVG, or a square PNG of at least 512 px';
  try {
    const { location } = await findIconSource(project, app.folder);
    const detail = location.file === undefined ? 'there' : shownPath(location.file);
    icon = { name: 'icon', done: true, detail, how };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    icon = { name: 'icon', done: false, detail: error.message, how };
  }
  const file = join('out', `${app.androidId}-${app.version}-${app.build}.apk`);
  const isPacked = existsSync(project.resolve(file));
  const pack: ProjectStep = {
    name: 'package',
    done: isPacked,
    detail: isPacked ? file : `none of ${app.version} (${app.build}) yet`,
    how: withTasks`${task('packProject')}`,
  };
  const documents = documentsStep(project);
  // A browser shows the app full screen only for a host that names its key, so that comes first there.
  const last = engine === 'browser' ? [documents, pack] : [pack, documents];
  const steps = [icon, keyStep(project), ...last].filter((step) => step !== undefined);
  const open = steps.find(({ done }) => !done);
  return {
    name: app.name,
    id: app.id,
    version: app.version,
    build: app.build,
    steps,
    next:
      open?.how ??
      (documents ? withTasks`${task('verifyDomains')}` : withTasks`${task('inspectPackage', file)}`),
  };
}
