import { HullError } from '../../core/errors.js';
import { BRIDGE_PORT, type BridgeAddress, openService } from '../../core/platforms/android/bridge/bridge.js';
import { processOf } from '../../core/platforms/android/bridge/install.js';
import { installPackage } from '../../core/tasks/install-package.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './install.js';

/** Where the bridge listens: the option, else the platform's own variable, else its own port. */
function bridgeAddress(io: Io, option: string | undefined): BridgeAddress {
  const text = option ?? io.env.ANDROID_ADB_SERVER_PORT;
  if (text === undefined || text === '') return { host: '127.0.0.1', port: BRIDGE_PORT };
  const match = /^(?:([\w.-]+|\[[0-9a-fA-F:]+\]):)?(\d{1,5})$/.exec(text);
  const port = Number(match?.[2]);
  if (match && port > 0 && port < 65_536)
    return { host: (match[1] ?? '127.0.0.1').replaceAll(/[[\]]/g, ''), port };
  throw new HullError('cli.usage', `"${text}" is not the address of a bridge.`, {
    location: { option: option === undefined ? 'ANDROID_ADB_SERVER_PORT' : '--bridge' },
    fix: 'Write it as 127.0.0.1:5037',
  });
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  named: string | undefined,
): Promise<void> {
  const address = bridgeAddress(io, options.bridge);
  const progress = openProgress(io.drawsProgress ? io : { ...io, quiet: true }, {
    doing: 'sending',
    what: 'KB',
    from: 0,
  });
  const { file, facts, device, sdk, started } = await installPackage({
    project: options.project,
    file: named,
    address,
    serial: options.device,
    start: options.start ? 'start' : 'leave',
    signal: io.signal,
    onProgress: (done, total) => progress.update(Math.ceil(done / 1000), Math.ceil(total / 1000)),
  }).finally(progress.end);
  if (io.json) {
    const { size, id, version, build } = facts;
    emit(io, 'install', {
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
