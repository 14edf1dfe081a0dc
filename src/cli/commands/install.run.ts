import { HullError } from '../../core/errors.js';
import { type BridgeAddress, openService } from '../../core/platforms/android/bridge/bridge.js';
import { processesOf } from '../../core/platforms/android/bridge/install.js';
import { defaultMuxAddress, type MuxAddress, readMuxAddress } from '../../core/platforms/apple/device/mux.js';
import { type InstalledPackage, installPackage } from '../../core/tasks/install-package.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { bridgeAddress } from '../options/bridge.js';
import { labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './install.js';

/** Where Apple devices are found: the option, else the variable that other programs go by, else the system's own. */
function usbmuxdAddress(io: Io, option: string | undefined): MuxAddress {
  const text = option ?? io.env.USBMUXD_SOCKET_ADDRESS;
  if (text === undefined || text === '') return { at: defaultMuxAddress() };
  const at = readMuxAddress(text);
  if (at) return { at };
  throw new HullError('cli.usage', `"${text}" is not the address of the service for Apple devices.`, {
    location: { option: option === undefined ? 'USBMUXD_SOCKET_ADDRESS' : '--usbmuxd' },
    fix: 'Write it as /var/run/usbmuxd or 127.0.0.1:27015',
  });
}

/** What somebody has to do on a device before anything goes on. */
const WAITING = {
  unlock: 'Unlock the device.',
  trust: 'Tap "Trust" on the device, and enter its passcode.',
} as const;

/** Whose package is meant where none is named: that of the service that is, or of the log. */
function meantPlatform({
  bridge,
  usbmuxd,
  log,
}: OptionsOf<typeof declare>): InstalledPackage['platform'] | undefined {
  const android = bridge !== undefined || log === true;
  const apple = usbmuxd !== undefined;
  if (android === apple) return undefined;
  return android ? 'android' : 'apple';
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  named: string | undefined,
): Promise<void> {
  const bridge = bridgeAddress(io, options.bridge);
  const usbmuxd = usbmuxdAddress(io, options.usbmuxd);
  const progress = openProgress(io.drawsProgress ? io : { ...io, quiet: true }, {
    doing: 'sending',
    what: 'KB',
    from: 0,
  });
  let isInstalling = false;
  const installed = await installPackage({
    project: options.project,
    file: named,
    platform: meantPlatform(options),
    bridge,
    usbmuxd,
    serial: options.device,
    start: options.start ? 'start' : 'leave',
    signal: io.signal,
    onProgress: (done, total) => progress.update(Math.ceil(done / 1000), Math.ceil(total / 1000)),
    onWaiting: (what) => io.note(`${io.paint.warn('waiting')} ${WAITING[what]}`),
    onInstalling: () => {
      if (isInstalling) return;
      isInstalling = true;
      progress.end();
      io.note(io.paint.dim('sent; the device checks and installs it'));
    },
  }).finally(progress.end);
  if (installed.platform === 'apple') tellApple(io, installed, options.log === true);
  else await tellAndroid(io, installed, { ...options, bridge });
}

type Installed<P extends InstalledPackage['platform']> = Extract<InstalledPackage, { platform: P }>;

function tellApple(io: Io, installed: Installed<'apple'>, wantsLog: boolean): void {
  const { file, facts, device, before, onDevice } = installed;
  const { size, id, version, build } = facts;
  if (io.json) {
    emit(io, 'install', {
      platform: 'apple',
      file: jsonPath(io, file),
      size,
      id,
      version: version ?? null,
      build: build ?? null,
      device,
      before: before ?? null,
      started: false,
      onDevice,
    });
    return;
  }
  const { paint } = io;
  const replaced =
    before === undefined
      ? ''
      : `, in place of ${safe(before.version ?? '?')} (build ${safe(before.build ?? '?')})`;
  io.out(
    `${paint.good('Installed')} ${safe(facts.name)} ${safe(version ?? '')} (build ${safe(build ?? '?')}), ${formatBytes(size)}, on ${paint.bold(safe(device.name ?? device.serial))}, ${safe(device.model ?? 'model unknown')}, system ${safe(device.version ?? 'unknown')}${replaced}`,
  );
  for (const one of onDevice) io.out(labelled(paint.warn('on the device'), one, io.width));
  io.out(`Open it by its icon: apps on Apple devices are not started from here.`);
  if (wantsLog) io.note(`${paint.warn('note')} What apps log on Apple devices is not read here.`);
}

async function tellAndroid(
  io: Io,
  { file, facts, device, sdk, started }: Installed<'android'>,
  options: { readonly start: boolean; readonly log?: true | undefined; readonly bridge: BridgeAddress },
): Promise<void> {
  if (io.json) {
    const { size, id, version, build } = facts;
    emit(io, 'install', {
      platform: 'android',
      file: jsonPath(io, file),
      size,
      id,
      version: version ?? null,
      build: build ?? null,
      device,
      sdk,
      started,
    });
  } else {
    io.out(
      `${io.paint.good('Installed')} ${safe(facts.launcherLabel ?? facts.id)} ${safe(facts.version ?? '')} (build ${facts.build ?? '?'}), ${formatBytes(facts.size)}, on ${io.paint.bold(safe(device.model ?? device.serial))}, API level ${sdk}`,
    );
    if (started) io.out('Started.');
    else if (options.start)
      io.note(`${io.paint.warn('note')} It could not be started; start it by its icon.`);
  }
  if (options.log) await follow(io, options.bridge, device.serial, facts.id);
}

/** Shows what the app logs, until it is stopped. */
async function follow(io: Io, address: BridgeAddress, serial: string, id: string): Promise<void> {
  const [process] = await processesOf(address, serial, id);
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
