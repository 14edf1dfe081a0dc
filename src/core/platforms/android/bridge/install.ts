import { HullError } from '../../../errors.js';
import type { PackageFacts } from '../inspect/facts.js';
import {
  type AttachedDevice,
  type BridgeAddress,
  chooseDevice,
  listDevices,
  runOnDevice,
  streamInstall,
} from './bridge.js';
import { isAppId, isClassName } from './names.js';
import { refusalOf } from './refusals.js';

export interface InstallRequest {
  readonly address: BridgeAddress;
  /** A device's serial number, where several are attached. */
  readonly serial?: string;
  /** The package, and what is in it. */
  readonly file: string;
  readonly facts: PackageFacts;
  readonly start: 'start' | 'leave';
  readonly signal?: AbortSignal;
  readonly onProgress?: (done: number, total: number) => void;
}

export interface InstallReport {
  readonly device: AttachedDevice;
  /** The device's API level. */
  readonly sdk: number;
  readonly started: boolean;
}

async function deviceSdk(address: BridgeAddress, serial: string): Promise<number> {
  const said = (await runOnDevice(address, serial, 'getprop ro.build.version.sdk')).trim();
  return /^\d{1,3}$/.test(said) ? Number(said) : 0;
}

/**
 * Installs a package on an attached device and starts it. Grants nothing.
 *
 * @throws HullError `device.*`
 */
export async function installOnDevice(request: InstallRequest): Promise<InstallReport> {
  const { address, file, facts } = request;
  const device = chooseDevice(await listDevices(address), request.serial);
  const sdk = await deviceSdk(address, device.serial);
  if (sdk > 0 && facts.sdk.min > sdk) {
    throw new HullError(
      'device.refused',
      `The package needs API level ${facts.sdk.min}; the device has ${sdk}. Nothing was sent.`,
      { location: { file }, fix: 'Lower android.min_sdk in hull.json, or use a newer device.' },
    );
  }
  const said = await streamInstall({
    address,
    serial: device.serial,
    file,
    ...(request.signal ? { signal: request.signal } : {}),
    ...(request.onProgress ? { onProgress: request.onProgress } : {}),
  });
  if (!/^Success\b/m.test(said)) throw refusalOf(said, file);
  const launcher = facts.components.find((one) => one.launcher);
  // The device's shell reads the command: a name that is none is not passed on.
  if (request.start === 'leave' || !launcher || !isAppId(facts.id) || !isClassName(launcher.name)) {
    return { device, sdk, started: false };
  }
  const answer = await runOnDevice(address, device.serial, `am start -n '${facts.id}/${launcher.name}'`);
  return { device, sdk, started: /^Starting: Intent\b/m.test(answer) && !/\berror\b/i.test(answer) };
}

/** Processes of an app on a device, its main one first where the device lists it so; none where it does not run. Throws `device.*`. */
export async function processesOf(address: BridgeAddress, serial: string, id: string): Promise<number[]> {
  if (!isAppId(id)) return [];
  const said = (await runOnDevice(address, serial, `pidof ${id}`)).trim().split(/\s+/);
  return said.filter((one) => /^\d+$/.test(one)).map(Number);
}
