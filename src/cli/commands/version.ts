import { join, relative } from 'node:path';
import { HullError } from '../../core/errors.js';
import { inspectPackage } from '../../core/platforms/android/inspect/inspect.js';
import { editProject } from '../../core/project/edit.js';
import { nextVersion, type Released } from '../../core/project/next-version.js';
import { type Project, readProject } from '../../core/project/project.js';
import { newestFirst } from '../../core/util/files.js';
import { type CommonOptions, type Io, outJson } from '../io.js';

export interface VersionOptions extends CommonOptions {
  readonly against?: string;
}

async function released(file: string): Promise<Released & { readonly id: string }> {
  const { id, version, build } = await inspectPackage(file);
  return { file, id, version, build };
}

/** Packages of this app in the folder where they are made; what cannot be read there counts for nothing. */
async function packedBefore(project: Project): Promise<Released[]> {
  const files = newestFirst(join(project.dir, 'out'), /\.(apk|aab)$/);
  const id = project.config.android?.id ?? project.config.app.id;
  const found = await Promise.all(files.map((file) => released(relative('.', file)).catch(() => undefined)));
  return found.flatMap((one) => (one && one.id.replace(/\.debug$/, '') === id ? [one] : []));
}

export async function version(io: Io, options: VersionOptions, step?: string): Promise<void> {
  const project = readProject(options.project ?? '.');
  const stateOf = ({ config: { app } }: Project) => ({ version: app.version, build: app.build });
  let now = stateOf(project);
  if (step === undefined) {
    if (io.json) outJson(io, now);
    else io.out(`${now.version}, build ${now.build}`);
    return;
  }
  const before = await packedBefore(project);
  if (options.against !== undefined) before.push(await released(options.against));
  let next = now;
  await editProject(project, (current) => {
    now = stateOf(current);
    next = nextVersion(now, step, before);
    return [
      ...(next.version === now.version ? [] : [{ path: ['app', 'version'], value: next.version }]),
      { path: ['app', 'build'], value: next.build },
    ];
  });
  if (readProject(project.dir).config.app.build < next.build) {
    throw new HullError('config.bad-value', 'hull.json does not hold the new build after it was written.');
  }
  if (io.json) outJson(io, { before: now, ...next });
  else io.out(`${now.version} (${now.build}) → ${io.paint.bold(`${next.version} (${next.build})`)}`);
}
