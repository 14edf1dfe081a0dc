import { HullError } from '../errors.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';
import { editProject } from '../project/edit.js';
import { nextVersion, type Released } from '../project/next-version.js';
import { type Project, readProject } from '../project/project.js';
import { newestFirst, shownPath } from '../util/files.js';
import { outFolder } from './out-folder.js';

export interface SetVersionOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** `major`, `minor`, `patch`, `build`, or a version such as 2.0.0; without one nothing is changed. */
  readonly to?: string | undefined;
  /** A package that users have: the build goes above its own. */
  readonly against?: string | undefined;
}

/** What users read, and the integer that only rises. */
export interface VersionState {
  readonly version: string;
  readonly build: number;
}

export interface VersionChange extends VersionState {
  /** As it was, where it was changed. */
  readonly before: VersionState | null;
  /** The package that users have, where one was named. */
  readonly against: Released | null;
}

async function released(file: string): Promise<Released & { readonly id: string }> {
  const { id, version, build } = await inspectPackage(file);
  return { file, id, version, build };
}

/** Packages of this app in the folder where they are made; one that cannot be read counts for nothing. */
async function packedBefore(project: Project): Promise<Released[]> {
  const files = newestFirst(outFolder(project), /\.(apk|aab)$/);
  const id = project.settings.android.id;
  const found = await Promise.all(files.map((file) => released(shownPath(file)).catch(() => undefined)));
  return found.flatMap((one) => (one && one.id.replace(/\.debug$/, '') === id ? [one] : []));
}

const stateOf = ({ settings: { app } }: Project): VersionState => ({
  version: app.version,
  build: app.build,
});

/**
 * Raises the version and the build together in `hull.json`, above everything that was packed; or reads them.
 *
 * @throws HullError `version.goes-back`, `app.bad-version`, `config.*`, and of `against` `zip.*`, `package.unknown`
 */
export async function setVersion(options: SetVersionOptions): Promise<VersionChange> {
  const project = readProject(options.project ?? '.');
  const { to } = options;
  const against = options.against === undefined ? null : await released(options.against);
  if (to === undefined) return { ...stateOf(project), before: null, against };
  const earlier = [...(await packedBefore(project)), ...(against ? [against] : [])];
  let before = stateOf(project);
  let next = before;
  await editProject(project, (current) => {
    before = stateOf(current);
    next = nextVersion(before, to, earlier);
    return [
      ...(next.version === before.version ? [] : [{ path: ['app', 'version'], value: next.version }]),
      { path: ['app', 'build'], value: next.build },
    ];
  });
  if (readProject(project.dir).settings.app.build < next.build) {
    throw new HullError('config.bad-value', 'hull.json does not hold the new build after it was written.');
  }
  return { ...next, before, against };
}
