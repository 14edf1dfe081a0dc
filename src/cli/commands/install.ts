import { join, relative } from 'node:path';
import { HullError } from '../../core/errors.js';
import { BRIDGE_PORT, type BridgeAddress, openService } from '../../core/platforms/android/bridge/bridge.js';
import {
  type InstallReport,
  installPackage,
  processOf,
} from '../../core/platforms/android/bridge/install.js';
import { inspectPackage } from '../../core/platforms/android/inspect/inspect.js';
import { readProject } from '../../core/project/project.js';
import { newestFirst } from '../../core/util/files.js';
import { bytes, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { countProgress } from '../progress.js';

export interface InstallOptions extends CommonOptions {
  readonly device?: string;
  readonly bridge?: string;
  readonly start?: boolean;
  readonly log?: boolean;
}

/** Where the bridge listens: the option, else the platform's own variable, else its own port. */
function bridgeAddress(io: Io, option: string | undefined): BridgeAddress {
  const text = option ?? io.env.ANDROID_ADB_SERVER_PORT;
  if (text === undefined || text === '') return { host: '127.0.0.1', port: BRIDGE_PORT };
  const match = /^(?:([\w.-]+|\[[0-9a-fA-F:]+\]):)?(\d{1,5})$/.exec(text);
  const port = Number(match?.[2]);
  if (match && port > 0 && port < 65_536)
    return { host: (match[1] ?? '127.0.0.1').replaceAll(/[[\]]/g, ''), port };
  throw new HullError('cli.usage', `"${text}" is not the address of a bridge.`, {
    place: { option: option === undefined ? 'ANDROID_ADB_SERVER_PORT' : '--bridge' },
    remedy: 'Write it as 127.0.0.1:5037',
  });
}

/** The package that was made last. */
function newestPackage(projectDir: string): string {
  const dir = join(readProject(projectDir).dir, 'out');
  const [newest] = newestFirst(dir, /\.apk$/);
  if (newest !== undefined) return relative('.', newest);
  throw new HullError('file.missing', 'There is no package yet.', {
    place: { file: join(relative('.', dir) || 'out', '*.apk') },
    remedy: 'Make one with hull pack apk, or name one.',
  });
}

export async function install(io: Io, options: InstallOptions, named?: string): Promise<void> {
  const address = bridgeAddress(io, options.bridge);
  const file = named ?? newestPackage(options.project ?? '.');
  const facts = await inspectPackage(file);
  if (facts.kind === 'aab') {
    throw new HullError('package.unknown', 'This is a store bundle, which no device installs as it is.', {
      place: { file },
      remedy: `Make a package out of it: hull pack apk --from ${file}`,
    });
  }
  const progress = io.drawsProgress
    ? await countProgress(io, Number.POSITIVE_INFINITY, 'sending', 'KB')
    : undefined;
  let report: InstallReport;
  try {
    report = await installPackage({
      address,
      ...(options.device === undefined ? {} : { serial: options.device }),
      file,
      facts,
      start: options.start === false ? 'leave' : 'start',
      signal: io.signal,
      ...(progress
        ? { onProgress: (done, total) => progress.update(Math.ceil(done / 1000), Math.ceil(total / 1000)) }
        : {}),
    });
  } finally {
    progress?.end();
  }
  const { device, sdk, started } = report;
  if (io.json) {
    outJson(io, {
      file,
      size: facts.size,
      id: facts.id,
      version: facts.version,
      build: facts.build,
      device,
      sdk,
      started,
    });
  } else {
    io.out(
      `${io.paint.good('Installed')} ${safe(facts.launcherLabel ?? facts.id)} ${safe(facts.version ?? '')} (build ${facts.build ?? '?'}), ${bytes(facts.size)}, on ${io.paint.bold(safe(device.model ?? device.serial))}, API level ${sdk}`,
    );
    if (started) io.out('Started.');
    else if (options.start !== false)
      io.note(`${io.paint.warn('note')} It could not be started; start it by its icon.`);
  }
  if (options.log) await follow(io, address, device.serial, facts.id);
}

/** Shows what the app logs, until it is stopped. */
async function follow(io: Io, address: BridgeAddress, serial: string, id: string): Promise<void> {
  const process = await processOf(address, serial, id);
  if (process === undefined) {
    io.note(`${io.paint.warn('note')} The app does not run, so it logs nothing.`);
    return;
  }
  const stream = await openService(address, serial, `shell:logcat -v brief --pid=${process}`);
  io.signal.addEventListener('abort', () => stream.close(), { once: true });
  let rest = '';
  for (let piece = await stream.some(); piece; piece = await stream.some()) {
    const lines = (rest + piece.toString('utf8')).split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines) io.out(safe(line.replace(/\r$/, '')));
  }
}
