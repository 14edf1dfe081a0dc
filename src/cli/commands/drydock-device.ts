import { join } from 'node:path';
import { BRIDGE_PORT } from '../../core/device/bridge.js';
import { HullError } from '../../core/errors.js';
import { startStandIn } from '../../drydock/device.js';
import { safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';

export interface DrydockDeviceOptions extends CommonOptions {
  readonly port?: string;
  readonly dir?: string;
  readonly serial?: string;
  readonly sdk?: string;
  readonly state?: 'device' | 'unauthorized' | 'offline';
}

function number(
  text: string | undefined,
  option: string,
  least: number,
  most: number,
  usual: number,
): number {
  if (text === undefined) return usual;
  const value = Number(text);
  if (/^\d+$/.test(text) && value >= least && value <= most) return value;
  throw new HullError('cli.usage', `"${text}" is not a number from ${least} to ${most}.`, {
    place: { option },
    remedy: `Write it as ${option} ${usual}`,
  });
}

/** Runs until it is stopped. */
export async function drydockDevice(io: Io, options: DrydockDeviceOptions): Promise<void> {
  const sdk = number(options.sdk, '--sdk', 21, 99, 36);
  const dir = options.dir ?? join('.hull', 'device');
  const device = await startStandIn({
    port: number(options.port, '--port', 0, 65_535, BRIDGE_PORT),
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
