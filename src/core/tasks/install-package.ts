import { join } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import type { BridgeAddress } from '../platforms/android/bridge/bridge.js';
import { type InstallReport, installOnDevice } from '../platforms/android/bridge/install.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';
import { readProject } from '../project/project.js';
import { newestFirst, shownPath } from '../util/files.js';
import { outFolder } from './out-folder.js';

export interface InstallOptions {
  /** Folder of `hull.json`, whose newest package is taken where none is named. */
  readonly project?: string | undefined;
  /** An `.apk` file. */
  readonly file?: string | undefined;
  /** Where the debug bridge listens. */
  readonly address: BridgeAddress;
  /** A device's serial number, where several are attached. */
  readonly serial?: string | undefined;
  /** `leave` does not start the app. */
  readonly start?: 'start' | 'leave' | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called with bytes sent. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

export interface InstalledPackage extends InstallReport {
  readonly file: string;
  readonly facts: PackageFacts;
}

function newestPackage(project: string): string {
  const dir = outFolder(readProject(project));
  const [newest] = newestFirst(dir, /\.apk$/);
  if (newest !== undefined) return shownPath(newest);
  throw new HullError('file.missing', 'There is no package yet.', {
    location: { file: join(shownPath(dir), '*.apk') },
    fix: withTasks`Make one with ${task('packProject', 'apk')}, or name one.`,
  });
}

/**
 * Installs a package on an attached device and starts it. Grants nothing.
 *
 * @throws HullError `device.*`, `file.missing`, `package.unknown`, `zip.*`
 */
export async function installPackage(options: InstallOptions): Promise<InstalledPackage> {
  const file = options.file ?? newestPackage(options.project ?? '.');
  const facts = await inspectPackage(file);
  if (facts.kind === 'aab') {
    throw new HullError('package.unknown', 'This is a store bundle, which no device installs as it is.', {
      location: { file },
      fix: withTasks`Make a package out of it: ${task('packFromBundle', file)}`,
    });
  }
  const report = await installOnDevice({
    address: options.address,
    file,
    facts,
    start: options.start ?? 'start',
    ...(options.serial === undefined ? {} : { serial: options.serial }),
    ...(options.signal ? { signal: options.signal } : {}),
    ...(options.onProgress ? { onProgress: options.onProgress } : {}),
  });
  return { ...report, file, facts };
}
