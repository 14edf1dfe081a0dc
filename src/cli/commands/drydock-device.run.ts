import { join } from 'node:path';
import { BRIDGE_PORT } from '../../core/platforms/android/bridge/bridge.js';
import { startStandIn } from '../../drydock/device.js';
import type { OptionsOf } from '../define-command.js';
import { numberBetween, portNumber } from '../options/numbers.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './drydock-device.js';

/** Runs until it is stopped. */
export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<void> {
  const sdk = numberBetween(options.sdk, '--sdk', [21, 99], 36);
  const dir = options.dir ?? join('.hull', 'device');
  const device = await startStandIn({
    port: portNumber(options.port, '--port', BRIDGE_PORT),
    dir,
    serial: options.serial ?? 'stand-in',
    sdk,
    state: options.state ?? 'device',
    onEvent: (text) => io.note(safe(text)),
  });
  const address = `127.0.0.1:${device.port}`;
  if (io.json) emit(io, 'drydock device', { address, sdk, dir: jsonPath(io, dir) });
  else
    io.out(
      `A stand-in device with API level ${sdk} answers at ${io.paint.bold(address)}; it keeps apps in ${safe(dir)}.`,
    );
  io.note(
    `${io.paint.dim('next')} hull install${device.port === BRIDGE_PORT ? '' : ` --bridge ${address}`}; Ctrl-C ends it`,
  );
  await new Promise<void>((resolve) => {
    io.signal.addEventListener('abort', () => resolve(), { once: true });
  });
  await device.close();
}
