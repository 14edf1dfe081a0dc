import { join } from 'node:path';
import { BRIDGE_PORT } from '../../core/platforms/android/bridge/bridge.js';
import { startStandIn } from '../../drydock/device.js';
import { safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { numberBetween, portNumber } from '../ports.js';

export interface DrydockDeviceOptions extends CommonOptions {
  readonly port?: string;
  readonly dir?: string;
  readonly serial?: string;
  readonly sdk?: string;
  readonly state?: 'device' | 'unauthorized' | 'offline';
}

/** Runs until it is stopped. */
export async function drydockDevice(io: Io, options: DrydockDeviceOptions): Promise<void> {
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
  if (io.json) outJson(io, { address, sdk, dir });
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
