import { join } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import type { BridgeAddress } from '../platforms/android/bridge/bridge.js';
import { type InstallReport, installOnDevice } from '../platforms/android/bridge/install.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { type AppleInstallReport, installOnAppleDevice } from '../platforms/apple/device/install.js';
import type { Waiting } from '../platforms/apple/device/lockdown.js';
import type { MuxAddress } from '../platforms/apple/device/mux.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { readProject } from '../project/project.js';
import { newestFirst, shownPath } from '../util/files.js';
import { inspectFile } from './inspect-file.js';
import { outFolder } from './out-folder.js';

export interface InstallOptions {
  /** Folder of `hull.json`, whose newest package is taken where none is named; its `apple.root` counts. */
  readonly project?: string | undefined;
  /** An `.apk` or `.ipa` file. */
  readonly file?: string | undefined;
  /** Whose devices the newest package is taken for, where none is named. Default: the newest of both. */
  readonly platform?: InstalledPackage['platform'] | undefined;
  /** Where Android's debug bridge listens. */
  readonly bridge: BridgeAddress;
  /** Where the service for Apple devices listens (usbmuxd). */
  readonly usbmuxd: MuxAddress;
  /** A device's serial number or UDID, where several are attached. */
  readonly serial?: string | undefined;
  /** `leave` does not start the app; on Apple devices, people start apps themselves. */
  readonly start?: 'start' | 'leave' | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called with bytes sent. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
  /** Called with what an Apple device does with the package, in its own words, and how far it is in percent. */
  readonly onInstalling?: ((doing: string, percent: number) => void) | undefined;
  /** Called when somebody has to do something on an Apple device before anything goes on. */
  readonly onWaiting?: ((what: Waiting) => void) | undefined;
}

/** What was installed, and where. */
export type InstalledPackage =
  | (InstallReport & { readonly platform: 'android'; readonly file: string; readonly facts: PackageFacts })
  | (AppleInstallReport & { readonly platform: 'apple'; readonly file: string; readonly facts: IpaFacts });

const KINDS = {
  android: {
    pattern: /\.apk$/,
    files: '*.apk',
    fix: withTasks`Make one with ${task('packProject', 'apk')}, or name one.`,
  },
  apple: {
    pattern: /\.ipa$/,
    files: '*.ipa',
    fix: withTasks`Make one with ${task('packProject', 'ipa')}, or name one.`,
  },
  either: {
    pattern: /\.(?:apk|ipa)$/,
    files: '*.{apk,ipa}',
    fix: withTasks`Make one with ${task('packProject', 'apk')} or ${task('packProject', 'ipa')}, or name one.`,
  },
} as const;

function newestPackage(project: string, platform: keyof typeof KINDS): string {
  const { pattern, files, fix } = KINDS[platform];
  const dir = outFolder(readProject(project));
  const [newest] = newestFirst(dir, pattern);
  if (newest !== undefined) return shownPath(newest);
  throw new HullError('file.missing', 'There is no package yet.', {
    location: { file: join(shownPath(dir), files) },
    fix,
  });
}

/**
 * Installs a package on an attached device, and starts it where the platform lets that be done from here. Grants nothing.
 *
 * @throws HullError `device.*`, `file.missing`, `package.unknown`, `zip.*`
 */
export async function installPackage(options: InstallOptions): Promise<InstalledPackage> {
  const { project = '.', serial, signal, onProgress } = options;
  const file = options.file ?? newestPackage(project, options.platform ?? 'either');
  const facts = await inspectFile(file, project);
  if (facts.kind === 'ipa') {
    const { usbmuxd: address, onInstalling, onWaiting } = options;
    const report = await installOnAppleDevice({
      ...{ address, serial, file, facts, signal, onProgress },
      ...{ onInstalling, onWaiting },
    });
    return { ...report, platform: 'apple', file, facts };
  }
  if (facts.kind === 'aab') {
    throw new HullError('package.unknown', 'This is a store bundle, which no device installs as it is.', {
      location: { file },
      fix: withTasks`Make a package out of it: ${task('packFromBundle', file)}`,
    });
  }
  const report = await installOnDevice({
    address: options.bridge,
    file,
    facts,
    start: options.start ?? 'start',
    ...(serial === undefined ? {} : { serial }),
    ...(signal ? { signal } : {}),
    ...(onProgress ? { onProgress } : {}),
  });
  return { ...report, platform: 'android', file, facts };
}
